package chance_test

import (
	"math"
	"testing"

	"tachyphor/core/chance"
)

// Percentiles of sums are those that theory gives, and never the sum of percentiles.
func TestSumQuantiles(t *testing.T) {
	e := chance.NewExponential(10)
	u := chance.NewUniform(0, 1)
	for _, c := range []struct {
		name  string
		dists []chance.Dist
		at    float64
		want  float64
	}{
		{"nothing", nil, 0.95, 0},
		{"fixed", []chance.Dist{chance.NewFixed(20), chance.NewFixed(5)}, 0.95, 25},
		{"one and a fixed one", []chance.Dist{e, chance.NewFixed(3)}, 0.95, 3 + 10*math.Log(20)},
		{"two exponentials, Erlang", []chance.Dist{e, e}, 0.95, 10 * 4.743865},
		{"two exponentials in the middle", []chance.Dist{e, e}, 0.5, 10 * 1.678347},
		{"three exponentials", []chance.Dist{e, e, e}, 0.95, 10 * 6.295794},
		{"two uniforms, a triangle", []chance.Dist{u, u}, 0.95, 2 - math.Sqrt(0.1)},
	} {
		got := chance.SumQuantiles(c.dists, c.at)[0]
		if math.Abs(got-c.want) > 0.01*c.want {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
	l := chance.NewLogNormal(20, 37)
	both := chance.SumQuantiles([]chance.Dist{l, l}, 0.5, 0.95)
	if both[1] >= 2*l.Quantile(0.95)-5 || both[0] <= 2*l.Quantile(0.5) {
		t.Errorf("%v", both)
	}
}
