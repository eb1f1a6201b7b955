package backtest

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"tachyphor/core/units"
)

// slow is the pinball loss, averaged over many shares, of the quantiles of a large sample.
func slow(sample []float64, y float64) float64 {
	slices.Sort(sample)
	sum, n := 0.0, 2000
	for i := range n {
		p := (float64(i) + 0.5) / float64(n)
		q := sample[min(len(sample)-1, int(p*float64(len(sample))))]
		if y >= q {
			sum += p * (y - q)
		} else {
			sum += (1 - p) * (q - y)
		}
	}
	return sum / float64(n)
}

// The score is the pinball loss over all shares; the fair form has, of small samples, the same
// mean as that of a large one.
func TestLossIsPinball(t *testing.T) {
	draw := rand.New(rand.NewPCG(1, 2))
	large := make([]float64, 20_000)
	for i := range large {
		large[i] = math.Exp(draw.NormFloat64())
	}
	for _, y := range []float64{0, 0.4, 1, 7} {
		if got, want := loss(slices.Clone(large), y), slow(slices.Clone(large), y); math.Abs(got-want) > 0.01*want+1e-3 {
			t.Errorf("at %g: %g, by shares %g", y, got, want)
		}
		mean, n := 0.0, 20_000
		for range n {
			some := make([]float64, 6)
			for i := range some {
				some[i] = math.Exp(draw.NormFloat64())
			}
			mean += loss(some, y) / float64(n)
		}
		if want := slow(slices.Clone(large), y); math.Abs(mean-want) > 0.03*want {
			t.Errorf("at %g: samples of six score %g on average, a large one %g", y, mean, want)
		}
	}
	if got := loss([]float64{3}, 5); got != 1 {
		t.Error(got)
	}
}

// The forecast that is right scores least on average.
func TestLossIsProper(t *testing.T) {
	draw := rand.New(rand.NewPCG(3, 4))
	score := func(scale, shift float64) (sum float64) {
		for range 20_000 {
			some := make([]float64, 8)
			for i := range some {
				some[i] = shift + scale*draw.NormFloat64()
			}
			sum += loss(some, draw.NormFloat64())
		}
		return sum
	}
	right := score(1, 0)
	for _, wrong := range [][2]float64{{0.5, 0}, {2, 0}, {1, 0.5}, {1, -0.5}} {
		if got := score(wrong[0], wrong[1]); got <= right {
			t.Errorf("%v scores %g, the truth %g", wrong, got, right)
		}
	}
}

// One run more is within the bounds as often as they say.
func TestRanged(t *testing.T) {
	draw := rand.New(rand.NewPCG(5, 6))
	inside := 0
	for range 4000 {
		runs := make([]float64, repeats)
		for i := range runs {
			runs[i] = math.Exp(3 + 0.4*draw.NormFloat64())
		}
		_, low, high := ranged(runs, 0.95)
		if one := math.Exp(3 + 0.4*draw.NormFloat64()); one >= low && one <= high {
			inside++
		}
	}
	if inside < 3740 || inside > 3860 { // 3800 ± 4 standard errors
		t.Errorf("%d of 4000", inside)
	}
}

// Forecasts are made of what was there before the day alone.
func TestNaiveKnowsNothingOfTheDay(t *testing.T) {
	monday := time.Date(2026, 9, 14, 0, 0, 0, 0, time.UTC)
	var list []job
	for day := range 15 {
		for n := range 10 {
			at := units.Duration(day)*units.Day + 9*units.Hour + units.Duration(n)*units.Minute
			list = append(list, job{at: at, waited: float64(day)})
		}
	}
	seen := map[int][2][]float64{}
	naive(list, monday, units.Zone{}, func(j int, again, byHour []float64) {
		seen[j/10] = [2][]float64{slices.Clone(again), slices.Clone(byHour)}
	})
	for day, want := range map[int][2]float64{1: {0, 0}, 4: {3, 0}, 7: {0, 0}, 8: {1, 1}, 12: {5, 5}, 14: {7, 3.5}} {
		got, ok := seen[day]
		if !ok {
			t.Errorf("day %d has no forecast", day)
			continue
		}
		mean := func(list []float64) (sum float64) {
			for _, x := range list {
				sum += x / float64(len(list))
			}
			return sum
		}
		if math.Abs(mean(got[0])-want[0]) > 1e-9 || day != 4 && math.Abs(mean(got[1])-want[1]) > 1e-9 {
			t.Errorf("day %d: %g and %g, expected %v", day, mean(got[0]), mean(got[1]), want)
		}
	}
	if _, ok := seen[0]; ok {
		t.Error("the first day has a forecast")
	}
	if got, ok := seen[5]; ok {
		t.Errorf("the first Saturday is forecast as it was last: %v", got[0])
	}
}

// The least of a parabola is found between the factors that were tried.
func TestLeastOf(t *testing.T) {
	var tried []trial
	for _, f := range []float64{0.5, 0.7, 1, 1.4, 2} {
		x := math.Log(f / 1.6)
		tried = append(tried, trial{factor: f, parts: []float64{3 + 5*x*x, 1}})
	}
	if got := leastOf(tried, []float64{1, 1}); math.Abs(got-1.6) > 1e-6 {
		t.Error(got)
	}
	for i := range tried {
		tried[i].parts[0] = tried[i].factor
	}
	if got := leastOf(tried, []float64{1, 1}); got < 0.5 || got > 0.6 {
		t.Error(got)
	}
}
