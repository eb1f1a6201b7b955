package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Jobs fetch and send over links of the cluster from the beginning of their work on, beside it: work that was
// measured has that time in it. A job whose work is done before all has come and gone waits for that.

// A Carried is what jobs of one class fetched and sent of one kind, within the window.
type Carried struct{ Down, Up units.Sum[units.Bytes] }

func newCarried(w *world.World) [][]Carried {
	out := make([][]Carried, len(w.Classes))
	for k := range w.Classes {
		out[k] = make([]Carried, len(w.Classes[k].Network))
	}
	return out
}

// trafficOf tells flows of jobs' traffic apart, below those of images and archives.
func trafficOf(entry int, up bool) int32 {
	i := int32(-2 - 2*entry)
	if up {
		i--
	}
	return i
}

// ways are the links that one kind of traffic goes over: towards the cluster, and from it.
func (e *engine) ways(x *world.Traffic) [2]int32 {
	return [2]int32{int32(OtherLinks + x.Link), e.upLink(x.Link)}
}

// upLink is the way out of the cluster's i-th other link.
func (e *engine) upLink(i int) int32 { return int32(OtherLinks + len(e.w.Links.Others) + i) }

// beginTraffic begins all that agent a's job fetches and sends.
func (e *engine) beginTraffic(a int32) {
	g := &e.agents[a]
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	for i := range class.Network {
		x := &class.Network[i]
		part := 1.0
		if x.Cold && g.run.warmth == fresh {
			continue
		} else if x.Cold && g.run.warmth == outdated {
			part = 1 - class.Partial
		}
		for up, d := range [2]chance.Dist{x.Down, x.Up} {
			size := d.A
			if d.Form != chance.Fixed {
				size = d.Quantile(e.root.For(chance.Traffic, e.jobs.List[g.job].Key, uint64(2*i+up)).Uniform())
			}
			if n := units.Bytes(size * part); n > 0 {
				g.run.flows++
				e.send(e.ways(x)[up], n, a, trafficOf(i, up == 1))
			}
		}
	}
}

// fetched notes that a flow of agent a's job has ended.
func (e *engine) fetched(a, which int32, size units.Bytes) {
	g := &e.agents[a]
	e.carriedFor(g, which, size)
	if g.run.flows--; g.run.flows == 0 && g.run.step == awaitingFetch {
		e.ended(a)
	}
}

// carriedFor counts bytes by class and kind.
func (e *engine) carriedFor(g *agent, which int32, n units.Bytes) {
	if !e.inWindow() {
		return
	}
	k := int(-2 - which)
	c := &e.trace.Carried[e.jobs.List[g.job].Class][k/2]
	if k%2 == 0 {
		c.Down.Add(n)
	} else {
		c.Up.Add(n)
	}
}

// dropTraffic ends what agent a's job still fetches and sends.
func (e *engine) dropTraffic(a int32) {
	g := &e.agents[a]
	if g.run.flows == 0 {
		return
	}
	class := &e.w.Classes[e.jobs.List[g.job].Class]
	for i := range class.Network {
		for up, l := range e.ways(&class.Network[i]) {
			which := trafficOf(i, up == 1)
			if moved, ok := e.links[l].drop(e.now, a, which); ok {
				e.carry(l, moved)
				e.carriedFor(g, which, moved)
				e.planFlow(l)
			}
		}
	}
	g.run.flows = 0
}

// awaitFetch has agent a, whose job's own work is done, wait for what it fetches or sends, if there is any, and
// reports whether it does.
func (e *engine) awaitFetch(a int32) bool {
	g := &e.agents[a]
	if g.run.flows == 0 {
		return false
	}
	if e.w.Sharing {
		e.leaveCPU(a)
	}
	g.run.step = awaitingFetch
	e.trace.spanWork(g, e.now)
	if g.run.limit < never {
		e.later(a, g.run.limit-e.now, workStep)
	}
	return true
}
