package pulls_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/pulls"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// docs are two templates on nodes for one agent each that come for a job and go at once: every job has a new
// node. Images come at 100 MB/s; a and b share 600 MB.
const docs = `apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 2500m, memory: 16Gi, price: 3.6/h}]
  pools: [{name: p, nodeType: n, max: 99, boot: 0s}]
  images:
    - {name: "r.example/a:1", layers: [{name: base, size: 600MB}, {name: own, size: 400MB}]}
    - {name: "r.example/b:1", layers: [{name: base, size: 600MB}, {name: more, size: 100MB}]}
    - {name: "r.example/c:1", size: 300MB}
  links: {registry: {down: 100MB/s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  jobs: {file: x.csv}
  classes: [{name: k, wants: [x], work: 100s}, {name: m, wants: [y], work: 100s}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {reuse: never, every: 0s}}, {template: u, agents: {reuse: never, every: 0s}}]
  nodes: {growth: {scan: 1s, shrinkAfter: 0s}}
  run: {span: 4h, repeats: 3, alike: 0}
`

func small(t *testing.T, jobs string, replace ...string) *world.World {
	t.Helper()
	text := docs + worlds.Template("t", "x", "2", "1Gi", "r.example/a:1") + worlds.Template("u", "y", "2", "1Gi", "r.example/b:1")
	w, err := worlds.Parse(strings.NewReplacer(replace...).Replace(text), "id,submitted,class\n"+jobs)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

func told(t *testing.T, w *world.World, lighter ...pulls.Lighter) *pulls.Costs {
	t.Helper()
	q, err := pulls.Ask(w, lighter)
	if err != nil {
		t.Fatal(err)
	}
	out, err := q.Try(2, nil)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// Three jobs on new nodes: two pull 1 GB in 10 s, one 700 MB in 7 s; all by hand.
func TestPullsByHand(t *testing.T) {
	w := small(t, "a,10,k\nb,1000,k\nc,2000,m\n") // nodes that are there at the beginning would have them
	d := told(t, w, pulls.Lighter{Name: "t", Size: 800e6}, pulls.Lighter{Name: "r.example/a:1", Size: 500e6},
		pulls.Lighter{Name: "u", Size: 1300e6})
	near := func(what string, got, want float64) {
		if got < want-1e-6 || got > want+1e-6 {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	near("mean, ns", d.Mean.Mean, 9e9)
	near("of it images, ns", d.Image.Mean, 9e9)
	near("GB", d.GB.Mean, 2.7)
	if len(d.Images) != 2 || d.Images[0].Name != "r.example/a:1" || d.Images[0].Pulls.Mean != 2 || d.Images[0].Own != 400e6 ||
		len(d.Images[0].Shared) != 1 || d.Images[0].Shared[0] != (pulls.Common{With: "r.example/b:1", Size: 600e6}) || d.Images[1].Pulls.Mean != 1 {
		t.Errorf("%+v", d.Images)
	}
	want := map[string][2]float64{"base": {3, -6e9}, "own": {2, -8e9 / 3}, "more": {1, -1e9 / 3}}
	for _, l := range d.Layers {
		near(l.Name+" pulls", l.Pulls.Mean, want[l.Name][0])
		near(l.Name+" spared", l.Spared.Mean.Mean, want[l.Name][1])
	}
	if len(d.Layers) != 3 || d.Layers[0].Name != "base" || len(d.Layers[0].Images) != 2 {
		t.Errorf("%+v", d.Layers)
	}
	// Two nodes go at once after their jobs; as part of what nodes boot from nothing is pulled. A pod on every
	// node pulls both images on each, 1.1 GB, the agent's own not always first.
	near("boots with them", d.Ways[1].Spared.Mean.Mean, -9e9)
	near("boots with them, GB", d.Ways[1].Spared.GB.Mean, -2.7)
	near("a pod on every node, GB", d.Ways[0].Spared.GB.Mean, 3.3-2.7)
	// a of 800 MB keeps what it shares and is 2 s faster; of 500 MB it shares nothing, and is 5 s faster.
	near("800 MB", d.Ways[2].Spared.Mean.Mean, -4e9/3)
	near("500 MB", d.Ways[3].Spared.Mean.Mean, -10e9/3)
	near("heavier", d.Ways[4].Spared.Mean.Mean, 6e9/3)
	if !strings.Contains(d.Ways[2].What, "a:1 of 800 MB instead of 1 GB") {
		t.Error(d.Ways[2].What)
	}
}

// What a scenario says of prepulled images is what is tried of them.
func TestPrepulledIsWhatIsTried(t *testing.T) {
	jobs := "a,0,k\nb,1000,k\nc,2000,m\nd,2001,k\n"
	d := told(t, small(t, jobs))
	for i, by := range []string{"daemon-set", "node-image"} {
		with := told(t, small(t, jobs, "  nodes: {growth", "  nodes: {prepull: [{by: "+by+"}], growth"))
		base := d
		if got, want := with.Mean.Mean-base.Mean.Mean, base.Ways[i].Spared.Mean.Mean; got != want {
			t.Errorf("%s: %v, tried %v", by, got, want)
		}
	}
	if d.Ways[1].Spared.Mean.Mean >= 0 || d.Ways[0].Spared.Wrong.Mean != 0 {
		t.Errorf("%+v", d.Ways)
	}
	// The pod that holds them takes room of its own: on nodes that an agent fills no agent fits beside it, which is said.
	if full := told(t, small(t, jobs, "cpu: 2500m", "cpu: 2")); full.Ways[0].Spared.Wrong.Mean != 4 {
		t.Errorf("%+v", full.Ways[0])
	}
	text := docs + worlds.Template("t", "x", "1", "1Gi", "r.example/a:1") + worlds.Template("u", "y", "1", "1Gi", "r.example/b:1")
	for bad, says := range map[string]string{
		"{images: [nothing]}": "no such image", "{pools: [q]}": "no such pool", "{by: magic}": "daemon-set, node-image",
	} {
		_, err := worlds.Parse(strings.Replace(text, "  nodes: {growth", "  nodes: {prepull: ["+bad+"], growth", 1), "id,submitted,class\na,0,k\n")
		if err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

// Images that nobody says the layers of, no job at all, a layer named twice, an image of nothing.
func TestPullsOfUglyWorlds(t *testing.T) {
	for i, w := range []*world.World{
		small(t, "a,0,k\n", "layers: [{name: base, size: 600MB}, {name: own, size: 400MB}]", "size: 1"),
		small(t, "a,0,k\n", "{name: own, size: 400MB}", "{name: base, size: 600MB}"),
		small(t, "late,99999,k\n"),
		small(t, "a,0,k\n", "links: {registry: {down: 100MB/s}}", "links: {}"),
	} {
		d := told(t, w, pulls.Lighter{Name: "t", Size: 0})
		if raw, err := json.Marshal(d); err != nil || strings.Contains(string(raw), "NaN") {
			t.Errorf("world %d: %v", i, err)
		}
		for _, l := range d.Layers {
			if l.Name == "" {
				t.Errorf("world %d: a layer without a name: %+v", i, l)
			}
		}
	}
	if _, err := pulls.Ask(small(t, "a,0,k\n"), []pulls.Lighter{{Name: "nobody", Size: 1}}); err == nil || !strings.Contains(err.Error(), "the names are t, u, r.example/a:1") {
		t.Error(err)
	}
	if _, err := pulls.Ask(small(t, "a,0,k\n"), make([]pulls.Lighter, 9)); err == nil {
		t.Error("nine sizes are taken")
	}
}

// What is told does not depend on how many work on it, and wild worlds are told too.
func TestPullsOfWildWorlds(t *testing.T) {
	for seed := range uint64(12) {
		w, err := worlds.Wild(seed)
		if err != nil {
			continue
		}
		q, err := pulls.Ask(w, []pulls.Lighter{{Name: "a", Size: 100e6}})
		if err != nil {
			t.Fatal(err)
		}
		var texts []string
		for _, workers := range []int{1, 3} {
			d, err := q.Try(workers, nil)
			if err != nil {
				t.Fatal(err)
			}
			raw, err := json.Marshal(d)
			if err != nil {
				t.Fatal(err)
			}
			texts = append(texts, string(raw))
		}
		if texts[0] != texts[1] {
			t.Error(fmt.Sprint("seed ", seed, ": it depends on how many work on it"))
		}
	}
}
