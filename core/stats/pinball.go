package stats

import "slices"

// The score of a forecast is proper for quantiles: the pinball loss, averaged over all shares
// from 0 to 1, which is half the continuous ranked probability score. Of a forecast that is a
// sample x, for what was observed as y, it is half of mean |x − y| − ½ mean |x − x'|, where the
// second mean is over pairs of different entries, so that a larger sample is not better for
// being larger (Ferro 2014, "fair"). It has the unit of what is forecast.

// Pinball is the score of a sample as a forecast of y; it need not be sorted, and is sorted afterwards. A sample of one
// counts as sure of itself.
func Pinball(sample []float64, y float64) float64 {
	n := len(sample)
	slices.Sort(sample)
	var off, among float64
	for i, x := range sample {
		if x > y {
			off += x - y
		} else {
			off += y - x
		}
		among += float64(float64(2*i-n+1) * x) // the sum over pairs, once each
	}
	out := off / float64(n)
	if n > 1 {
		out -= among / float64(n*(n-1))
	}
	return out / 2
}
