package stats

import (
	"math"

	"tachyphor/core/portable"

	"gonum.org/v1/gonum/stat"
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
			x, y = append(x, times[i]), append(y, portable.Log(v))
		}
	}
	n := len(x)
	if n < 3 {
		return Trend{}
	}
	a, b := stat.LinearRegression(x, y, nil, false)
	mean, sxx, rest := stat.Mean(x, nil), 0.0, 0.0
	for i := range x {
		sxx += float64((x[i] - mean) * (x[i] - mean))
		e := y[i] - a - float64(b*x[i])
		rest += float64(e * e)
	}
	if !(sxx > 0) {
		return Trend{}
	}
	half := float64(portable.StudentQuantile(n-2) * math.Sqrt(rest/float64(n-2)/sxx))
	return Trend{Growth: portable.Expm1(b), Low: portable.Expm1(b - half), High: portable.Expm1(b + half), Runs: n}
}
