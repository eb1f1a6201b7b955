//go:build linux

package nodes

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// modelled is how long the engine says that jobs j0, j1 … spend on some causes.
func modelled(t *testing.T, cluster, classes, agents, templates, csv string, jobs int, causes ...sim.Cause) []time.Duration {
	t.Helper()
	w, err := worlds.Parse(worlds.Replayed(cluster, classes, "  templates:\n"+agents+"  run: {span: 6h, warmup: 0s, repeats: 1}\n", templates), csv)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	out := make([]time.Duration, jobs)
	for i := range out {
		j, ok := trace.Jobs.Find(fmt.Sprint("j", i))
		if !ok || trace.Records[j].Result != sim.Succeeded {
			t.Fatalf("job %d: %v", i, trace.Records[j].Result)
		}
		trace.EachStay(j, func(s sim.Stay) {
			if slices.Contains(causes, s.Cause) {
				out[i] += time.Duration(s.To - s.From)
			}
		})
	}
	return out
}
