package chance

import "slices"

// sumSamples is over how many combinations a sum is spread: far percentiles of sums are
// within about a hundredth.
const sumSamples = 1 << 14

// SumQuantiles returns the values below which shares of the sum of independent
// distributions lie, each 0 < u < 1. The sum of one is exact. Of several it is estimated
// from the middles of equal parts of each, put together at random (Latin hypercube
// sampling: McKay, Beckman and Conover 1979), the same at every call.
func SumQuantiles(dists []Dist, us ...float64) []float64 {
	fixed := 0.0
	var vary []Dist
	for _, d := range dists {
		if d.Form == Fixed {
			fixed += d.A
		} else {
			vary = append(vary, d)
		}
	}
	out := make([]float64, len(us))
	if len(vary) < 2 {
		for i, u := range us {
			out[i] = fixed
			if len(vary) == 1 {
				out[i] += vary[0].Quantile(u)
			}
		}
		return out
	}
	sums := make([]float64, sumSamples)
	order := make([]int, sumSamples)
	for n, d := range vary {
		for i := range order {
			order[i] = i
		}
		k := Root(0, n)
		for i := sumSamples - 1; i > 0; i-- {
			j := int(k.For(0, 0, uint64(i)).Uniform() * float64(i+1))
			order[i], order[j] = order[j], order[i]
		}
		for i, at := range order {
			sums[i] += d.Quantile((float64(at) + 0.5) / sumSamples)
		}
	}
	slices.Sort(sums)
	spread := NewEmpirical(sums)
	for i, u := range us {
		out[i] = fixed + spread.Quantile(u)
	}
	return out
}
