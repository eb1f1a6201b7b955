package demand_test

import (
	"testing"

	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// What a job waited for is read as it is written, in any order, with units or without.
func TestPhases(t *testing.T) {
	got, err := demand.ParsePhases("image=12s; node=1m26s,held=0.5")
	if err != nil || *got != (demand.PhaseTimes{0.5, -1, 86, 12, -1, -1}) {
		t.Errorf("%v, %v", got, err)
	}
	text := demand.WritePhases(func(p int) units.Duration { return units.Duration(p) * 1500 * units.Millisecond })
	if got, err := demand.ParsePhases(text); err != nil || *got != (demand.PhaseTimes{0, 1.5, 3, 4.5, 6, 7.5}) {
		t.Errorf("%s: %v, %v", text, got, err)
	}
	for _, bad := range []string{"node", "node=", "nodes=3s", "node=-3s", "node=soon", "node=3s image", "=3s"} {
		if _, err := demand.ParsePhases(bad); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}
