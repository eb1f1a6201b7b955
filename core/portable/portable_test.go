package portable

import (
	"fmt"
	"hash/fnv"
	"math"
	"math/rand/v2"
	"testing"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"
)

// near reports whether a is b but for a few units in the last place.
func near(a, b float64, units float64) bool {
	return a == b || math.Abs(a-b) <= units*math.Max(math.SmallestNonzeroFloat64, math.Abs(b)*0x1p-52)
}

// The functions are those of package math, to the last place or the one before it.
func TestElementaryFunctions(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 1))
	for range 300_000 {
		x := (r.Float64() - 0.5) * math.Exp(r.Float64()*16-8)
		u := math.Exp(-r.Float64() * 60)
		for _, c := range []struct {
			name         string
			at, got, ref float64
			units        float64
		}{
			{"Exp", x, Exp(x), math.Exp(x), 3}, // which has errors of its own
			{"Log", u, Log(u), math.Log(u), 1},
			{"Log", 1 / u, Log(1 / u), math.Log(1 / u), 1},
			{"Log1p", -u / 2, Log1p(-u / 2), math.Log1p(-u / 2), 3},
			{"Log1p", u, Log1p(u), math.Log1p(u), 3},
			{"Expm1", x, Expm1(x), math.Expm1(x), 40},
			{"Pow", u, Pow(u, x/100), math.Pow(u, x/100), 2000},
		} {
			if !near(c.got, c.ref, c.units) {
				t.Fatalf("%s(%v) = %v, want %v", c.name, c.at, c.got, c.ref)
			}
		}
	}
	for _, c := range []struct{ got, want float64 }{
		{Exp(0), 1},
		{Exp(1000), math.Inf(1)},
		{Exp(-1000), 0},
		{Exp(math.Inf(-1)), 0},
		{Exp(math.Inf(1)), math.Inf(1)},
		{Log(1), 0},
		{Log(0), math.Inf(-1)},
		{Log(math.Inf(1)), math.Inf(1)},
		{Expm1(0), 0},
		{Log1p(1e-300), 1e-300},
	} {
		if c.got != c.want {
			t.Errorf("%v, want %v", c.got, c.want)
		}
	}
	if !math.IsNaN(Log(-1)) || !math.IsNaN(Exp(math.NaN())) {
		t.Error("what is not a number becomes one")
	}
}

// The normal quantile is the inverse of the distribution function, far into both tails,
// and symmetric.
func TestNormalQuantile(t *testing.T) {
	for e := -15.9; e < 0; e += 0.01 {
		u := math.Pow(10, e)
		if u > 0.5 {
			continue
		}
		z := NormalQuantile(u)
		if got := 0.5 * math.Erfc(-z/math.Sqrt2); math.Abs(got/u-1) > 1e-13 {
			t.Fatalf("the quantile %v is %v, which lies at %v", u, z, got)
		}
		if v := 1 - u; 1-v == u && NormalQuantile(v) != -z {
			t.Errorf("%v and %v are not mirrored", u, v)
		}
	}
	if NormalQuantile(0.5) != 0 {
		t.Error("the median is not 0")
	}
}

// The gamma function's logarithm and the tails are gonum's.
func TestGammaTails(t *testing.T) {
	for _, a := range []float64{0.02, 0.1, 0.5, 1, 1.5, 3, 10, 50, 1000} {
		lg, _ := math.Lgamma(a)
		if got := lnGamma(a); math.Abs(got-lg) > 1e-14*math.Max(1, math.Abs(lg)) {
			t.Errorf("ln Γ(%v) = %v, want %v", a, got, lg)
		}
		for f := 0.01; f < 8; f *= 1.07 {
			x := a * f
			p, q := gammaTails(a, x)
			wp, wq := mathext.GammaIncReg(a, x), mathext.GammaIncRegComp(a, x)
			if math.Abs(p-wp) > 1e-12 || wq > 1e-250 && math.Abs(q/wq-1) > 1e-11 || wp > 1e-250 && wp < 0.5 && math.Abs(p/wp-1) > 1e-11 {
				t.Errorf("tails of %v at %v are %v and %v, want %v and %v", a, x, p, q, wp, wq)
			}
		}
	}
}

// A gamma quantile is where the distribution function has its value, at all shapes and
// far into both tails, and never falls.
func TestGammaQuantile(t *testing.T) {
	for _, a := range []float64{0.02, 0.05, 0.1, 0.19, 0.3, 0.5, 0.7, 0.9, 0.99, 1, 1.01, 1.5, 2, 3, 10, 50, 1000} {
		last := 0.0
		for e := -12.0; e < 12; e += 0.05 {
			v := math.Pow(10, e)
			if e >= -math.Log10(2) {
				v = 1 - math.Pow(10, -e-2*math.Log10(2))
			}
			if !(v > 0 && v < 1) {
				break
			}
			x := GammaQuantile(a, v)
			if x < last {
				t.Fatalf("shape %v: the quantile %v is %v, below the one before it", a, v, x)
			}
			last = x
			got, want := mathext.GammaIncReg(a, x), v
			if v > 0.5 {
				got, want = mathext.GammaIncRegComp(a, x), 1-v
			}
			if x > 1e-290 && math.Abs(got/want-1) > 1e-6 {
				t.Fatalf("shape %v: the quantile %v is %v, which lies at %v", a, v, x, got)
			}
		}
	}
	if got, want := GammaQuantile(3, 0.5), 2.674060313754; math.Abs(got-want) > 1e-9 {
		t.Errorf("the median of shape 3 is %v, want %v", got, want)
	}
}

// Student's quantile is gonum's in its first ten digits.
func TestStudentQuantile(t *testing.T) {
	for n := 1; n <= 2000; n++ {
		want := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n)}.Quantile(0.975)
		got := StudentQuantile(n)
		if math.Abs(got/want-1) > 5e-11 {
			t.Errorf("%d degrees of freedom: %v, want %v", n, got, want)
		}
	}
	// Tables: Fisher, Statistical Methods for Research Workers.
	for n, want := range map[int]float64{1: 12.7062047, 2: 4.3026527, 7: 2.3646243, 30: 2.0422725} {
		if got := StudentQuantile(n); math.Abs(got-want) > 1e-7 {
			t.Errorf("%d degrees of freedom: %v, want %v", n, got, want)
		}
	}
}

// Where the search begins does not matter.
func TestFirst(t *testing.T) {
	for _, at := range []float64{1e-5, 0.3, 1, 2.9, 1e6} {
		reached := func(x float64) bool { return x >= at }
		want := first(at, reached)
		if math.Abs(want/at-1) > 1e-10 || want < at {
			t.Errorf("the first point from %v on is %v", at, want)
		}
		for _, by := range []float64{1e-15, 1e-12, 1e-9, 1e-6, 0.01} {
			if _, e := math.Frexp(at); math.Ldexp(0.5, e) < at*(1-by) && at*(1+by) < math.Ldexp(1, e) {
				if lo, hi := first(at*(1-by), reached), first(at*(1+by), reached); lo != want || hi != want {
					t.Errorf("from %v off, the first point from %v on is %v and %v, not %v", by, at, lo, hi, want)
				}
			}
		}
	}
}

// The bits are pinned: every machine has these.
func TestPinnedBits(t *testing.T) {
	h := fnv.New64a()
	for n := 1; n <= 500; n++ {
		u := float64(n) / 501
		fmt.Fprintln(h, math.Float64bits(StudentQuantile(n)), math.Float64bits(NormalQuantile(u)), math.Float64bits(Exp(20*u)),
			math.Float64bits(Log(20*u)), math.Float64bits(Log1p(-u)), math.Float64bits(Expm1(u/6)))
		for _, a := range []float64{0.02, 0.3, 0.7, 1, 1.5, 2, 3, 10, 50} {
			fmt.Fprintln(h, math.Float64bits(GammaQuantile(a, u)))
		}
	}
	if got := h.Sum64(); got != 0x5ea7f3e09b514b5e {
		t.Errorf("the bits are %#x", got)
	}
}
