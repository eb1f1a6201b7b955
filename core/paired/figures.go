package paired

import "tachyphor/core/stats"

// Readings are what was read of one world: with its own jobs, and of weeks like the
// recorded one, which are none where jobs are made.
type Readings[R any] struct {
	Own, Alike []R
}

// A Number is one number of a reading.
type Number[R any] func(*R) float64

// Minus is a number less another of the same reading.
func (n Number[R]) Minus(other Number[R]) Number[R] {
	return func(r *R) float64 { return n(r) - other(r) }
}

// Values are one number of every reading.
func Values[R any](list []R, of Number[R]) []float64 {
	out := make([]float64, len(list))
	for i := range list {
		out[i] = of(&list[i])
	}
	return out
}

// Weeks are a number in weeks like the recorded one; days are drawn from so many of them.
func (x Readings[R]) Weeks(of Number[R], from int) stats.Weeks {
	return stats.WeeksOf(Values(x.Alike, of), Values(x.Own, of), from)
}

// Figure is a number over repeats, with its interval, and that for weeks like the recorded
// one; from is as in world.AlikeWeeks.
func (x Readings[R]) Figure(of Number[R], from int) stats.Figure {
	return stats.OfAmounts(Values(x.Own, of)).AmongAmounts(x.Weeks(of, from))
}

// Less is a number less that of a base, repeat by repeat.
func (x Readings[R]) Less(base Readings[R], of Number[R], from int) stats.Figure {
	return stats.Paired(Values(base.Own, of), Values(x.Own, of)).Among(x.Weeks(of, from).Less(base.Weeks(of, from)))
}
