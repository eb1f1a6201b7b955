package stats

import (
	"math"
	"slices"
)

// An Observed value is one that was seen, or only known to be at least so large.
type Observed struct {
	Value   float64
	AtLeast bool
}

// KaplanMeier estimates the p-th percentile, 0 < p < 100, of values of which some are
// only known to be at least so large:
//
//	S(x) = ∏ over seen values v ≤ x of (1 − dᵥ/nᵥ)
//
// with dᵥ the values seen at v and nᵥ those that are v or more. It is the least x with
// S(x) ≤ 1 − p/100, and +Inf where S never comes down to it: then all that can be said
// is that the percentile is at least the largest value. At the same value, what was
// seen counts before what is at least that large. Without values it is +Inf.
// Source: Kaplan and Meier, Nonparametric estimation from incomplete observations
// (1958).
func KaplanMeier(values []Observed, p float64) float64 {
	sorted := slices.Clone(values)
	slices.SortFunc(sorted, func(a, b Observed) int {
		switch {
		case a.Value < b.Value:
			return -1
		case a.Value > b.Value:
			return 1
		case a.AtLeast == b.AtLeast:
			return 0
		case b.AtLeast:
			return -1
		}
		return 1
	})
	stays, risk := 1.0, len(sorted)
	for i := 0; i < len(sorted); {
		j, seen := i, 0
		for ; j < len(sorted) && sorted[j].Value == sorted[i].Value; j++ {
			if !sorted[j].AtLeast {
				seen++
			}
		}
		if seen > 0 {
			stays *= 1 - float64(seen)/float64(risk)
			if stays <= 1-p/100+1e-12 {
				return sorted[i].Value
			}
		}
		risk -= j - i
		i = j
	}
	return math.Inf(1)
}
