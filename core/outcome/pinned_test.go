package outcome_test

import (
	"crypto/sha256"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

var update = flag.Bool("update", false, "write the golden files anew")

// Outcomes are pinned to the byte, on every machine: a change is a decision to be
// written down in docs/decisions, and raises Engine where it was released.
func TestPinnedOutcomes(t *testing.T) {
	var got strings.Builder
	pin := func(name string, w *world.World) {
		o, _ := simulate(t, w, 2)
		b, err := json.Marshal(o)
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&got, "%s %x\n", name, sha256.Sum256(b))
	}
	for seed := range uint64(12) {
		if w, err := worlds.Wild(seed); err == nil { // its agents fit on some node
			pin(fmt.Sprint("wild ", seed), w)
		}
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		pin(fmt.Sprint("random ", seed), w)
	}
	for _, s := range []string{"on-demand", "cached", "spot-night"} {
		w, err := worlds.Demo(s)
		if err != nil {
			t.Fatal(err)
		}
		pin(s, w)
	}
	golden := filepath.Join("testdata", "outcomes.golden")
	if *update {
		if err := os.WriteFile(golden, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(golden)
	if err != nil || got.String() != string(want) {
		t.Errorf("outcomes differ from %s (%v):\n%s", golden, err, got.String())
	}
}
