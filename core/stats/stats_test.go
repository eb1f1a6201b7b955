package stats

import (
	"math"
	"testing"
)

func TestQueueingByHand(t *testing.T) {
	for _, c := range []struct {
		name      string
		got, want float64
	}{
		// B(1) = 1/(1+1) = 1/2; B(2) = ½/(2+½) = 1/5; C = 0.2/(1 − ½·0.8) = 1/3
		{"two agents half loaded wait", ErlangC(2, 1), 1.0 / 3},
		{"two agents half loaded lose", ErlangB(2, 1), 0.2},
		{"one agent waits with its load", ErlangC(1, 0.8), 0.8},
		{"overloaded", ErlangC(3, 3), 1},
		// M/M/1: W = ρ/(1−ρ) = 4 work times
		{"one agent's mean wait", WaitMMC(1, 0.8), 4},
		{"exponential work as a special case", WaitMG1(0.8, 1), 4},
		{"fixed work waits half as long", WaitMG1(0.8, 0), 2},
	} {
		if math.Abs(c.got-c.want) > 1e-12 {
			t.Errorf("%s: %v, want %v", c.name, c.got, c.want)
		}
	}
}

func TestFigure(t *testing.T) {
	// values 1..5: mean 3, s² = 2.5, t(4, 0.975) = 2.776445, half = 2.776445·√(2.5/5)
	f := Of([]float64{1, 2, 3, 4, 5})
	if f.Mean != 3 || math.Abs(f.Half-2.776445105*math.Sqrt(0.5)) > 1e-6 || f.Runs != 5 || !f.Sure() {
		t.Errorf("figure %+v", f)
	}
	if one := Of([]float64{7}); one.Half != 0 || one.Sure() {
		t.Errorf("one repeat claims to be sure: %+v", one)
	}
	if d := Paired([]float64{10, 20, 30}, []float64{11, 21, 31}); d.Mean != 1 || d.Half > 1e-9 {
		t.Errorf("paired %+v: what both share must cancel", d)
	}
}

func TestPercentileIsNearestRank(t *testing.T) {
	v := []int64{15, 20, 35, 40, 50}
	for p, want := range map[float64]int64{0: 15, 5: 15, 30: 20, 40: 20, 50: 35, 100: 50} {
		if got := Percentile(v, p); got != want {
			t.Errorf("p%v = %d, want %d", p, got, want)
		}
	}
	if Percentile[int64](nil, 50) != 0 || Supports(199, 95) || !Supports(200, 95) || Supports(999, 99) {
		t.Error("empty set or support wrong")
	}
}
