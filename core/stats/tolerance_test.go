package stats

import (
	"math"
	"math/rand/v2"
	"testing"
)

// Known sample sizes: 59 values for 95/95, 299 for 99/95, 459 for 99/99, by
// n ≥ ln(1−γ)/ln(β); with 93 the second largest holds 95/95.
func TestToleranceRanks(t *testing.T) {
	for _, c := range []struct {
		n           int
		share, sure float64
		rank, needs int
	}{
		{58, 0.95, 0.95, 0, 59},
		{59, 0.95, 0.95, 59, 59},
		{92, 0.95, 0.95, 92, 59},
		{93, 0.95, 0.95, 92, 59},
		{298, 0.99, 0.95, 0, 299},
		{299, 0.99, 0.95, 299, 299},
		{473, 0.99, 0.95, 472, 299},
		{458, 0.99, 0.99, 0, 459},
		{459, 0.99, 0.99, 459, 459},
		{1, 0.5, 0.5, 1, 1},
	} {
		values := make([]float64, c.n)
		for i := range values {
			values[i] = float64(i + 1)
		}
		got := UpperTolerance(values, c.share, c.sure)
		if got.Rank != c.rank || got.Needs != c.needs || c.rank > 0 && got.Bound != float64(c.rank) || c.rank == 0 && !math.IsInf(got.Bound, 1) {
			t.Errorf("%+v: %+v", c, got)
		}
	}
}

// A slow sum of binomial probabilities gives the same rank.
func TestToleranceAgainstTheSum(t *testing.T) {
	for n := 1; n <= 400; n += 7 {
		for _, share := range []float64{0.5, 0.9, 0.95, 0.99} {
			rank, sum := 0, 0.0
			for r := 1; r <= n; r++ {
				k := r - 1
				a, _ := math.Lgamma(float64(n + 1))
				b, _ := math.Lgamma(float64(k + 1))
				c, _ := math.Lgamma(float64(n - k + 1))
				sum += math.Exp(a - b - c + float64(k)*math.Log(share) + float64(n-k)*math.Log(1-share))
				if sum >= 0.95 {
					rank = r
					break
				}
			}
			values := make([]float64, n)
			for i := range values {
				values[i] = float64(i)
			}
			if got := UpperTolerance(values, share, 0.95); got.Rank != rank {
				t.Errorf("n %d, share %v: rank %d, by the sum %d", n, share, got.Rank, rank)
			}
		}
	}
}

// The bound holds at its confidence for distributions of every shape, where the
// largest value times 1.2 does not: 2,000 data sets each.
func TestToleranceCoverage(t *testing.T) {
	const sets, runs, share, sure = 2000, 412, 0.99, 0.95
	r := rand.New(rand.NewPCG(11, 23))
	pareto := func() float64 { return math.Pow(1-r.Float64(), -1/1.2) }
	bimodal := func() float64 {
		if r.Float64() < 0.03 {
			return 6 + 0.5*r.NormFloat64()
		}
		return 2 + 0.2*r.NormFloat64()
	}
	for _, d := range []struct {
		name  string
		draw  func() float64
		above func(x float64) float64 // P(X > x)
	}{
		{
			"log-normal", func() float64 { return math.Exp(1 + 0.6*r.NormFloat64()) },
			func(x float64) float64 { return 0.5 * math.Erfc((math.Log(x)-1)/0.6/math.Sqrt2) },
		},
		{"bimodal", bimodal, func(x float64) float64 {
			return 0.03*0.5*math.Erfc((x-6)/0.5/math.Sqrt2) + 0.97*0.5*math.Erfc((x-2)/0.2/math.Sqrt2)
		}},
		{"heavy-tailed", pareto, func(x float64) float64 { return math.Pow(x, -1.2) }},
	} {
		holds, naive := 0, 0
		values := make([]float64, runs)
		for range sets {
			most := 0.0
			for i := range values {
				values[i] = d.draw()
				most = max(most, values[i])
			}
			if d.above(UpperTolerance(values, share, sure).Bound) <= 1-share {
				holds++
			}
			if d.above(1.2*most) <= 1-share {
				naive++
			}
		}
		// By the rank's own probability it holds in 95 to 98 % of sets; four standard
		// errors of 2,000 sets are 2 %.
		if got := float64(holds) / sets; got < sure-0.02 || got > 0.995 {
			t.Errorf("%s: held in %.1f %% of data sets", d.name, 100*got)
		}
		t.Logf("%s: the bound held in %.1f %%, the largest value times 1.2 in %.1f %% of data sets", d.name, 100*float64(holds)/sets,
			100*float64(naive)/sets)
	}
}

// Runs that were killed count as unbounded: the bound errs upwards, and there is
// none when too many were.
func TestToleranceOfKilledRuns(t *testing.T) {
	values := make([]float64, 500)
	for i := range values {
		values[i] = float64(i)
	}
	whole := UpperTolerance(values, 0.95, 0.95)
	for i := 490; i < 500; i++ {
		values[i] = math.Inf(1)
	}
	if few := UpperTolerance(values, 0.95, 0.95); few.Bound != whole.Bound {
		t.Errorf("ten killed above the bound change it: %+v, %+v", few, whole)
	}
	for i := 450; i < 500; i++ {
		values[i] = math.Inf(1)
	}
	if many := UpperTolerance(values, 0.95, 0.95); !math.IsInf(many.Bound, 1) || many.Rank != 0 {
		t.Errorf("%+v", many)
	}
}

// With equal weights the weighted bound is the plain one; with weights that halve
// every fortnight it still holds about as often as it says.
func TestWeightedTolerance(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 7))
	for range 200 {
		n := 1 + r.IntN(700)
		values, equal := make([]float64, n), make([]float64, n)
		for i := range values {
			values[i], equal[i] = r.ExpFloat64(), 2.5
		}
		if a, b := UpperTolerance(values, 0.95, 0.95), WeightedTolerance(values, equal, 0.95, 0.95); a != b {
			t.Fatalf("%d values: %+v, weighted %+v", n, a, b)
		}
	}
	const sets, runs, share, sure = 2000, 600, 0.95, 0.95
	holds := 0
	values, weights := make([]float64, runs), make([]float64, runs)
	for range sets {
		for i := range values {
			values[i], weights[i] = math.Exp(r.NormFloat64()), math.Exp2(-60*r.Float64()/14)
		}
		b := WeightedTolerance(values, weights, share, sure)
		if b.Runs < 200 || b.Runs >= runs {
			t.Fatalf("%d effective values of %d", b.Runs, runs)
		}
		if 0.5*math.Erfc(math.Log(b.Bound)/math.Sqrt2) <= 1-share {
			holds++
		}
	}
	if got := float64(holds) / sets; got < sure-0.02 || got > 0.995 {
		t.Errorf("held in %.1f %% of data sets", 100*got)
	} else {
		t.Logf("with weights the bound held in %.1f %% of data sets", 100*got)
	}
	if b := WeightedTolerance(nil, nil, share, sure); !math.IsInf(b.Bound, 1) || b.Needs != 59 {
		t.Errorf("of nothing: %+v", b)
	}
}
