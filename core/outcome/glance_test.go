package outcome_test

import (
	"errors"
	"reflect"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// A glance is the first repeat of the simulation, by every figure of it; one that takes too long is stopped.
func TestGlanceIsTheFirstRepeat(t *testing.T) {
	for seed := range uint64(4) {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		w.Plan.Repeats = 3
		whole, _, err := outcome.Simulate(w, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		w.Plan.Repeats = 1
		o, err := outcome.Glance(w, nil)
		if err != nil {
			t.Fatal(err)
		}
		got, want := o.Samples[0], whole.Samples[0]
		if got.Groups[0].Delay != want.Groups[0].Delay || got.Groups[0].Jobs != want.Groups[0].Jobs ||
			!reflect.DeepEqual(got.Groups[0].Results, want.Groups[0].Results) {
			t.Errorf("seed %d: a glance gives %+v, the first repeat %+v", seed, got.Groups[0].Delay, want.Groups[0].Delay)
		}
		if f := o.Cost.PerMonth; f.Half != 0 {
			t.Errorf("seed %d: one run tells an interval: %+v", seed, f)
		}
		if _, err := outcome.Glance(w, func(float64) bool { return false }); !errors.Is(err, sim.ErrStopped) {
			t.Errorf("stopped: %v", err)
		}
	}
}
