package outcome_test

import (
	"errors"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// A panic in any goroutine of a simulation is the error of that simulation, with what it
// takes to have it again.
func TestDefectEndsItsOwnSimulationOnly(t *testing.T) {
	w, err := worlds.Wild(3)
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats = 4
	for _, workers := range []int{1, 3} {
		_, _, err := outcome.Simulate(w, workers, func(float64) bool { panic("broken on purpose") })
		var d *sim.Defect
		if !errors.As(err, &d) {
			t.Fatalf("%d workers: %v", workers, err)
		}
		if d.Seed != w.Plan.Seed || d.Repeat < 0 || !strings.Contains(d.Stack, "TestDefect") ||
			!strings.Contains(err.Error(), "broken on purpose") {
			t.Errorf("%d workers: %v\n%s", workers, err, d.Stack)
		}
	}
	if err := sim.Each(2, 5, func(int) error { panic("x") }); err == nil {
		t.Error("a panic of what is not a run is no error")
	}
}
