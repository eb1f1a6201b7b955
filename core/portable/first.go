package portable

import "math"

// grain is the distance of the points that first looks at, as a part of the power of
// two that the guess lies below.
const grain = 1.0 / (1 << 36)

// first returns the first point x > 0 of a grid at which something has been reached that
// stays reached from there on, such as a share of a distribution. Where the search
// begins does not matter to what it finds: the guess may come from a library whose last
// digits differ between machines.
func first(guess float64, reached func(x float64) bool) float64 {
	if !(guess > 0) || math.IsInf(guess, 0) {
		return guess
	}
	_, e := math.Frexp(guess)
	width := math.Ldexp(grain, e)
	k := math.Ceil(guess / width)
	lo, hi := k, k // in the end lo has not reached it, and hi has
	if reached(k * width) {
		for step := 1.0; lo > 0 && reached(lo*width); step *= 2 {
			lo, hi = max(0, lo-step), lo
		}
	} else {
		for step := 1.0; !reached(hi * width); step *= 2 {
			lo, hi = hi, hi+step
		}
	}
	for hi-lo > 1 {
		if mid := math.Floor((lo + hi) / 2); reached(mid * width) {
			hi = mid
		} else {
			lo = mid
		}
	}
	return hi * width
}
