package stats_test

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"tachyphor/core/stats"
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
		if got, want := stats.Pinball(slices.Clone(large), y), slow(slices.Clone(large), y); math.Abs(got-want) > 0.01*want+1e-3 {
			t.Errorf("at %g: %g, by shares %g", y, got, want)
		}
		mean, n := 0.0, 20_000
		for range n {
			some := make([]float64, 6)
			for i := range some {
				some[i] = math.Exp(draw.NormFloat64())
			}
			mean += stats.Pinball(some, y) / float64(n)
		}
		if want := slow(slices.Clone(large), y); math.Abs(mean-want) > 0.03*want {
			t.Errorf("at %g: samples of six score %g on average, a large one %g", y, mean, want)
		}
	}
	if got := stats.Pinball([]float64{3}, 5); got != 1 {
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
			sum += stats.Pinball(some, draw.NormFloat64())
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
