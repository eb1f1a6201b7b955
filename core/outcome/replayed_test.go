package outcome_test

import (
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// replayed runs recorded jobs once.
func replayed(t *testing.T, text, jobs string) (*world.World, *sim.Trace) {
	t.Helper()
	w, err := worlds.Parse(text, jobs)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	return w, trace
}
