package chance

import (
	"fmt"
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
	want := []uint64{0x3fd737a9c0f834f6, 0x3fd9c61a368ced4e, 0x3fe09f2352e587b1}
	for i := range want {
		got := math.Float64bits(Root(41, i).For(Boot, 2, uint64(i)).Uniform())
		if got != want[i] {
			t.Errorf("draw %d = %#x, want %#x", i, got, want[i])
		}
	}
}

// The numbers at the very ends are within (0, 1), and every distribution is finite
// there: the keys are those whose hash is all ones and all zeros.
func TestEndsAreOpen(t *testing.T) {
	unmix := func(want uint64) Key { // mix is a bijection: undo it step by step
		z := want
		z ^= z>>31 ^ z>>62
		z *= 0x319642b2d24d8ec3 // the inverse of 0x94d049bb133111eb modulo 2^64
		z ^= z>>27 ^ z>>54
		z *= 0x96de1b173f119089 // of 0xbf58476d1ce4e5b9
		z ^= z>>30 ^ z>>60
		return Key(z - 0x9e3779b97f4a7c15)
	}
	for _, hash := range []uint64{0, 1, 1<<11 - 1, 1 << 12, math.MaxUint64, math.MaxUint64 - 1<<11} {
		k := unmix(hash)
		if mix(uint64(k)+0x9e3779b97f4a7c15) != hash {
			t.Fatalf("%#x is not undone", hash)
		}
		u := k.Uniform()
		if !(u > 0 && u < 1) {
			t.Errorf("the hash %#x gives %v", hash, u)
		}
		for _, d := range []Dist{NewExponential(5), NewLogNormal(3, 9), NewGamma(4, 0.5), NewUniform(1, 2), NewEmpirical([]float64{1, 2, 5})} {
			if x := d.Draw(k); !(x >= 0) || math.IsInf(x, 0) {
				t.Errorf("%v drawn with %v gives %v", d, u, x)
			}
		}
	}
}

// Names are told apart, and pinned: outcomes rest on them.
func TestNames(t *testing.T) {
	seen := map[uint64]string{}
	for i := range 100_000 {
		s := fmt.Sprintf("pool-%d", i)
		if other, twice := seen[Name(s)]; twice {
			t.Fatalf("%s and %s are one", s, other)
		}
		seen[Name(s)] = s
	}
	if got := Name("core"); got != 0xf43186705772e47d {
		t.Errorf("Name(core) = %#x", got)
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
	f.Add(0.0005555555555555557, 0.0008129409171075838, 1252.8, 0.1945907940333432)
	f.Fuzz(func(t *testing.T, u, v, a, b float64) {
		if !(u > 1e-9 && u < v && v < 1-1e-9 && a > 1e-3 && a < 1e6 && b > 0.1 && b < 50) {
			return
		}
		for _, d := range []Dist{
			NewLogNormal(a, a*(1+b)), NewExponential(a), NewGamma(a, b), NewUniform(a, a+b),
			NewEmpirical([]float64{a, b, a + b}),
		} {
			if lo, hi := d.Quantile(u), d.Quantile(v); !(lo <= hi*(1+1e-9)) || !(lo >= 0) {
				t.Errorf("%+v: quantile %v = %v, %v = %v", d, u, lo, v, hi)
			}
		}
	})
}
