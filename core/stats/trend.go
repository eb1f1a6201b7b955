package stats

import (
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"
)

// A Trend is how fast values grow, as a share in a unit of time.
type Trend struct {
	Growth    float64 // 0.08: 8 % more a unit of time; below 0: less
	Low, High float64 // 95 % interval of it
	Runs      int
}

// Sure reports whether the interval leaves no growth out.
func (t Trend) Sure() bool { return t.Runs > 2 && (t.Low > 0 || t.High < 0) }

// Growth fits ln v = a + b·t by least squares and returns e^b − 1 with its interval by
// Student's t over n − 2. Values that are not above 0 are left out. With fewer than
// three, or all at one time, the zero Trend says nothing.
func Growth(times, values []float64) Trend {
	var x, y []float64
	for i, v := range values {
		if v > 0 {
			x, y = append(x, times[i]), append(y, math.Log(v))
		}
	}
	n := len(x)
	if n < 3 {
		return Trend{}
	}
	a, b := stat.LinearRegression(x, y, nil, false)
	mean, sxx, rest := stat.Mean(x, nil), 0.0, 0.0
	for i := range x {
		sxx += (x[i] - mean) * (x[i] - mean)
		e := y[i] - a - b*x[i]
		rest += e * e
	}
	if !(sxx > 0) {
		return Trend{}
	}
	half := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n - 2)}.Quantile(0.975) * math.Sqrt(rest/float64(n-2)/sxx)
	return Trend{Growth: math.Expm1(b), Low: math.Expm1(b - half), High: math.Expm1(b + half), Runs: n}
}
