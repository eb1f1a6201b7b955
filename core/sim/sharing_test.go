package sim

import (
	"math"
	"math/rand/v2"
	"testing"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Water-filling agrees with finding the level by halving, gives nobody more than it
// wants or may have, and leaves nothing that somebody wants.
func TestOracleWaterFilling(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 2000 {
		n := 1 + r.IntN(9)
		w := &world.World{}
		e := &engine{w: w}
		node := &node{}
		var weights, caps []float64
		wanted := 0.0
		for i := range n {
			weight := units.MilliCPU(r.IntN(4000))
			c := int64(r.IntN(8 * wholeCore))
			w.Templates = append(w.Templates, world.Template{Agent: template.Agent{Weight: weight}})
			e.agents = append(e.agents, agent{template: int32(i), run: run{cap: c}})
			node.workers = append(node.workers, int32(i))
			weights, caps = append(weights, float64(max(leastWeight, weight))), append(caps, float64(c))
			wanted += float64(c)
		}
		room := int64(wanted * r.Float64())
		if room == 0 || float64(room) >= wanted {
			continue
		}
		e.fill(node, room)
		level := 0.0
		for lo, hi := 0.0, 1e9; hi-lo > 1e-9*hi; {
			level = (lo + hi) / 2
			sum := 0.0
			for i := range n {
				sum += min(caps[i], level*weights[i])
			}
			if sum < float64(room) {
				lo = level
			} else {
				hi = level
			}
		}
		sum := int64(0)
		for i := range n {
			if want := min(caps[i], level*weights[i]); math.Abs(float64(e.rates[i])-want) > 2+1e-6*want {
				t.Fatalf("%d of %v with weights %v and wants %v: rates %v, agent %d should get %.1f", n, room, weights, caps, e.rates, i, want)
			}
			sum += e.rates[i]
		}
		if sum > room || sum < room-int64(n) {
			t.Fatalf("%d given of %d", sum, room)
		}
	}
}

func TestSpeed(t *testing.T) {
	for _, c := range []struct {
		name    string
		r, c, p float64
		want    float64
	}{
		{"all it wants", 4, 4, 0.5, 1},
		{"more than it wants", 5, 4, 0.5, 1},
		{"wants not known", 0, 0, 1, 1},
		{"half, all parallel", 2, 4, 1, 0.5},
		{"half, nothing parallel: one core is enough", 2, 4, 0, 1},
		{"a quarter of a core for serial work", 0.25, 4, 0, 0.25},
		{"half and half: 1/(½·4/2 + ½)", 2, 4, 0.5, 1 / 1.5},
		{"less than one core wanted and given", 0.5, 0.5, 0, 1},
		{"half of half a core: serial work slows by what is missing", 0.25, 0.5, 0, 0.5},
		{"nothing", 0, 4, 0.5, 0},
	} {
		if got := speed(c.r, c.c, c.p); math.Abs(got-c.want) > 1e-12 {
			t.Errorf("%s: %v, want %v", c.name, got, c.want)
		}
	}
}

// A flow that is dropped gives its part of the link to the others, and says what it
// had moved.
func TestDroppedFlow(t *testing.T) {
	l := newLink(100, 0) // bytes a second
	l.add(0, 1000, 1, -1)
	l.add(0, 1000, 2, -1)
	moved, ok := l.drop(10*units.Second, 2, -1) // each has moved 500
	if !ok || moved < 499 || moved > 501 {
		t.Errorf("moved %d, %v", moved, ok)
	}
	if at, ok := l.next(); !ok || at < 15*units.Second-units.Microsecond || at > 15*units.Second+units.Microsecond {
		t.Errorf("the other ends at %v", at)
	}
	if _, ok := l.drop(11*units.Second, 2, -1); ok {
		t.Error("dropped twice")
	}
}

// A placeholder gives way on the node where fewest have to go.
func TestGiveWayTakesFewest(t *testing.T) {
	room := func(cpu units.MilliCPU) fleet.Room {
		return fleet.Room{Request: template.Request{CPU: cpu, Memory: 64 << 30, Disk: 1 << 60}, Pods: 100}
	}
	w := &world.World{
		Placement: document.Spread, Plan: document.RunPlan{Span: units.Hour, Repeats: 1},
		Growth: document.Growth{Scan: units.Second}, SpareRoom: []int{5, 0},
	}
	w.Pools = []world.Pool{
		{Site: fleet.Site{Name: "a", Room: room(4000)}, Min: 1, Max: 1},
		{Site: fleet.Site{Name: "b", Room: room(3500)}, Min: 1, Max: 1},
	}
	for _, cpu := range []units.MilliCPU{1000, 3000} {
		tm := world.Template{Agent: template.Agent{Request: template.Request{CPU: cpu}}}
		tm.Need(nil)
		w.Templates = append(w.Templates, tm)
	}
	e := newTestEngine(w)
	e.firstNodes()
	if e.holders[0].placed != 5 {
		t.Fatalf("%d placeholders have a home", e.holders[0].placed)
	}
	need := []int{e.victims(&e.nodes[0], 1, nil), e.victims(&e.nodes[1], 1, nil)}
	n := e.giveWay(1)
	if gone := e.holders[0].homeless(); gone < 1 || gone != min(need[0], need[1]) || need[n] != gone || e.nodes[n].left.CPU < 3000 {
		t.Errorf("from node %d %d went; the nodes would have needed %v; %v left", n, gone, need, e.nodes[n].left)
	}
}

func newTestEngine(w *world.World) *engine {
	return newEngine(w, chance.Root(1, 0), &demand.Jobs{})
}
