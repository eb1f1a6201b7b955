package sim

import (
	"tachyphor/core/fleet"
	"tachyphor/core/units"
)

// rests plans the end of a node with idle agents only, where nodes are packed again: once
// they have all been idle for as long as an empty node is kept.
func (e *engine) rests(n int32) {
	node := &e.nodes[n]
	if !e.w.Growth.Repack || e.w.Hosted(node.pool, node.ordinal) || !node.ready || node.pods == 0 || node.idle != node.pods {
		return
	}
	node.stirs++
	e.queue.plan(e.now+max(e.w.Growth.ShrinkAfter, units.Second), nodeAtRest, n, node.stirs)
}

// nodeAtRest takes a node away whose agents have all been idle long enough, with them, if
// the others have room for as many; otherwise it is looked at again.
func (e *engine) nodeAtRest(n int32) {
	node := &e.nodes[n]
	if node.gone || node.closed {
		return
	}
	if e.pools[node.pool].count <= e.pools[node.pool].min || !e.roomElsewhere(n) {
		e.rests(n)
		return
	}
	e.closeTo(n)
	if e.nodes[n].pods == 0 {
		e.removeNode(n)
	}
}

// roomElsewhere reports whether the other nodes have room for the agents of one, each on the
// first that takes it. Where pods look at their neighbours, or at volumes of one node, it
// does not try.
func (e *engine) roomElsewhere(n int32) bool {
	if e.near != nil {
		return false
	}
	left := map[int32]fleet.Room{}
	for a := range e.agents {
		g := &e.agents[a]
		if g.state != idle || g.node != n {
			continue
		}
		if len(e.w.Templates[g.template].ClaimAt) > 0 || !e.houses(n, g.template, left) {
			return false
		}
	}
	return true
}

// houses takes room for an agent of a template on the first node but n that has it, and
// that is not about to go itself.
func (e *engine) houses(n, t int32, left map[int32]fleet.Room) bool {
	return e.takesRoom(t, left, func(m int32) bool {
		node := &e.nodes[m]
		return m == n || node.pods == 0 && e.pools[node.pool].count > e.pools[node.pool].min
	})
}

// takesRoom takes room for a pod of a template on the first node that has it, of what is
// left there where others have taken some before, and reports whether there is any; some
// nodes may be barred.
func (e *engine) takesRoom(t int32, left map[int32]fleet.Room, barred func(n int32) bool) bool {
	need := &e.w.Templates[t].Needs
	for _, n := range e.place.ready {
		node := &e.nodes[n]
		if node.closed || !e.admits(t, node.pool) || barred(n) {
			continue
		}
		room, taken := left[n]
		if !taken {
			room = node.left
		}
		if !room.Lacks(need).Short() {
			room.Take(need, 1)
			left[n] = room
			return true
		}
	}
	return false
}
