package portable

import (
	"math"

	"gonum.org/v1/gonum/mathext"
	"gonum.org/v1/gonum/stat/distuv"
)

// lnGamma returns ln Γ(x) for x > 0, to about 15 digits.
// Source: Lanczos, A precision approximation of the gamma function (1964), with
// g = 7 and nine terms.
func lnGamma(x float64) float64 {
	if x < 0.5 { // Γ(x) = Γ(x+1)/x, exact enough without the reflection
		return lnGamma(x+1) - Log(x)
	}
	c := [...]float64{
		0.99999999999980993, 676.5203681218851, -1259.1392167224028, 771.32342877765313,
		-176.61502916214059, 12.507343278686905, -0.13857109526572012, 9.9843695780195716e-6, 1.5056327351493116e-7,
	}
	x--
	sum := c[0]
	for i := 1; i < len(c); i++ {
		sum += c[i] / (x + float64(i))
	}
	t := x + 7.5
	const halfLn2Pi = 0.91893853320467274178
	return float64((x+0.5)*Log(t)) - t + halfLn2Pi + Log(sum)
}

// gammaTails returns P(a, x) and Q(a, x) = 1 − P, the lower and upper tail of the gamma
// distribution of shape a > 0 and scale 1 at x > 0: by the series below a + 1, by the
// continued fraction above.
// Source: Abramowitz, Stegun, Handbook of Mathematical Functions, 6.5.29 and 6.5.31;
// the fraction by Lentz's method.
func gammaTails(a, x float64) (p, q float64) {
	p, q, _ = gammaAt(a, x)
	return p, q
}

// gammaAt returns the tails and the density times x.
func gammaAt(a, x float64) (p, q, head float64) {
	head = Exp(float64(a*Log(x)) - x - lnGamma(a))
	if x < a+1 {
		term := 1 / a
		sum := term
		for n := 1.0; math.Abs(term) > sum*1e-17 && n < 1e6; n++ {
			term = float64(term * (x / (a + n)))
			sum += term
		}
		p = float64(head * sum)
		return p, 1 - p, head
	}
	const tiny = 1e-300
	b := x + 1 - a
	c := 1 / tiny
	d := 1 / b
	h := d
	for n := 1.0; n < 1e6; n++ {
		an := -n * (n - a)
		b += 2
		d = 1 / notZero(float64(an*d)+b)
		c = notZero(b + an/c)
		step := float64(d * c)
		h *= step
		if math.Abs(step-1) < 1e-16 {
			break
		}
	}
	q = float64(head * h)
	return 1 - q, q, head
}

// notZero keeps Lentz's method from dividing by nothing.
func notZero(x float64) float64 {
	if math.Abs(x) < 1e-300 {
		return 1e-300
	}
	return x
}

// GammaQuantile returns the quantile u of the gamma distribution of shape a > 0 and
// scale 1, 0 < u < 1, as first finds it.
//
// Where the quantile is tiny the distribution function is its first terms,
//
//	P(a, x) = x^a / Γ(a+1) · (1 − a·x/(a+1) + …),
//
// which are inverted at once: gonum's inverse does not come near it there.
func GammaQuantile(a, u float64) float64 {
	const tiny = 1e-6
	if a < 1 {
		if x := Exp((Log(u) + lnGamma(a+1)) / a); x < tiny {
			return x * (1 + x/(a+1))
		}
	}
	return first(nearGamma(a, u), func(x float64) bool {
		p, q := gammaTails(a, x)
		if u < 0.5 {
			return p >= u
		}
		return q <= 1-u
	})
}

// nearGamma returns the quantile to some twelve digits: from where Wilson and Hilferty's cube of a normal quantile, or the
// distribution function's first term, has it, by Halley's steps. Where these come to nothing, gonum's slower inverse does.
func nearGamma(a, u float64) float64 {
	if a == 1 && u > 1e-3 { // exponential
		return -Log(1 - u)
	}
	root := 3 * math.Sqrt(a)
	cube := 1 - 1/(9*a) + distuv.UnitNormal.Quantile(u)/root
	x := float64(a * cube * cube * cube)
	if cube < 0.3 || a < 0.5 {
		x = Exp((Log(u) + lnGamma(a+1)) / a)
	}
	for range 16 {
		p, q, head := gammaAt(a, x)
		off := p - u
		if u >= 0.5 {
			off = (1 - u) - q
		}
		step := float64(off * x / head)
		step /= 1 - float64(step*((a-1)/x-1)/2)
		if !(math.Abs(step) < x) { // too far: half of the way to nothing, or twice as far
			step = math.Copysign(x/2, off)
		}
		if x -= step; math.Abs(step) < 1e-4*x { // the next would be some 1e-12 of it
			return x
		}
	}
	return mathext.GammaIncRegInv(a, u)
}
