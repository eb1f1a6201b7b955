package stats

import (
	"cmp"
	"math"
	"slices"

	"gonum.org/v1/gonum/mathext"
)

// A Tolerance is an upper bound that a share of all future values stays below, with
// a confidence, whatever their distribution is.
type Tolerance struct {
	Bound float64 // +Inf: no bound can be given from these values
	Rank  int     // the bound is the Rank-th smallest value, from 1; 0 without a bound
	Runs  int     // values behind it
	Share float64 // of future values that stay at or below the bound
	Sure  float64 // confidence in that
	Needs int     // values that would be needed for any bound at all
}

// UpperTolerance returns the smallest order statistic that at least a share of the
// distribution lies at or below, with confidence sure:
//
//	r = min { r : P(Binomial(n, share) ≤ r − 1) ≥ sure }
//
// for then the r-th smallest of n values is below the share's quantile with
// probability at most 1 − sure. With fewer than ⌈ln(1−sure)/ln(share)⌉ values there is
// no such r and no bound. Values that are only known to be at least so large, as the
// peaks of runs that were killed, are given as +Inf: the bound then errs upwards,
// and is +Inf when it falls among them. 0 < share < 1, 0 < sure < 1.
// Source: Wilks, Determination of sample sizes for setting tolerance limits (1941).
func UpperTolerance(values []float64, share, sure float64) Tolerance {
	n := len(values)
	t := none(n, share, sure)
	r := toleranceRank(n, share, sure)
	if r == 0 {
		return t
	}
	sorted := slices.Sorted(slices.Values(values))
	if t.Bound = sorted[r-1]; !math.IsInf(t.Bound, 1) {
		t.Rank = r
	}
	return t
}

// WeightedTolerance is UpperTolerance for values that do not all count alike, as
// older ones that count less. They are as good as
//
//	n = (Σ w)² / Σ w²
//
// values that do (Kish's effective size), rounded down; the bound is the smallest
// value with at least the rank's share of the weight at or below it. With equal
// weights it is UpperTolerance. It is an approximation, held against drawn data in
// the tests. Runs is n. Weights are above 0.
func WeightedTolerance(values, weights []float64, share, sure float64) Tolerance {
	sum, squares := 0.0, 0.0
	for _, w := range weights {
		sum, squares = sum+w, squares+float64(w*w)
	}
	n := 0
	if squares > 0 {
		n = int(sum*sum/squares + 1e-9)
	}
	t := none(n, share, sure)
	r := toleranceRank(n, share, sure)
	if r == 0 {
		return t
	}
	order := make([]int, len(values))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(values[a], values[b]) })
	need, have := float64(r)/float64(n)*sum, 0.0
	for _, i := range order {
		if have += weights[i]; have >= need*(1-1e-12) {
			if t.Bound = values[i]; !math.IsInf(t.Bound, 1) {
				t.Rank = r
			}
			return t
		}
	}
	return t
}

// none is a tolerance without a bound.
func none(n int, share, sure float64) Tolerance {
	return Tolerance{Bound: math.Inf(1), Runs: n, Share: share, Sure: sure, Needs: int(math.Ceil(math.Log(1-sure) / math.Log(share)))}
}

// toleranceRank returns the rank of the bound among n values, 0 where there is none.
func toleranceRank(n int, share, sure float64) int {
	below := func(r int) float64 { // P(Binomial(n, share) ≤ r − 1)
		return mathext.RegIncBeta(float64(n-r+1), float64(r), 1-share)
	}
	if n < 1 || below(n) < sure {
		return 0
	}
	lo, hi := 1, n // the probability grows with r
	for lo < hi {
		if mid := (lo + hi) / 2; below(mid) >= sure {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	return lo
}
