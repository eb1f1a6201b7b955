package stats

import (
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
	t := Tolerance{Bound: math.Inf(1), Runs: n, Share: share, Sure: sure, Needs: int(math.Ceil(math.Log(1-sure) / math.Log(share)))}
	if n < t.Needs {
		return t
	}
	below := func(r int) float64 { // P(Binomial(n, share) ≤ r − 1)
		if r > n {
			return 1
		}
		return mathext.RegIncBeta(float64(n-r+1), float64(r), 1-share)
	}
	lo, hi := 1, n // the probability grows with r
	for lo < hi {
		if mid := (lo + hi) / 2; below(mid) >= sure {
			hi = mid
		} else {
			lo = mid + 1
		}
	}
	if below(lo) < sure {
		return t
	}
	sorted := slices.Sorted(slices.Values(values))
	if t.Bound = sorted[lo-1]; !math.IsInf(t.Bound, 1) {
		t.Rank = lo
	}
	return t
}
