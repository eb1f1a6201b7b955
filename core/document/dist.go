package document

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// Times is a distribution of durations as engineers measure them; a bare
// duration is fixed. The zero Times takes no time at all.
type Times = Drawn[units.Duration]

// Sizes is a distribution of sizes; a bare size is fixed. The zero Sizes is
// nothing.
type Sizes = Drawn[units.Bytes]

// A Drawn is a distribution of some quantity, written in one of its forms.
type Drawn[Q ~int64] struct {
	Fixed   *Q       `json:"fixed,omitempty" doc:"Always this much."`
	Median  *Q       `json:"median,omitempty" doc:"Log-normal, with p95: half are more."`
	P95     *Q       `json:"p95,omitempty" doc:"Log-normal, with median: one in twenty is more."`
	Mean    *Q       `json:"mean,omitempty" doc:"Exponential, or gamma with shape."`
	Shape   *float64 `json:"shape,omitempty" doc:"Gamma's shape, with mean: 1 is exponential, larger is steadier."`
	Min     *Q       `json:"min,omitempty" doc:"Uniform, with max."`
	Max     *Q       `json:"max,omitempty" doc:"Uniform, with min."`
	Samples []Q      `json:"samples,omitempty" doc:"Measured values; drawn from between neighbours."`
}

// Scalar names the field that a bare value stands for.
func (Drawn[Q]) Scalar() string { return "fixed" }

// IsZero reports whether nothing was said.
func (t Drawn[Q]) IsZero() bool {
	return t.Fixed == nil && t.Median == nil && t.P95 == nil && t.Mean == nil && t.Shape == nil &&
		t.Min == nil && t.Max == nil && len(t.Samples) == 0
}

// Scaled is the distribution with all its values so many times as large.
func (t Drawn[Q]) Scaled(by float64) Drawn[Q] {
	one := func(q *Q) *Q {
		if q == nil {
			return nil
		}
		x := Q(float64(*q) * by)
		return &x
	}
	out := t
	out.Fixed, out.Median, out.P95, out.Mean, out.Min, out.Max = one(t.Fixed), one(t.Median), one(t.P95), one(t.Mean), one(t.Min), one(t.Max)
	out.Samples = nil
	for _, s := range t.Samples {
		out.Samples = append(out.Samples, Q(float64(s)*by))
	}
	return out
}

// Dist returns the distribution in the base unit. It must have been
// checked.
func (t Drawn[Q]) Dist() chance.Dist {
	switch {
	case t.Median != nil:
		return chance.NewLogNormal(float64(*t.Median), float64(*t.P95))
	case t.Shape != nil:
		return chance.NewGamma(float64(*t.Mean), *t.Shape)
	case t.Mean != nil:
		return chance.NewExponential(float64(*t.Mean))
	case t.Min != nil:
		return chance.NewUniform(float64(*t.Min), float64(*t.Max))
	case len(t.Samples) > 0:
		s := make([]float64, len(t.Samples))
		for i, d := range t.Samples {
			s[i] = float64(d)
		}
		return chance.NewEmpirical(s)
	case t.Fixed != nil:
		return chance.NewFixed(float64(*t.Fixed))
	default:
		return chance.NewFixed(0)
	}
}
