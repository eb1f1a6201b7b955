package chance

import (
	"slices"

	"tachyphor/core/portable"
)

// Form is the shape of a distribution.
type Form uint8

// The forms in which engineers write what they measured.
const (
	Fixed       Form = iota // always A
	LogNormal               // ln X is normal with mean A and standard deviation B
	Exponential             // mean A
	Gamma                   // scale A, shape B; Erlang's where B is whole
	Uniform                 // between A and B
	Empirical               // one of Samples, interpolated between neighbours
)

// A Dist is a distribution over non-negative numbers, in whatever unit its user
// says. The zero Dist is fixed at 0. A Dist is not changed after it was made and
// may be shared.
type Dist struct {
	Form    Form
	A, B    float64
	Samples []float64 // ascending, for Empirical only
}

// z95 is the standard normal's 95th percentile.
const z95 = 1.6448536269514722

// NewFixed is the distribution of something that does not vary.
func NewFixed(v float64) Dist { return Dist{A: v} }

// NewLogNormal has the given median > 0 and 95th percentile ≥ median.
//
//	μ = ln median,  σ = (ln p95 − ln median) / z₀.₉₅
func NewLogNormal(median, p95 float64) Dist {
	return Dist{Form: LogNormal, A: portable.Log(median), B: (portable.Log(p95) - portable.Log(median)) / z95}
}

// NewExponential has the given mean.
func NewExponential(mean float64) Dist { return Dist{Form: Exponential, A: mean} }

// NewGamma has the given mean and shape > 0.
func NewGamma(mean, shape float64) Dist { return Dist{Form: Gamma, A: mean / shape, B: shape} }

// NewUniform lies between lo and hi.
func NewUniform(lo, hi float64) Dist { return Dist{Form: Uniform, A: lo, B: hi} }

// NewEmpirical takes its values from samples, of which there must be one at
// least. The samples are copied.
func NewEmpirical(samples []float64) Dist {
	s := slices.Clone(samples)
	slices.Sort(s)
	return Dist{Form: Empirical, Samples: s}
}

// Quantile returns the value below which a share u of the distribution lies,
// 0 < u < 1. All draws are made by inversion: with the same u a distribution
// that is larger everywhere gives a larger draw, which keeps comparisons paired.
func (d Dist) Quantile(u float64) float64 {
	switch d.Form {
	case LogNormal:
		return portable.Exp(d.A + float64(d.B*portable.NormalQuantile(u)))
	case Exponential:
		return -d.A * portable.Log1p(-u)
	case Gamma:
		return d.A * portable.GammaQuantile(d.B, u)
	case Uniform:
		return d.A + float64(u*(d.B-d.A))
	case Empirical:
		n := len(d.Samples)
		at := float64(u * float64(n-1))
		i := min(int(at), n-1)
		lo := d.Samples[i]
		return lo + float64((at-float64(i))*(d.Samples[min(i+1, n-1)]-lo))
	default:
		return d.A
	}
}

// Draw returns the value that belongs to k.
func (d Dist) Draw(k Key) float64 {
	if d.Form == Fixed {
		return d.A
	}
	return d.Quantile(k.Uniform())
}

// Mean returns the expectation.
func (d Dist) Mean() float64 {
	switch d.Form {
	case LogNormal:
		return portable.Exp(d.A + float64(d.B*d.B/2))
	case Gamma:
		return d.A * d.B
	case Uniform:
		return (d.A + d.B) / 2
	case Empirical:
		// The mean of the interpolated quantile function, by trapezia.
		n, sum := len(d.Samples), 0.0
		if n == 1 {
			return d.Samples[0]
		}
		for i := 1; i < n; i++ {
			sum += float64((d.Samples[i-1] + d.Samples[i]) / 2)
		}
		return sum / float64(n-1)
	default:
		return d.A
	}
}

// Poisson returns how many events happen when mean are expected, by inversion
// of the key's uniform number, so that a higher mean never gives fewer. Means
// above 500 are taken in halves, each with a draw of its own.
func Poisson(mean float64, k Key) int {
	if !(mean > 0) {
		return 0
	}
	if mean > 500 {
		return Poisson(mean/2, k.For(0, 0, 1)) + Poisson(mean/2, k.For(0, 0, 2))
	}
	u, p := k.Uniform(), portable.Exp(-mean)
	n, sum := 0, p
	for u > sum && p > 0 {
		n++
		p *= mean / float64(n)
		sum += float64(p)
	}
	return n
}

// Times returns the distribution of f times what d gives, f > 0.
func (d Dist) Times(f float64) Dist {
	switch d.Form {
	case LogNormal:
		d.A += portable.Log(f)
	case Gamma, Exponential, Fixed:
		d.A *= f
	case Uniform:
		d.A, d.B = d.A*f, d.B*f
	case Empirical:
		s := make([]float64, len(d.Samples))
		for i, x := range d.Samples {
			s[i] = x * f
		}
		d.Samples = s
	}
	return d
}
