package stats

// ErlangB returns the probability that a job finds all c agents busy when jobs
// that do not fit are lost, with load a = λ/μ in erlangs:
//
//	B(0) = 1,  B(k) = a·B(k−1) / (k + a·B(k−1))
//
// Source: Kleinrock, Queueing Systems, vol. 1 (1975), in the recursive form.
func ErlangB(c int, a float64) float64 {
	b := 1.0
	for k := 1; k <= c; k++ {
		b = a * b / (float64(k) + float64(a*b))
	}
	return b
}

// ErlangC returns the probability that a job has to wait for an agent:
//
//	C(c, a) = B / (1 − ρ(1−B)),  ρ = a/c,  B = ErlangB(c, a)
//
// with c agents and load a = λ/μ in erlangs. It is 1 for ρ ≥ 1.
// Source: Kleinrock, Queueing Systems, vol. 1 (1975).
func ErlangC(c int, a float64) float64 {
	rho := a / float64(c)
	if !(rho < 1) {
		return 1
	}
	b := ErlangB(c, a)
	return b / (1 - float64(rho*(1-b)))
}

// WaitMMC returns the mean wait, in units of the mean work time, with c agents,
// Poisson arrivals, exponential work and load a < c: C(c, a) / (c − a).
func WaitMMC(c int, a float64) float64 { return ErlangC(c, a) / (float64(c) - a) }

// WaitMG1 returns the mean wait with one agent, Poisson arrivals and load
// rho < 1, in units of the mean work time, for work with squared coefficient of
// variation cv2 (0: fixed, 1: exponential), by Pollaczek and Khinchine:
//
//	W = ρ/(1−ρ) · (1 + cv²)/2
func WaitMG1(rho, cv2 float64) float64 { return rho / (1 - rho) * (1 + cv2) / 2 }
