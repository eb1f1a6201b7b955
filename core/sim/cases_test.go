package sim_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// A hand-made case: everything takes a fixed time, so that each moment can be
// reckoned by hand. Nodes hold two agents, boot in 60 s; the image takes 10 s,
// start 2 s, join 3 s, wipe 5 s; rounds are every 10 s, scans too.
const caseDocs = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 0.36/h}]
  pools: [{name: p, nodeType: n, min: MIN, max: MAX, boot: {fixed: 60s}}]
  images: [{name: i, size: 1GB}]
  links: {registry: {perFlow: 100MB/s}}
  agents: {start: {fixed: 2s}, join: {fixed: 3s}, wipe: {fixed: 5s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [x], work: {fixed: 100s}}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {AGENTS}}]
  nodes: {growth: {scan: 10s, shrinkAfter: 2m}}
  run: {span: 2h, repeats: 1}
`

// try runs a case with jobs submitted at the given seconds.
func try(t *testing.T, agents string, fewest, most int, at ...string) *sim.Trace {
	t.Helper()
	if !strings.Contains(agents, "every") {
		agents += ", every: 10s"
	}
	text := strings.NewReplacer("AGENTS", agents, "MIN", fmt.Sprint(fewest), "MAX", fmt.Sprint(most)).Replace(caseDocs)
	csv := "id,submitted,class\n"
	for i, s := range at {
		csv += fmt.Sprintf("j%d,%s,k\n", i, s)
	}
	w, err := worlds.Parse(text+worlds.Template("t", "x", "2", "2Gi", "i"), csv)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := trace.Check(); err != nil {
		t.Fatal(err)
	}
	return trace
}

// story writes a job's stays in seconds: "round 5, boot 60, ...".
func story(trace *sim.Trace, j int) string {
	var parts []string
	for _, s := range trace.Stays(j) {
		parts = append(parts, fmt.Sprintf("%v %v", s.Cause, (s.To-s.From).Seconds()))
	}
	return strings.Join(parts, ", ")
}

func TestCasesByHand(t *testing.T) {
	for _, c := range []struct {
		name         string
		agents       string
		fewest, most int
		at           []string
		want         []string
	}{
		// Submitted at 5, round at 10, node there, image 10 s, start 2, join 3.
		{"cold on a standing node", "reuse: never", 1, 1, []string{"5"}, []string{"round 5, pull 10, start 2, join 3, work 100, wipe 5"}},
		// The round and the scan are both at 10.
		{"cold on a new node", "reuse: never", 0, 1, []string{"5"}, []string{"round 5, boot 60, pull 10, start 2, join 3, work 100, wipe 5"}},
		// Both share the pull; a third waits for room until an agent goes at 10+15+105=130.
		{
			"third finds no room", "reuse: never", 1, 1,
			[]string{"5", "5", "5"},
			[]string{
				"round 5, pull 10, start 2, join 3, work 100, wipe 5", "round 5, pull-joined 10, start 2, join 3, work 100, wipe 5",
				"round 5, pools-full 120, start 2, join 3, work 100, wipe 5",
			},
		},
		// Ceiling 1, reuse: the second takes the first's agent in the round at 130.
		{
			"ceiling and reuse", "ceiling: 1", 1, 1,
			[]string{"5", "6"},
			[]string{"round 5, pull 10, start 2, join 3, work 100, wipe 5", "round 4, ceiling 120, work 100, wipe 5"},
		},
		// Step 1: the second agent starts a round later.
		{
			"step", "reuse: never, step: 1", 1, 1,
			[]string{"5", "5"},
			[]string{"round 5, pull 10, start 2, join 3, work 100, wipe 5", "round 5, step 10, start 2, join 3, work 100, wipe 5"},
		},
		// Floor 1 is up from 15 on; the job at 55 is taken in the round at 60.
		{"floor is warm", "floor: 1", 1, 1, []string{"55"}, []string{"round 5, work 100, wipe 5"}},
		// Spare 1: the first takes the idle one at 60, another is made at 60 (no pull: the
		// node kept the image) and idle at 65; it takes the second in the round at 70.
		{"spare is made again", "spare: 1", 1, 1, []string{"55", "62"}, []string{"round 5, work 100, wipe 5", "round 8, work 100, wipe 5"}},
		// Rounds at once: no waiting for rounds at all.
		{"told at once", "every: 0s, floor: 1", 1, 1, []string{"55"}, []string{"work 100, wipe 5"}},
		// The agent of the first job ended at 130 and lingers 60 s: gone in the round at
		// 190, so the job at 200 starts cold; the image is still there.
		{
			"linger", "linger: 60s", 1, 1,
			[]string{"5", "195"},
			[]string{"round 5, pull 10, start 2, join 3, work 100, wipe 5", "round 5, start 2, join 3, work 100, wipe 5"},
		},
		{
			"lingers still", "linger: 80s", 1, 1,
			[]string{"5", "195"},
			[]string{"round 5, pull 10, start 2, join 3, work 100, wipe 5", "round 5, work 100, wipe 5"},
		},
	} {
		t.Run(c.name, func(t *testing.T) {
			trace := try(t, c.agents, c.fewest, c.most, c.at...)
			for j, want := range c.want {
				if got := story(trace, j); got != want {
					t.Errorf("job %d: %s; want %s", j, got, want)
				}
			}
		})
	}
}

// A node asked for at 10 is ready at 70, its agent ends at 70+15+105 = 190, and
// 120 s later, at 310, it goes: 300 s in all. 0.36 an hour is 0.0001 a second.
func TestNodeGoesWhenEmpty(t *testing.T) {
	trace := try(t, "reuse: never", 0, 3, "5")
	if len(trace.Nodes) != 1 {
		t.Fatalf("%d nodes", len(trace.Nodes))
	}
	n := trace.Nodes[0]
	if n.Asked != 10*units.Second || n.Ready != 70*units.Second || n.Gone != 310*units.Second {
		t.Errorf("node asked %v, ready %v, gone %v", n.Asked, n.Ready, n.Gone)
	}
	if bill := trace.World.Pools[0].Price.For(n.Billed); bill != 30_000_000 {
		t.Errorf("bill %d, want 0.03", bill)
	}
	// Half the node for 120 s of start to wipe: 15 s starting, 105 s working.
	half := int64(1024 * 1e6 * (2.0/4 + 2.0/16) / 2)
	if got := n.Spent; got[sim.UseStart] != half*15 || got[sim.UseWork] != half*105 {
		t.Errorf("spent %v", got)
	}
}

// Of two nodes the one that is empty first goes; the pool's fewest, one, stays
// though it stands empty to the end.
func TestPoolKeepsItsFewest(t *testing.T) {
	trace := try(t, "reuse: never", 1, 3, "5", "5", "5")
	stayed := 0
	for _, n := range trace.Nodes {
		if n.Gone == 2*units.Hour {
			stayed++
		}
	}
	if len(trace.Nodes) != 2 || stayed != 1 {
		t.Errorf("%d of %d nodes stayed: %+v", stayed, len(trace.Nodes), trace.Nodes)
	}
}

// A pod that comes at 10 with 25 s of patience is looked at in the scan at 40,
// not before and not later.
func TestPatience(t *testing.T) {
	docs := strings.Replace(caseDocs, "scan: 10s", "scan: 10s, patience: 25s", 1)
	docs = strings.NewReplacer("AGENTS", "reuse: never, every: 10s", "MIN", "0", "MAX", "2").Replace(docs)
	// A second pod, at 30, does not put the first one off; it finds the node booting.
	w, err := worlds.Parse(docs+worlds.Template("t", "x", "2", "2Gi", "i"), "id,submitted,class\na,5,k\nb,25,k\n")
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	for j, want := range []string{
		"round 5, scan 30, boot 60, pull 10, start 2, join 3, work 100, wipe 5",
		"round 5, scan 30, boot 40, pull-joined 10, start 2, join 3, work 100, wipe 5",
	} {
		if got := story(trace, j); got != want {
			t.Errorf("job %d: %s; want %s", j, got, want)
		}
	}
	if len(trace.Nodes) != 1 {
		t.Errorf("%d nodes for two pods that fit on one", len(trace.Nodes))
	}
}

// Why a pod fitted nowhere is told as the scheduler does.
func TestVerdict(t *testing.T) {
	trace := try(t, "reuse: never", 1, 1, "5", "5", "5")
	for _, s := range trace.Stays(2) {
		if s.Cause == sim.PoolsFull {
			if got := trace.Verdicts[s.By].Words(nil); got != "0/1 nodes are available: 1 Insufficient cpu." {
				t.Errorf("verdict %q", got)
			}
			return
		}
	}
	t.Error("no stay without room")
}

// pools is a case with two kinds of nodes for agents of 2 CPU and 2 GiB: small
// ones take one for 0.10 an hour, large ones four for 0.32.
func pools(t *testing.T, choose string, jobs int) *sim.Trace {
	t.Helper()
	docs := strings.NewReplacer(
		"nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 0.36/h}]",
		"nodeTypes: [{name: small, cpu: 3, memory: 4Gi, price: 0.10/h}, {name: large, cpu: 8, memory: 64Gi, price: 0.32/h}]",
		"pools: [{name: p, nodeType: n, min: MIN, max: MAX, boot: {fixed: 60s}}]",
		"pools: [{name: s, nodeType: small, max: 2, boot: {fixed: 60s}}, {name: l, nodeType: large, max: 5, boot: {fixed: 60s}}]",
		"scan: 10s", "scan: 10s, choose: "+choose, "AGENTS", "reuse: never, every: 10s").Replace(caseDocs)
	csv := "submitted,class\n" + strings.Repeat("5,k\n", jobs)
	w, err := worlds.Parse(docs+worlds.Template("t", "x", "2", "2Gi", "i"), csv)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	return trace
}

func TestChoosingAPool(t *testing.T) {
	for _, c := range []struct {
		choose string
		jobs   int
		want   string
		why    string
	}{
		{"cheapest", 1, "s", "0.10 for one against 0.32 for one"},
		{"cheapest", 4, "l", "0.32 for four is 0.08 each"},
		{"cheapest", 5, "ls", "four on a large one, the fifth on a small one"},
		{"cheapest", 7, "ll", "0.64 for two large ones; with small ones it takes two large ones as well"},
		{"cheapest", 6, "lss", "0.52 for one large one and the two small ones, and not 0.64"},
		{"listed", 4, "ssl", "the small ones come first as long as they may grow"},
		{"tightest", 4, "ssl", "a small one is left with 1/3 CPU and 1/2 memory, a large one with 0 and 7/8"},
	} {
		trace := pools(t, c.choose, c.jobs)
		got := ""
		for _, n := range trace.Nodes {
			got += trace.World.Pools[n.Pool].Name
		}
		if got != c.want {
			t.Errorf("%s for %d jobs: nodes %q, want %q: %s", c.choose, c.jobs, got, c.want, c.why)
		}
	}
}

// Spread gives each of two agents a node of its own, pack puts both on one, as
// long as no node holds the image already, which counts for more.
func TestSpreadAndPack(t *testing.T) {
	for placement, want := range map[string]bool{"spread": false, "pack": true} {
		docs := strings.NewReplacer("MIN", "2", "MAX", "2", "AGENTS", "reuse: never, every: 10s", "nodes: {",
			"nodes: {placement: "+placement+", ").Replace(caseDocs)
		w, err := worlds.Parse(docs+worlds.Template("t", "x", "2", "2Gi", "i"), "submitted,class\n5,k\n5,k\n")
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		if same := trace.Records[0].Node == trace.Records[1].Node; same != want {
			t.Errorf("%s: on the same node %v", placement, same)
		}
	}
}

// Two nodes that pull at once share the link: 1 GB each at 100 MB/s takes 20 s
// for both, and the latency comes before.
func TestSharedLink(t *testing.T) {
	docs := strings.NewReplacer("MIN", "2", "MAX", "2", "AGENTS", "reuse: never, every: 10s", "{perFlow: 100MB/s}",
		"{down: 100MB/s, latency: 1s}").Replace(caseDocs)
	w, err := worlds.Parse(docs+worlds.Template("t", "x", "3", "2Gi", "i"), "submitted,class\n5,k\n5,k\n")
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	for j := range 2 {
		if got, want := story(trace, j), "round 5, pull 21, start 2, join 3, work 100, wipe 5"; got != want {
			t.Errorf("job %d: %s; want %s", j, got, want)
		}
	}
}

// The calendar's floor is there when its hours begin and goes after them.
func TestFloorByCalendar(t *testing.T) {
	// Monday 2026-01-05 00:00 UTC is the start; the floor holds from 00:30 to 01:00.
	trace := try(t, `linger: 60s, calendar: [{when: "Mon 00:30-01:00", zone: UTC, floor: 2}]`, 1, 1, "1700", "2004", "4000")
	for j, want := range []string{
		"start 2, join 3", // before: cold
		"round 6, work",   // within: warm, in the next round
		"start 2, join 3", // after: cold again
	} {
		if got := story(trace, j); !strings.Contains(got, want) {
			t.Errorf("job %d: %s; want %s in it", j, got, want)
		}
	}
	area := trace.Lines.Agents[sim.GroupIdle].Area
	idle := units.Duration(units.TotalOf(area...).Float())
	if idle < 50*units.Minute || idle > 65*units.Minute {
		t.Errorf("agents stood idle for %v; two for half an hour were wanted", idle.Short())
	}
}

// Settle: an agent that has lingered stays while another job had to wait lately.
func TestSettle(t *testing.T) {
	// Both jobs come at 5: no agent is idle in the round at 10. They end at 130 and
	// linger no time at all; settle keeps them until 310.
	for settle, want := range map[string]string{"0s": "round 5, start 2, join 3, work 100, wipe 5", "5m": "round 5, work 100, wipe 5"} {
		trace := try(t, "linger: 0s, settle: "+settle, 1, 1, "5", "5", "205")
		if got := story(trace, 2); got != want {
			t.Errorf("settle %s: %s; want %s", settle, got, want)
		}
	}
}
