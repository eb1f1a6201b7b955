package outcome

import (
	"math"
	"os"
	"strings"
	"testing"

	"tachyphor/core/fleet"
	"tachyphor/core/sim"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// Work that is long on memory goes to the pool that has much of it, and a mix beats
// either pool where it uses both up: 0.375 core-hours and 3 GiB-hours on x nodes of 4
// and 16, y of 2 and 32: 4x + 2y = 0.375, 16x + 32y = 3 give x = y = 0.0625, 0.125 h
// at 3.6.
func TestCheapestMixesPools(t *testing.T) {
	pool := func(cores, gib, most int, price float64) world.Pool {
		return world.Pool{Max: most, Site: fleet.Site{
			Price: units.Price(price * 1e9), Room: fleet.Room{Request: template.Request{
				CPU:    units.MilliCPU(cores * 1000),
				Memory: units.Bytes(gib << 30),
			}},
		}}
	}
	n, m, none := pool(4, 16, 1, 3.6), pool(2, 32, 1, 3.6), pool(100, 1000, 0, 0.01)
	cpu, memory := 0.375*float64(units.Hour), 3*float64(1<<30)*float64(units.Hour)
	for _, c := range []struct {
		name  string
		pools []world.Pool
		want  float64 // per hour
	}{
		{"both", []world.Pool{n, m, none}, 0.45},
		{"n alone, by memory", []world.Pool{n}, 3.0 / 16 * 3.6},
		{"m alone, by CPU", []world.Pool{m}, 0.375 / 2 * 3.6},
		{"none that may have nodes", []world.Pool{none}, 0},
	} {
		if got := cheapest(c.pools, cpu, memory) / float64(units.Hour) / 1e9; math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// bare is a world of one node of one CPU, taken and paid for by the hour of its jobs.
const bare = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 1, memory: 4Gi, price: 0.3/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [x], work: 5h, cores: 4, parallel: 0.5}, {name: long, wants: [x], work: 8h, cores: 1}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, reuse: never}}]
  run: {span: SPAN, repeats: 1}
`

// By hand. A job of 5 h on 4 cores, half of it serial: its parallel half takes 4 · 2.5
// core-hours and the serial half one core for 2.5 h, 12.5 core-hours in all, and as
// long on a node of one core: 12.5 h at 0.3 cost 3.75, the bill of a span of 12.5 h.
// A job of 8 h that begins an hour before the end has done one hour's work by then.
func TestFloorByHand(t *testing.T) {
	for _, c := range []struct {
		name, span, jobs string
		bill, floor      float64
	}{
		{"half serial on one core", "12h30m", "a,0,k", 3.75, 3.75},
		{"the end of the span", "8h", "a,25200,long", 2.4, 0.3},
		{"nothing done", "8h", "", 2.4, 0},
	} {
		w, err := worlds.Parse(strings.Replace(bare, "SPAN", c.span, 1)+worlds.Template("t", "x", "1", "1Gi", "i:1"),
			"id,submitted,class\nz,9000000,k\n"+c.jobs)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		s := Measure(trace, 0)
		if bill := float64(units.AmountOf(s.Cost.TotalNano)); math.Abs(bill-c.bill) > 1e-3 {
			t.Errorf("%s: the bill is %v, want %v", c.name, bill, c.bill)
		}
		if got := float64(units.AmountOf(s.Cost.FloorNano)); got > c.floor || got < c.floor-1e-6 {
			t.Errorf("%s: the floor is %v, want %v", c.name, got, c.floor)
		}
	}
}

// No world gets below its floor, with everything on, whatever its span and warm-up are.
func TestFloorIsNeverAboveTheNodes(t *testing.T) {
	below, some, seeds := 0, 0, uint64(120)
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		seeds = 4000
	}
	for seed := range seeds {
		w, err := worlds.Wild(seed)
		if err != nil {
			continue // an agent that fits on no node
		}
		w.Plan.Span = units.Duration(1+seed%26) * units.Hour
		w.Plan.Warmup = w.Plan.Span * units.Duration(seed%3) / 3
		trace, err := sim.Run(w, seed, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		var nodes units.Sum[units.Money]
		for _, n := range trace.Nodes {
			nodes.Add(nodeBill(w, &n))
		}
		under := floor(trace)
		if under.Minus(nodes).Float() > float64(len(trace.Nodes)) { // each bill is rounded once
			below++
			t.Errorf("seed %d: nodes cost %v, less than the floor %v", seed, nodes, under)
		}
		if under.Sign() > 0 {
			some++
		}
	}
	if some < 30 {
		t.Errorf("only %d worlds have a floor at all", some)
	}
}

// The floor is of the work, not of the design: where the workload says what its jobs
// need, it is the same whether agents are large or small, warm or cold.
func TestFloorDoesNotDependOnTheDesign(t *testing.T) {
	var first units.Sum[units.Money]
	for i, size := range []string{"1", "500m", "100m"} {
		text := strings.Replace(strings.Replace(bare, "SPAN", "10d", 1), "cores: 4, parallel: 0.5", "cores: 4, parallel: 0.5, memory: 2Gi", 1)
		text = strings.Replace(text, "work: 8h, cores: 1", "work: 8h, cores: 1, memory: 1Gi", 1)
		w, err := worlds.Parse(text+worlds.Template("t", "x", size, "1Gi", "i:1"), "id,submitted,class\na,0,k\nb,100,long\nc,200,long\n")
		if err != nil {
			t.Fatal(err)
		}
		w.Plan.Span = 10 * units.Day // though no job comes after the first hour
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		got := floor(trace)
		if i == 0 {
			first = got
		}
		if got != first || got.Sign() == 0 {
			t.Errorf("with agents of %s CPU the floor is %v, with others %v", size, got, first)
		}
	}
}
