package sim_test

import (
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

const controlled = "  controller: {pool: p, cpu: 1, memory: 4Gi, volume: {size: 10GB, persistent: true}}\n  volumes: {price: 0.10/GB-month}\n"

// Of two nodes of 4 CPU and 16 GiB the first has the controller, with 1 CPU and 4 GiB: one agent of 2 CPU fits
// beside it, two on the other. A quarter of its node is the controller's; its volume is paid for.
func TestControllersNodeByHand(t *testing.T) {
	b := bench{
		pools: "[{name: p, nodeType: n, min: 2, max: 2}]", cluster: controlled, agents: "reuse: never",
		jobs: "id,submitted,class\na,0,k\nb,0,k\nc,0,k\nd,0,k\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"a": "work 100", "b": "work 100", "c": "work 100", "d": "pools-full 100, work 100"})
	on := map[string]int{}
	for j := range 3 {
		on[trace.NodeName(trace.Records[j].Node)]++
	}
	if on["p-001"] != 1 || on["p-002"] != 2 {
		t.Errorf("%v", on)
	}
	whole := int64(14400e6) * 1024 // four hours
	if got := trace.Nodes[0].Spent[sim.UseController]; got != whole/4 || trace.Nodes[1].Spent[sim.UseController] != 0 {
		t.Errorf("%d of %d", got, whole)
	}
	w := trace.World
	w.Plan.Repeats = 1
	o, _, err := outcome.Simulate(w, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	told := map[string]float64{}
	for _, u := range o.Cost.Uses {
		told[u.Use] = u.PerMonth.Mean
	}
	for _, p := range o.Cost.Parts {
		told[p.Part] = p.PerMonth.Mean
	}
	if got := told["controller"]; got < 656.9 || got > 657.1 { // a quarter of EUR 3.6/h for 730 h
		t.Errorf("the controller costs %v", got)
	}
	if got := told["the controller's volume"]; got < 0.99 || got > 1.01 {
		t.Errorf("its volume costs %v", got)
	}
	if len(o.Beside) != 1 || o.Beside[0].What != "controller-outside" || o.Beside[0].MoreHours <= 0 {
		t.Errorf("%+v", o.Beside)
	}
	for bad, says := range map[string]string{
		"pool: q":                 "no such pool in this cluster",
		"pool: p, outside: x":     "expected an address",
		"outside: 'http://x.org'": "say on the nodes of which pool it runs",
	} {
		if _, err := worlds.Parse(strings.Replace(b.text(), "controller: {pool: p", "controller: {"+bad, 1), b.jobs); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", bad, err)
		}
	}
	none := strings.Replace(b.text(), "min: 2, max: 2", "max: 2", 1)
	if _, err := worlds.Parse(none, b.jobs); err == nil || !strings.Contains(err.Error(), "of which none stays") {
		t.Error(err)
	}
	if _, err := worlds.Parse(strings.Replace(b.text(), "cpu: 1, memory: 4Gi", "cpu: 9, memory: 4Gi", 1), b.jobs); err == nil || !strings.Contains(err.Error(), "fits no node") {
		t.Error(err)
	}
}

// Its node stays, whatever else goes, and nothing is overbooked: wild worlds with a controller of theirs.
func TestControllersNodeStays(t *testing.T) {
	tried := 0
	for seed := range uint64(60) {
		text := strings.Replace(worlds.WildText(seed), "  fee: 0.1/h\n", "  fee: 0.1/h\n  controller: {pool: base, cpu: 2, memory: 3Gi}\n", 1)
		text = strings.Replace(text, "min: 0, max:", "min: 1, max: 1", 1)
		w, err := worlds.Parse(text, "")
		if err != nil {
			continue
		}
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		tried++
		for n, life := range trace.Nodes {
			if w.Hosted(life.Pool, life.Ordinal) && life.Gone < w.Plan.Span {
				t.Errorf("seed %d: %s goes at %v", seed, trace.NodeName(int32(n)), life.Gone)
			}
		}
		if err := trace.Check(); err != nil {
			t.Errorf("seed %d: %v", seed, err)
		}
	}
	if tried < 20 {
		t.Errorf("only %d worlds", tried)
	}
}

// The controller's node goes from 60 s to 360 s. Without a persistent volume the job at work and the one that
// waits are lost, and those that follow them; with one the first goes on and the other starts when it is back.
func TestControllerForgetsByHand(t *testing.T) {
	b := bench{
		cluster: strings.Replace(controlled, "persistent: true", "persistent: false", 1), agents: "every: 10s, ceiling: 1, linger: 1h",
		classes:  "[{name: k, wants: [x], work: 100s, retries: 3}]",
		scenario: event("00:01:00", "00:06:00", "controllerAway: true, nodeGone: true"),
		jobs:     "id,submitted,class,after\nwork,0,k,\nwaits,30,k,\nnext,30,k,waits\nlate,100,k,\n",
	}
	trace := b.run(t)
	for id, want := range map[string]sim.Result{"work": sim.Orphaned, "waits": sim.Forgotten, "next": sim.Dropped, "late": sim.Succeeded} {
		j, _ := trace.Jobs.Find(id)
		if got := trace.Records[j].Result; got != want {
			t.Errorf("%s: %v, want %v", id, got, want)
		}
	}
	if j, _ := trace.Jobs.Find("work"); trace.Records[j].Ended != 60*units.Second || trace.Hit[0] != 2 {
		t.Errorf("%+v, %d lost", trace.Records[j], trace.Hit[0])
	}
	w := trace.World
	w.Plan.Repeats = 1
	o, _, err := outcome.Simulate(w, 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	if len(o.Story) != 1 || !strings.Contains(o.Story[0].Says, "the controller's node is gone, and all that it knew with it (tests): 2 jobs are lost") {
		t.Errorf("%+v", o.Story)
	}
	ends := map[string]bool{}
	for _, f := range o.Failures {
		ends[f.End] = true
	}
	if !ends["forgotten"] || !ends["orphaned"] || !ends["dropped"] || o.Groups[0].Wrong.Mean != 3 {
		t.Errorf("%+v, %v wrong", o.Failures, o.Groups[0].Wrong)
	}

	b.cluster = controlled
	trace = b.run(t)
	tells(t, trace, map[string]string{"work": "work 100", "waits": "ceiling 30, controller-away 300, work 100"})
	var gone world.Event = trace.World.Events[0]
	if gone.Gone || !strings.Contains(gone.Says, "is there when it is back") {
		t.Errorf("%+v", gone)
	}
	b.cluster = ""
	if _, err := worlds.Parse(b.text(), b.jobs); err == nil || !strings.Contains(err.Error(), "spec.controller.pool") {
		t.Error(err)
	}
}
