package caching

import (
	"math"

	"tachyphor/core/document"
	"tachyphor/core/portable"
)

// A Quantity is one of the terms that a break-even is looked for in.
type Quantity string

// The quantities.
const (
	OfSize   Quantity = "size"
	OfUp     Quantity = "up"
	OfDown   Quantity = "down"
	OfPack   Quantity = "pack"
	OfChange Quantity = "change"
	OfPerDay Quantity = "per-day"
	OfCold   Quantity = "cold"
)

// Quantities are all of them, in order.
func Quantities() []Quantity {
	return []Quantity{OfSize, OfUp, OfDown, OfPack, OfChange, OfPerDay, OfCold}
}

// field is where the terms hold a quantity; nil for none.
func (q Quantity) field(t *Terms) *float64 {
	switch q {
	case OfSize:
		return &t.Size
	case OfUp:
		return &t.Up
	case OfDown:
		return &t.Down
	case OfPack:
		return &t.Pack
	case OfChange:
		return &t.Change
	case OfPerDay:
		return &t.PerDay
	case OfCold:
		return &t.Cold
	}
	return nil
}

// Label says what a quantity is.
func (q Quantity) Label() string {
	return map[Quantity]string{
		OfSize: "archive size", OfUp: "upload", OfDown: "download", OfPack: "packing",
		OfChange: "builds that change dependencies", OfPerDay: "builds a day", OfCold: "cold work",
	}[q]
}

// Unit names the unit of a quantity: bytes, bytes/s, share, 1/day or s.
func (q Quantity) Unit() string {
	switch q {
	case OfSize:
		return "bytes"
	case OfUp, OfDown, OfPack:
		return "bytes/s"
	case OfChange:
		return "share"
	case OfPerDay:
		return "1/day"
	default:
		return "s"
	}
}

// In returns a quantity of the terms.
func (q Quantity) In(t Terms) float64 { return *q.field(&t) }

// With returns the terms with another value of a quantity.
func (t Terms) With(q Quantity, x float64) Terms {
	*q.field(&t) = x
	return t
}

// reach is how many times larger or smaller than today's a quantity is looked at.
const reach = 32

// Range is where a quantity is looked at: up to 32 times less and more than today,
// or where it is 0 today a range in which it matters.
func (q Quantity) Range(t Terms) (low, high float64) {
	x := q.In(t)
	if x <= 0 {
		x = map[Quantity]float64{OfSize: 1e9, OfUp: 20e6, OfDown: 100e6, OfPack: 60e6, OfChange: 0.05, OfPerDay: 50, OfCold: 60}[q]
	}
	low, high = x/reach, x*reach
	if q == OfChange {
		high = min(high, 1)
	}
	return low, high
}

// Steps are n values of a quantity over its range, evenly by their logarithm.
func (q Quantity) Steps(t Terms, n int) []float64 {
	low, high := q.Range(t)
	out := make([]float64, n)
	for i := range out {
		out[i] = low * portable.Pow(high/low, float64(i)/float64(n-1))
	}
	out[n-1] = high // not a rounding above it
	return out
}

// Pays says after how many builds a plan has paid for itself against none, on
// average: the first finds nothing and saves, each later one gains what a build of the
// long series does. 0: never, or it has no closed form.
func Pays(t Terms, rule document.CacheRule) float64 {
	e, ok := Expect(t, rule)
	if !ok {
		return 0
	}
	gain := t.Cold - e.Carried()
	if gain <= 0 {
		return 0
	}
	if rule.Plan == document.Baked || rule.Plan == document.NoCache {
		return 1
	}
	return 1 + math.Ceil((t.Latency+t.Save())/gain)
}

// BreakEven finds the value of a quantity at which a plan costs a build as much time
// as none, between today's and one end of its range or the other. ok is false where
// there is none, or no closed form.
func BreakEven(t Terms, rule document.CacheRule, q Quantity) (at float64, ok bool) {
	gain := func(x float64) float64 {
		e, ok := Expect(t.With(q, x), rule)
		if !ok {
			return math.NaN()
		}
		return t.With(q, x).Cold - e.Carried()
	}
	low, high := q.Range(t)
	today := q.In(t)
	if today <= 0 {
		today = math.Sqrt(low * high)
	}
	for _, end := range []float64{low, high} {
		a, b := today, end
		fa, fb := gain(a), gain(b)
		if !(fa*fb < 0) {
			continue
		}
		for range 100 {
			m := math.Sqrt(a * b)
			if fm := gain(m); fm*fa > 0 {
				a = m
			} else {
				b = m
			}
		}
		return math.Sqrt(a * b), true
	}
	return 0, false
}
