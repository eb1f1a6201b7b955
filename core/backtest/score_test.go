package backtest

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"tachyphor/core/units"
)

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
