package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A job's memory and disk reach their peaks at a drawn point of its work. Up to
// then it holds no more memory than its agent requests, from then on the peak.

// peakOf returns a job's peak of one kind: recorded, drawn for the attempt (the
// number of those lost before it) from its class, or 0 where nothing is known.
func peakOf(root chance.Key, jobs *demand.Jobs, j int, attempt uint8, recorded []units.Bytes, class chance.Dist,
	p chance.Purpose,
) units.Bytes {
	if recorded != nil && recorded[j] >= 0 {
		return recorded[j]
	}
	if class.Form == chance.Fixed {
		return units.Bytes(class.A)
	}
	return units.Bytes(class.Quantile(root.For(p, jobs.List[j].Key, uint64(attempt)).Uniform()))
}

// beginPeaks sets a run's peaks, and the milestone at which they come where they
// may do harm.
func (e *engine) beginPeaks(a int32, class *world.Class) {
	g := &e.agents[a]
	r, t := &g.run, &e.w.Templates[g.template]
	attempt := e.trace.Records[g.job].Lost
	r.memory = peakOf(e.root, e.jobs, int(g.job), attempt, e.jobs.Memory, class.Memory, chance.Memory)
	r.disk = peakOf(e.root, e.jobs, int(g.job), attempt, e.jobs.Disk, class.Disk, chance.Disk)
	if r.memory > 0 {
		e.hold(g, min(r.memory, t.Request.Memory))
	}
	if r.memory <= t.Request.Memory && (t.Limit.Disk == 0 || r.disk <= t.Limit.Disk) {
		return
	}
	u := e.root.For(chance.Peak, e.jobs.List[g.job].Key, uint64(attempt)).Uniform()
	before := units.Duration(u * float64(r.left))
	r.left, r.rest = before, r.left-before
}

// peak lets agent a's job take what it needs most, and reports whether it lives:
// above its agent's limit it ends, and on a node whose agents together hold more
// memory than there is the one furthest above its request is evicted.
func (e *engine) peak(a int32) bool {
	g := &e.agents[a]
	limit := &e.w.Templates[g.template].Limit
	switch {
	case limit.Memory > 0 && g.run.memory > limit.Memory:
		e.cut(a, OutOfMemory)
		return false
	case limit.Disk > 0 && g.run.disk > limit.Disk:
		e.cut(a, OutOfDisk)
		return false
	}
	e.hold(g, g.run.memory)
	return e.relieve(a)
}

// relieve evicts from agent a's node those furthest above their requests, for as long
// as its jobs hold more memory than there is, and reports whether a was left.
func (e *engine) relieve(a int32) bool {
	n := e.agents[a].node
	for e.nodes[n].memory > e.w.Pools[e.nodes[n].pool].Room.Memory {
		worst := e.furthestAbove(n)
		if worst < 0 {
			break
		}
		e.cut(worst, Evicted)
		if worst == a {
			return false
		}
	}
	return true
}

// furthestAbove returns the working agent of a node that holds most above its
// request; -1 when none does.
func (e *engine) furthestAbove(n int32) int32 {
	worst, most := int32(-1), units.Bytes(0)
	for a := range e.agents {
		g := &e.agents[a]
		if g.node != n || g.state != busy {
			continue
		}
		if above := g.run.held - e.w.Templates[g.template].Request.Memory; above > most {
			worst, most = int32(a), above
		}
	}
	return worst
}

// hold sets the memory that agent g's job has taken of its node.
func (e *engine) hold(g *agent, n units.Bytes) {
	if n == g.run.held {
		return
	}
	e.trace.Lines.Memory[LineUsed].add(e.now, int64(n>>20)-int64(g.run.held>>20))
	e.nodes[g.node].memory += n - g.run.held
	g.run.held = n
}
