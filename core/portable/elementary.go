// Package portable holds mathematics that gives the same bits on every machine.
//
// Package math does not: some machines have its functions in their own instructions,
// and compilers may fuse a product and a sum into one operation that rounds once, not
// twice. Here every product that is added to something is converted to float64, which
// the language says rounds it; sums, products, quotients and square roots by themselves
// are exact to the last bit everywhere (IEEE 754).
package portable

import "math"

const (
	ln2Hi = 6.93147180369123816490e-01 // its last 21 bits are 0
	ln2Lo = 1.90821492927058770002e-10
	log2e = 1.44269504088896338700e+00
)

// Exp returns e^x, with an error below one unit in the last place.
// Source: FreeBSD, msun, e_exp.c.
func Exp(x float64) float64 {
	switch {
	case math.IsNaN(x) || math.IsInf(x, 1):
		return x
	case x > 7.09782712893383973096e+02:
		return math.Inf(1)
	case x < -7.45133219101941108420e+02:
		return 0
	}
	k := math.Floor(float64(log2e*x) + 0.5)
	hi, lo := x-float64(k*ln2Hi), float64(k*ln2Lo)
	r := hi - lo
	t := float64(r * r)
	c := r - float64(t*(1.66666666666666657415e-01+
		float64(t*(-2.77777777770155933842e-03+float64(t*
			(6.61375632143793436117e-05+float64(t*(-1.65339022054652515390e-06+float64(t*4.13813679705723846039e-08)))))))))
	y := 1 - ((lo - float64(r*c)/(2-c)) - hi)
	return math.Ldexp(y, int(k))
}

// Log returns the natural logarithm of x, with an error below one unit in the last
// place: −Inf for 0, NaN below.
// Source: FreeBSD, msun, e_log.c.
func Log(x float64) float64 {
	switch {
	case math.IsNaN(x) || math.IsInf(x, 1):
		return x
	case x < 0:
		return math.NaN()
	case x == 0:
		return math.Inf(-1)
	}
	f, n := math.Frexp(x)
	if f < math.Sqrt2/2 {
		f *= 2
		n--
	}
	f--
	k := float64(n)
	s := f / (2 + f)
	s2 := float64(s * s)
	s4 := float64(s2 * s2)
	odd := float64(s2 * (6.666666666666735130e-01 +
		float64(s4*(2.857142874366239149e-01+float64(s4*(1.818357216161805012e-01+float64(s4*1.479819860511658591e-01)))))))
	even := float64(s4 * (3.999999999940941908e-01 + float64(s4*(2.222219843214978396e-01+float64(s4*1.531383769920937332e-01)))))
	half := float64(0.5 * f * f)
	return float64(k*ln2Hi) - ((half - (float64(s*(half+(odd+even))) + float64(k*ln2Lo))) - f)
}

// Log1p returns ln(1+x), exact also where x is small.
// Source: Goldberg, What Every Computer Scientist Should Know About Floating-Point
// Arithmetic (1991), theorem 4, as a correction.
func Log1p(x float64) float64 {
	w := 1 + x
	if w == 1 {
		return x
	}
	return Log(w) + (x-(w-1))/w
}

// Expm1 returns e^x − 1, exact to about 14 digits also where x is small.
func Expm1(x float64) float64 {
	if math.Abs(x) > 0.1 {
		return Exp(x) - 1
	}
	term, sum := x, x
	for n := 2.0; math.Abs(term) > math.Abs(sum)*1e-17 && n < 40; n++ {
		term = float64(term * (x / n))
		sum += term
	}
	return sum
}

// Pow returns x^y for x > 0, exact to about 14 digits.
func Pow(x, y float64) float64 { return Exp(y * Log(x)) }

// NormalQuantile returns the quantile u of the standard normal distribution, 0 < u < 1,
// with a relative error of about 1e-16.
// Source: Wichura, The percentage points of the normal distribution (1988), AS 241,
// PPND16.
func NormalQuantile(u float64) float64 {
	q := u - 0.5
	if math.Abs(q) <= 0.425 {
		r := 0.180625 - float64(q*q)
		return q * (3.3871328727963666080 + float64(r*
			(1.3314166789178437745e2+float64(r*(1.9715909503065514427e3+
				float64(r*(1.3731693765509461125e4+float64(r*
					(4.5921953931549871457e4+float64(r*(6.7265770927008700853e4+
						float64(r*(3.3430575583588128105e4+float64(r*2.5090809287301226727e3)))))))))))))) /
			(1 + float64(r*(4.2313330701600911252e1+float64(r*
				(6.8718700749205790830e2+float64(r*(5.3941960214247511077e3+
					float64(r*(2.1213794301586595867e4+float64(r*
						(3.9307895800092710610e4+float64(r*(2.8729085735721942674e4+float64(r*5.2264952788528545610e3))))))))))))))
	}
	r := u
	if q > 0 {
		r = 1 - u
	}
	r = math.Sqrt(-Log(r))
	var z float64
	if r <= 5 {
		r -= 1.6
		z = (1.42343711074968357734 + float64(r*(4.63033784615654529590+
			float64(r*(5.76949722146069140550+float64(r*
				(3.64784832476320460504+float64(r*(1.27045825245236838258+
					float64(r*(2.41780725177450611770e-1+float64(r*(2.27238449892691845833e-2+float64(r*7.74545014278341407640e-4)))))))))))))) /
			(1 + float64(r*(2.05319162663775882187+float64(r*
				(1.67638483018380384940+float64(r*(6.89767334985100004550e-1+
					float64(r*(1.48103976427480074590e-1+float64(r*
						(1.51986665636164571966e-2+float64(r*(5.47593808499534494600e-4+float64(r*1.05075007164441684324e-9))))))))))))))
	} else {
		r -= 5
		z = (6.65790464350110377720 + float64(r*(5.46378491116411436990+
			float64(r*(1.78482653991729133580+float64(r*
				(2.96560571828504891230e-1+float64(r*(2.65321895265761230930e-2+
					float64(r*(1.24266094738807843860e-3+float64(r*(2.71155556874348757815e-5+float64(r*2.01033439929228813265e-7)))))))))))))) /
			(1 + float64(r*(5.99832206555887937690e-1+
				float64(r*(1.36929880922735805310e-1+float64(r*
					(1.48753612908506148525e-2+float64(r*(7.86869131145613259100e-4+
						float64(r*(1.84631831751005468180e-5+float64(r*(1.42151175831644588870e-7+float64(r*2.04426310338993978564e-15))))))))))))))
	}
	if q < 0 {
		return -z
	}
	return z
}
