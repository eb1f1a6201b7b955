package sim_test

import (
	"flag"
	"fmt"
	"hash/fnv"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

var update = flag.Bool("update", false, "write the golden files anew")

// Whatever the design, the books balance: ribbons end where jobs end, node time
// is used up exactly, no ceiling is broken, no node is overbooked.
func TestPropertiesOfRandomWorlds(t *testing.T) {
	seeds := uint64(30)
	if long {
		seeds = 3000
	}
	finished, cold, queued := 0, 0, 0
	for seed := range seeds {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		if err := trace.Check(); err != nil {
			t.Errorf("seed %d: %v", seed, err)
		}
		ceilings(t, w, trace, seed)
		unmatched := 0
		for j, r := range trace.Records {
			switch {
			case r.Template < 0:
				unmatched++
			case r.Started >= 0 && !r.Warm:
				cold++
			}
			if r.Ended >= 0 {
				finished++
				if r.Started < trace.Jobs.List[j].Submitted || r.Ended < r.Started {
					t.Errorf("seed %d: job %d runs backwards: %+v", seed, j, r)
				}
			}
			for _, s := range trace.Stays(j) {
				if s.Cause == sim.AtCeiling || s.Cause == sim.AtAgents || s.Cause == sim.PoolsFull {
					queued++
				}
			}
		}
		if unmatched != len(trace.Unmatched) {
			t.Errorf("seed %d: %d jobs unmatched, %d listed", seed, unmatched, len(trace.Unmatched))
		}
	}
	if finished < 1000 || cold < 100 || queued < 100 {
		t.Errorf("the worlds try too little: %d jobs, %d cold starts, %d waits at a ceiling", finished, cold, queued)
	}
}

// ceilings holds the lines against the scenario's limits.
func ceilings(t *testing.T, w *world.World, trace *sim.Trace, seed uint64) {
	t.Helper()
	width := int64(trace.Lines.Width)
	most := 0
	for _, tm := range w.Templates {
		if tm.Numbers.Ceiling == nil {
			return
		}
		most += *tm.Numbers.Ceiling
	}
	if w.AgentCeiling >= 0 {
		most = min(most, w.AgentCeiling)
	}
	for b := range trace.Lines.Waiting.Area {
		var agents units.Sum[units.Duration]
		for g := range trace.Lines.Agents {
			agents = agents.Plus(trace.Lines.Agents[g].Area[b])
		}
		if agents.Float() > float64(most)*float64(width) {
			t.Errorf("seed %d: more than %d agents in bin %d", seed, most, b)
		}
		for p := range w.Pools {
			if n := trace.Lines.Nodes[p].Area[b]; n.Float() > float64(w.Pools[p].Max)*float64(width) {
				t.Errorf("seed %d: pool %d above its most in bin %d", seed, p, b)
			}
		}
	}
}

// digest writes a run's every record and node into a hash.
func digest(trace *sim.Trace) string {
	h := fnv.New64a()
	for j, r := range trace.Records {
		fmt.Fprintln(h, r.Started, r.Ended, r.Node, r.Agent, r.Template, r.Warm, trace.Stays(j))
	}
	fmt.Fprintln(h, trace.Nodes, trace.Events, trace.Rounds, trace.Scans, trace.Lines.Waiting.Area)
	return fmt.Sprintf("%016x", h.Sum64())
}

// The same input gives the same run. The digests are pinned: a change is a
// decision to be written down in docs/decisions, and raises outcome.Engine.
func TestPropertiesPinnedRuns(t *testing.T) {
	var got strings.Builder
	for seed := range uint64(8) {
		w, err := worlds.Random(seed)
		if err != nil {
			t.Fatal(err)
		}
		a, err := sim.Run(w, seed, 1, nil)
		if err != nil {
			t.Fatal(err)
		}
		b, err := sim.Run(w, seed, 1, func(units.Duration) bool { return true })
		if err != nil {
			t.Fatal(err)
		}
		if digest(a) != digest(b) {
			t.Errorf("seed %d: two runs differ", seed)
		}
		fmt.Fprintf(&got, "random %d %s\n", seed, digest(a))
	}
	for _, s := range []string{"fixed-six", "on-demand", "weekday-lean"} {
		w, err := worlds.Demo(s)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, w.Plan.Seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		fmt.Fprintf(&got, "%s %s\n", s, digest(trace))
	}
	golden := filepath.Join("testdata", "runs.golden")
	if *update {
		if err := os.WriteFile(golden, []byte(got.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(golden)
	if err != nil || got.String() != string(want) {
		t.Errorf("runs differ from %s (%v):\n%s", golden, err, got.String())
	}
}

// Changing one design number moves no draw: the same jobs work and wipe for the
// same time with more agents.
func TestPropertiesCommonRandomNumbers(t *testing.T) {
	w, err := worlds.Random(3)
	if err != nil {
		t.Fatal(err)
	}
	before, err := sim.Run(w, 9, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	w.AgentCeiling = -1
	more := 1000
	for i := range w.Templates {
		w.Templates[i].Numbers.Spare = 5
		w.Templates[i].Numbers.Ceiling = &more
	}
	after, err := sim.Run(w, 9, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	same := 0
	for j := range before.Records {
		a, b := before.Records[j], after.Records[j]
		if a.Ended < 0 || b.Ended < 0 {
			continue
		}
		if a.Ended-a.Started != b.Ended-b.Started {
			t.Fatalf("job %d works %v, then %v", j, a.Ended-a.Started, b.Ended-b.Started)
		}
		same++
	}
	if same < 100 {
		t.Errorf("only %d jobs compared", same)
	}
}

func TestRunStopsWhenTold(t *testing.T) {
	w, err := worlds.Demo("on-demand")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := sim.Run(w, 1, 0, func(units.Duration) bool { return false }); err != sim.ErrStopped {
		t.Errorf("error %v, want %v", err, sim.ErrStopped)
	}
}
