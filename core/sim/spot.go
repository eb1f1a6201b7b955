package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// mayBeTaken plans the end of a spot node that has become ready.
func (e *engine) mayBeTaken(n int32) {
	node := &e.nodes[n]
	spot := e.w.Pools[node.pool].Spot
	if spot == nil || spot.PerHour <= 0 {
		return
	}
	life := chance.NewExponential(float64(units.Hour) / spot.PerHour)
	e.queue.plan(e.now+e.draw(life, chance.TakenBack, e.w.Pools[node.pool].Key, uint64(node.ordinal)), nodeNoticed, n, 0)
}

// nodeNoticed closes a node that will be taken back: agents that wait for a job or
// are still starting go at once, those at work may finish within the notice.
func (e *engine) nodeNoticed(n int32) {
	if e.nodes[n].gone || e.nodes[n].noticed {
		return
	}
	e.nodes[n].noticed = true
	e.closeTo(n)
	for a := range e.agents {
		if g := &e.agents[a]; g.node == n && (g.state == pulling || g.state == starting || g.state == joining) {
			e.forget(int32(a))
			e.giveUp(int32(a))
		}
	}
	e.queue.plan(e.now+e.w.Pools[e.nodes[n].pool].Spot.Notice, nodeTaken, n, 0)
}

// nodeTaken takes the node away with all that still runs on it.
func (e *engine) nodeTaken(n int32) {
	if e.nodes[n].gone {
		return
	}
	e.trace.TakenBack++
	for a := range e.agents {
		g := &e.agents[a]
		if g.node != n {
			continue
		}
		switch g.state {
		case busy:
			e.cut(int32(a), TakenBack)
		case wiping:
			e.end(int32(a))
		}
	}
	e.removeNode(n)
}

// closeTo lets no new agent on a node, and takes away its idle ones: also those that have come
// to stand idle on one that was closed before.
func (e *engine) closeTo(n int32) {
	if !e.nodes[n].closed {
		e.nodes[n].closed = true
		e.changed(n)
	}
	for a := range e.agents {
		if g := &e.agents[a]; g.node == n && g.state == idle {
			e.takeIdle(int32(a))
			e.leave(int32(a))
		}
	}
}

// planBulk plans when nodes of a spot pool are taken back many at once the next time.
func (e *engine) planBulk(p int32) {
	pool := &e.w.Pools[p]
	if pool.Spot == nil || pool.Spot.Bulk == nil || pool.Spot.Bulk.PerWeek <= 0 {
		return
	}
	between := chance.NewExponential(float64(units.Week) / pool.Spot.Bulk.PerWeek)
	e.queue.plan(e.now+max(1, e.draw(between, chance.Bulk, pool.Key, e.pools[p].bulks)), poolTaken, p, 0)
}

// poolTaken warns many of a spot pool's nodes at once.
func (e *engine) poolTaken(p int32) {
	pool := &e.w.Pools[p]
	key := e.root.For(chance.Bulk, pool.Key, e.pools[p].bulks).For(chance.Bulk, 0, 1)
	e.pools[p].bulks++
	e.planBulk(p)
	for n := range e.nodes {
		node := &e.nodes[n]
		if node.pool == p && node.ready && !node.gone && !node.noticed &&
			key.For(chance.Bulk, uint64(node.ordinal), 0).Uniform() < pool.Spot.Bulk.Share {
			e.nodeNoticed(int32(n))
		}
	}
}
