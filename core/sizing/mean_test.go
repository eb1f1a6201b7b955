package sizing

import (
	"math"
	"testing"

	"tachyphor/core/units"
)

// A mean run counts by age: after a half-life half as much, from the newest on, whatever
// the clock says.
func TestMeanWall(t *testing.T) {
	run := func(day, minutes float64) Run {
		return Run{Began: 1.7e9 + 86400*day, Wall: units.Duration(minutes * float64(units.Minute))}
	}
	for _, c := range []struct {
		runs []Run
		half units.Duration
		want float64 // minutes
	}{
		{nil, units.Day, 0},
		{[]Run{run(0, 10)}, units.Day, 10},
		{[]Run{run(0, 10), run(7, 40)}, 0, 25},
		{[]Run{run(0, 10), run(7, 40)}, 7 * units.Day, (10*0.5 + 40) / 1.5},
		{[]Run{run(14, 12), run(0, 60), run(7, 30)}, 7 * units.Day, (12 + 30*0.5 + 60*0.25) / 1.75},
		{[]Run{run(0, 10), run(9000, 40)}, units.Day, 40},
	} {
		if got := float64(MeanWall(c.runs, c.half)) / float64(units.Minute); math.Abs(got-c.want) > 1e-6 {
			t.Errorf("%d runs, %s: %v, want %v", len(c.runs), c.half, got, c.want)
		}
	}
}
