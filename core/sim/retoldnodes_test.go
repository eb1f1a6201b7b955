package sim_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/retold"
	"tachyphor/test/worlds"
)

// fleet draws a world from a seed for both writings of how nodes come, are filled and go.
func fleet(seed uint64) (text, jobs string, f retold.Fleet) {
	r := rand.New(rand.NewPCG(seed, 31))
	pick := func(list ...int) int { return list[r.IntN(len(list))] }
	word := func(list ...string) string { return list[r.IntN(len(list))] }
	f = retold.Fleet{Start: pick(1, 5, 40), Wipe: pick(0, 3, 20), Last: 12 * 3600}
	f.Scaling = retold.Scaling{
		Scan: pick(1, 5, 10), Patience: pick(0, 0, 7, 30), ShrinkAfter: pick(0, 13, 60, 600),
		Choose: word("cheapest", "tightest", "listed"), Pack: r.IntN(2) == 0,
	}
	if more := rand.New(rand.NewPCG(seed, 32)); more.IntN(2) == 0 { // draws of its own, so that the rest stays as it was
		f.Scaling.DrainBelow = []float64{0.3, 0.5, 0.7, 1}[more.IntN(4)]
	}
	var types, pools, templates, classes, kinds strings.Builder
	names := []string{"b", "a", "c"}
	for i := range 1 + r.IntN(3) {
		p := retold.Pool{
			Name: names[i], CPU: pick(2000, 4000, 6000), Memory: pick(8, 16, 24) << 10, Pods: pick(2, 5, 110), Price: float64(1 + r.IntN(12)),
			Least: pick(0, 0, 1), Most: 1 + r.IntN(3), Boot: pick(1, 30, 60, 95), CPUTaken: pick(0, 150),
		}
		p.MemoryTaken = 2 * p.CPUTaken
		f.Pools = append(f.Pools, p)
		fmt.Fprintf(&types, "    - {name: n%s, cpu: %dm, memory: %dMi, pods: %d, price: %g/h, reserved: {cpu: %dm, memory: %dMi}}\n", p.Name,
			p.CPU, p.Memory, p.Pods+1, p.Price, p.CPUTaken, p.MemoryTaken)
		fmt.Fprintf(&pools, "    - {name: %s, nodeType: n%s, min: %d, max: %d, boot: %ds, labels: {own: %s}}\n", p.Name, p.Name, p.Least,
			p.Most, p.Boot, p.Name)
	}
	for i := range 1 + r.IntN(3) {
		k := retold.Kind{CPU: pick(500, 1000, 1500, 1850), Memory: pick(1, 2, 4, 7) << 10, Priority: pick(0, 0, 0, 5)}
		only := r.IntN(2 * len(f.Pools)) // one pool alone, or all
		for p := range f.Pools {
			k.Pools = append(k.Pools, only >= len(f.Pools) || only == p)
		}
		f.Kinds = append(f.Kinds, k)
		text := worlds.Template(fmt.Sprint("t", i), fmt.Sprint("w", i), fmt.Sprintf("%dm", k.CPU), fmt.Sprintf("%dMi", k.Memory), "i:1")
		spec := fmt.Sprintf("    priority: %d\n", k.Priority)
		if only < len(f.Pools) {
			spec += "    nodeSelector: {own: " + f.Pools[only].Name + "}\n"
		}
		templates.WriteString(strings.Replace(text, "    containers:", spec+"    containers:", 1))
		fmt.Fprintf(&classes, "    - {name: k%d, wants: [w%d], work: 1s}\n", i, i)
		fmt.Fprintf(&kinds, "    - {template: t%d, agents: {every: 0s, reuse: never}}\n", i)
	}
	placement := "spread"
	if f.Scaling.Pack {
		placement = "pack"
	}
	text = fmt.Sprintf(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes:
%s  pools:
%s  images: [{name: "i:1", size: 1}]
  daemonSets: [{name: d, image: "i:1"}]
  agents: {start: %ds, wipe: %ds}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  jobs: {file: jobs.csv}
  classes:
%s---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates:
%s  nodes: {placement: %s, growth: {scan: %ds, patience: %ds, shrinkAfter: %ds, choose: %s, drainBelow: %g}}
  run: {span: 4h, repeats: 1}
`, types.String(), pools.String(), f.Start, f.Wipe, classes.String(), kinds.String(), placement, f.Scaling.Scan, f.Scaling.Patience,
		f.Scaling.ShrinkAfter, f.Scaling.Choose, f.Scaling.DrainBelow) + templates.String()
	csv := "id,submitted,class,work\n"
	at, busy := 0, pick(5, 30, 200)
	for j := range 20 + r.IntN(60) {
		if r.IntN(4) > 0 { // several at a time are packed together
			at += r.IntN(busy)
		}
		if at >= 4*3600 {
			break
		}
		job := retold.Job{Template: r.IntN(len(f.Kinds)), Submitted: at, Work: 1 + r.IntN(pick(20, 200, 900))}
		f.Jobs = append(f.Jobs, job)
		csv += fmt.Sprintf("j%d,%d,k%d,%d\n", j, job.Submitted, job.Template, job.Work)
	}
	return text, csv, f
}

// How nodes are chosen, asked for, filled and taken away, written twice.
func TestOracleNodesRetold(t *testing.T) {
	grown, gone, waited, emptied, reopened := 0, 0, 0, 0, 0
	tried := retell(t, tellings(1200), fleet, func(trace *sim.Trace, f retold.Fleet) string {
		want := retold.Nodes(f)
		for j, b := range want.Berths {
			if b.Started > f.Jobs[j].Submitted+f.Start {
				waited++
			}
		}
		for _, l := range want.Lives {
			if l.Asked > 0 {
				grown++
			}
			if l.Gone != retold.Never {
				gone++
			}
		}
		emptied, reopened = emptied+want.Emptied, reopened+want.Reopened
		return nodesDiffer(trace, f, want)
	})
	t.Logf("%d worlds, %d nodes asked for, %d gone, %d emptied, %d opened again, %d jobs waited for room", tried, grown, gone, emptied, reopened,
		waited)
	if tried < int(tellings(1000)) || grown == 0 || gone == 0 || waited == 0 || emptied == 0 || reopened == 0 {
		t.Error("the worlds do not try what they are there for")
	}
}

// nodesDiffer says where a run is not what the second writing says first.
func nodesDiffer(trace *sim.Trace, f retold.Fleet, want retold.NodesTold) string {
	last := 0 // after the last job has ended the engine looks no further
	for j, b := range want.Berths {
		r := &trace.Records[j]
		got := retold.Berth{Started: retold.Never}
		if r.Started >= 0 && r.Started <= units.Duration(f.Last)*units.Second {
			got = retold.Berth{Started: int(r.Started / units.Second), Node: trace.NodeName(r.Node)}
		}
		if got != b {
			return fmt.Sprintf("job %d of kind %d at %d: the engine says %v, the second writing %v", j, f.Jobs[j].Template, f.Jobs[j].Submitted,
				got, b)
		}
		last = max(last, int(r.Ended/units.Second))
	}
	var got []retold.Life
	for n, l := range trace.Nodes {
		life := retold.Life{Name: trace.NodeName(int32(n)), Asked: int(l.Asked / units.Second), Ready: retold.Never, Gone: retold.Never}
		if l.Ready >= 0 && int(l.Ready/units.Second) < last {
			life.Ready = int(l.Ready / units.Second)
		}
		if int(l.Gone/units.Second) < last {
			life.Gone = int(l.Gone / units.Second)
		}
		got = append(got, life)
	}
	lives := slices.Clone(want.Lives)
	for i := range lives {
		if lives[i].Ready >= last {
			lives[i].Ready = retold.Never
		}
		if lives[i].Gone >= last {
			lives[i].Gone = retold.Never
		}
	}
	if !slices.Equal(got, lives) {
		for i := range max(len(got), len(lives)) {
			if i >= len(got) || i >= len(lives) || got[i] != lives[i] {
				return fmt.Sprintf("node %d: the engine has %v, the second writing %v (last job ends at %d)", i, got[min(i, len(got)-1)],
					lives[min(i, len(lives)-1)], last)
			}
		}
	}
	return ""
}
