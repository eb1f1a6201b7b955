package chance

import (
	"math"
	"testing"
)

// mean and standard deviation of n draws.
func moments(d Dist, n int) (mean, sd float64) {
	var s, q float64
	for i := range n {
		x := d.Draw(Root(7, 0).For(Work, uint64(i), 0))
		s += x
		q += x * x
	}
	mean = s / float64(n)
	return mean, math.Sqrt(q/float64(n) - mean*mean)
}

func TestDrawsHaveTheStatedMean(t *testing.T) {
	const n = 40_000
	for _, c := range []struct {
		name string
		d    Dist
		mean float64
	}{
		{"fixed", NewFixed(40), 40},
		{"exponential", NewExponential(300), 300},
		{"gamma 3", NewGamma(300, 3), 300},
		{"gamma 0.5", NewGamma(20, 0.5), 20},
		{"uniform", NewUniform(1, 4), 2.5},
		{"log-normal", NewLogNormal(42, 110), NewLogNormal(42, 110).Mean()},
		{"empirical", NewEmpirical([]float64{5, 1, 3}), 3},
	} {
		mean, sd := moments(c.d, n)
		if math.Abs(c.d.Mean()-c.mean) > 1e-9*c.mean || math.Abs(mean-c.mean) > 4.5*sd/math.Sqrt(n)+1e-9 {
			t.Errorf("%s: mean %.4f ± %.4f, Mean() %.4f, want %.4f", c.name, mean, sd/math.Sqrt(n), c.d.Mean(), c.mean)
		}
	}
}

func TestLogNormalHitsItsPercentiles(t *testing.T) {
	d := NewLogNormal(42, 110)
	for u, want := range map[float64]float64{0.5: 42, 0.95: 110} {
		if got := d.Quantile(u); math.Abs(got-want) > 1e-9*want {
			t.Errorf("quantile %v = %v, want %v", u, got, want)
		}
	}
}

func TestPoissonMeanAndVariance(t *testing.T) {
	const n = 100_000
	for _, m := range []float64{0.2, 3, 40, 1200} {
		var s, q float64
		for i := range n {
			x := float64(Poisson(m, Root(3, 1).For(Arrivals, uint64(i), 0)))
			s, q = s+x, q+x*x
		}
		mean := s / n
		variance := q/n - mean*mean
		if math.Abs(mean-m) > 4.5*math.Sqrt(m/n) || math.Abs(variance/m-1) > 0.04 {
			t.Errorf("Poisson(%v): mean %.3f, variance %.3f", m, mean, variance)
		}
	}
}

// Draws are the same on every machine and in every version: a change here
// changes every outcome and is a decision to be written down.
func TestPinnedTrace(t *testing.T) {
	want := []uint64{0x3fd737a9c0f834f7, 0x3fd9c61a368ced4f, 0x3fe09f2352e587b0}
	for i := range want {
		got := math.Float64bits(Root(41, i).For(Boot, 2, uint64(i)).Uniform())
		if got != want[i] {
			t.Errorf("draw %d = %#x, want %#x", i, got, want[i])
		}
	}
}

// Neighbouring keys give numbers that are uniform and not correlated.
func TestKeysAreIndependent(t *testing.T) {
	const n = 100_000
	for name, pair := range map[string]func(i uint64) (Key, Key){
		"entity":  func(i uint64) (Key, Key) { k := Root(1, 0); return k.For(Work, i, 0), k.For(Work, i+1, 0) },
		"ordinal": func(i uint64) (Key, Key) { k := Root(1, 0); return k.For(Work, 5, i), k.For(Work, 6, i) },
		"purpose": func(i uint64) (Key, Key) { k := Root(1, 0); return k.For(Work, i, 0), k.For(Boot, i, 0) },
		"repeat":  func(i uint64) (Key, Key) { return Root(1, int(i)).For(Work, 0, 0), Root(2, int(i)).For(Work, 0, 0) },
	} {
		var bins [20]int
		var sum float64
		for i := range uint64(n) {
			a, b := pair(i)
			x, y := a.Uniform(), b.Uniform()
			bins[int(x*20)]++
			sum += (x - 0.5) * (y - 0.5)
		}
		chi := 0.0
		for _, c := range bins {
			d := float64(c) - n/20.0
			chi += d * d / (n / 20.0)
		}
		// 99.99th percentile of chi squared with 19 degrees of freedom is 50.8.
		if r := sum / n * 12; chi > 50.8 || math.Abs(r) > 4.5/math.Sqrt(n) {
			t.Errorf("%s: chi² %.1f, correlation %.4f", name, chi, r)
		}
	}
}

func FuzzQuantileIsMonotone(f *testing.F) {
	f.Add(0.2, 0.7, 10.0, 3.0)
	f.Fuzz(func(t *testing.T, u, v, a, b float64) {
		if !(u > 1e-9 && u < v && v < 1-1e-9 && a > 1e-3 && a < 1e6 && b > 0.1 && b < 50) {
			return
		}
		for _, d := range []Dist{NewLogNormal(a, a*(1+b)), NewExponential(a), NewGamma(a, b), NewUniform(a, a+b), NewEmpirical([]float64{a, b, a + b})} {
			if lo, hi := d.Quantile(u), d.Quantile(v); !(lo <= hi*(1+1e-9)) || !(lo >= 0) {
				t.Errorf("%+v: quantile %v = %v, %v = %v", d, u, lo, v, hi)
			}
		}
	})
}
