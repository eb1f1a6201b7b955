package portable

import (
	"math"
	"sync/atomic"

	"gonum.org/v1/gonum/stat/distuv"
)

// StudentQuantile returns the 97.5th percentile of Student's t distribution with n > 0
// degrees of freedom, to about eleven digits.
func StudentQuantile(n int) float64 {
	if n < 1 || n >= len(quantiles) {
		return StudentBeyond(n, 0.05)
	}
	if bits := quantiles[n].Load(); bits != 0 {
		return math.Float64frombits(bits)
	}
	t := StudentBeyond(n, 0.05)
	quantiles[n].Store(math.Float64bits(t))
	return t
}

// quantiles are those that were asked for before, as every figure has one; 0: not yet.
var quantiles [1025]atomic.Uint64

// StudentBeyond returns the t beyond ±which Student's t with n > 0 degrees of freedom lies with
// a chance, 1e-12 at least and below 1.
func StudentBeyond(n int, chance float64) float64 {
	guess := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n)}.Quantile(1 - float64(chance/2))
	return first(guess, func(t float64) bool { return studentTails(n, t) <= chance })
}

// studentTails returns the probability that Student's t lies beyond ±t:
//
//	I(x; n/2, 1/2),  x = n / (n + t²)
//
// with the regularised incomplete beta function by its continued fraction.
// Source: Abramowitz, Stegun, Handbook of Mathematical Functions, 26.7.1 and 26.5.8.
func studentTails(n int, t float64) float64 {
	a, b := float64(float64(n)/2), 0.5
	tt := float64(t * t)
	x, rest := float64(n)/(float64(n)+tt), tt/(float64(n)+tt)
	head := Exp(lnGamma(a+b) - lnGamma(a) - lnGamma(b) + float64(a*Log(x)) + float64(b*Log(rest)))
	if x < (a+1)/(a+b+2) {
		return head * betaFraction(a, b, x) / a
	}
	tails := float64(head * betaFraction(b, a, rest))
	return 1 - float64(2*tails) // divided by b
}

// betaFraction is the continued fraction of the incomplete beta function, by Lentz's
// method.
func betaFraction(a, b, x float64) float64 {
	c, d := 1.0, 1/notZero(1-float64((a+b)*x)/(a+1))
	h := d
	for m := 1.0; m < 1e5; m++ {
		m2 := 2 * m
		for _, k := range [...]float64{
			float64(m*(b-m)) * x / float64((a+m2-1)*(a+m2)),
			-float64((a+m)*(a+b+m)) * x / float64((a+m2)*(a+m2+1)),
		} {
			d = 1 / notZero(1+float64(k*d))
			c = notZero(1 + k/c)
			h = float64(h * float64(d*c))
		}
		if math.Abs(float64(d*c)-1) < 1e-16 {
			break
		}
	}
	return h
}
