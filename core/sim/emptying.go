package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/fleet"
)

// A pool can be made smaller by choosing which nodes to empty: nothing is moved, but the least used node
// takes no new agents, its idle ones go, and it goes with the last that was at work.

// planEmptying plans the next look for a node to empty.
func (e *engine) planEmptying() {
	if e.w.Growth.DrainBelow > 0 {
		e.queue.plan(e.now+e.w.Growth.Scan, emptyingLook, 0, 0)
	}
}

// emptyingLook begins to empty the least used of the nodes that have been used little for long enough, where
// the others have room for its agents and for those of the nodes that are being emptied.
func (e *engine) emptyingLook() {
	e.planEmptying()
	best, least := int32(-1), 0.0
	goes := map[int32]int{} // by pool: nodes that are being emptied
	var emptying []int32
	for _, n := range e.place.ready {
		if node := &e.nodes[n]; node.emptying {
			goes[node.pool]++
			emptying = append(emptying, n)
		}
	}
	for _, n := range e.place.ready {
		node := &e.nodes[n]
		used := e.usedShare(node)
		if node.closed || node.pods == 0 || e.w.Hosted(node.pool, node.ordinal) || used >= e.w.Growth.DrainBelow || e.pools[node.pool].count-goes[node.pool] <= e.pools[node.pool].min {
			node.littleSince = -1
			continue
		}
		if node.littleSince < 0 {
			node.littleSince = e.now
		}
		if e.now-node.littleSince >= e.w.Growth.ShrinkAfter && (best < 0 || used < least) && !hasHolders(node) {
			best, least = n, used
		}
	}
	if best < 0 || e.near != nil || e.somePending() || !e.housed(append(emptying, best)) {
		return // where pods look at their neighbours it does not try
	}
	e.nodes[best].emptying = true
	e.trace.Emptied++
	e.closeTo(best)
	e.goneIfEmpty(best)
}

// usedShare is how much of a node's CPU or memory its agents request, whichever is more.
func (e *engine) usedShare(node *node) float64 {
	room := &e.w.Pools[node.pool].Room
	cpu := 1 - float64(node.left.CPU)/float64(room.CPU)
	memory := 1 - float64(node.left.Memory)/float64(room.Memory)
	return max(cpu, memory)
}

func hasHolders(node *node) bool {
	return slices.ContainsFunc(node.holders, func(n int16) bool { return n > 0 })
}

// housed reports whether the other nodes have room for all agents of some, node by node in their order.
func (e *engine) housed(list []int32) bool {
	on := map[int32][]int32{}
	for a := range e.agents {
		if g := &e.agents[a]; g.state != gone && g.state != unplaced && slices.Contains(list, g.node) {
			on[g.node] = append(on[g.node], int32(a))
		}
	}
	left := map[int32]fleet.Room{}
	for _, n := range list {
		mine := on[n]
		slices.SortFunc(mine, func(a, b int32) int {
			return cmp.Or(cmp.Compare(e.agents[a].template, e.agents[b].template), cmp.Compare(e.agents[a].ordinal, e.agents[b].ordinal))
		})
		for _, a := range mine {
			if t := e.agents[a].template; len(e.w.Templates[t].ClaimAt) > 0 || !e.houses(n, t, left) {
				return false
			}
		}
	}
	return true
}

// goneIfEmpty takes a node away that is being emptied and has no pods any more.
func (e *engine) goneIfEmpty(n int32) {
	if node := &e.nodes[n]; node.emptying && node.pods == 0 && !node.gone && e.pools[node.pool].count > e.pools[node.pool].min {
		e.removeNode(n)
	}
}

// reopen opens nodes that are being emptied for pods that have fitted nowhere for longer than patience, the
// most used first.
func (e *engine) reopen() {
	for e.somePending() {
		best, most := int32(-1), 0.0
		for _, n := range e.place.ready {
			node := &e.nodes[n]
			if used := e.usedShare(node); node.emptying && !node.noticed && !e.pools[node.pool].draining && used >= most && e.helps(n) {
				best, most = n, used
			}
		}
		if best < 0 {
			return
		}
		e.trace.Reopened++
		e.nodes[best].emptying, e.nodes[best].closed, e.nodes[best].littleSince = false, false, -1
		e.changed(best)
		e.retry()
	}
}

// helps reports whether a node has room for a pod that has waited for longer than patience.
func (e *engine) helps(n int32) bool {
	node := &e.nodes[n]
	for t, pods := range e.place.pending {
		if len(pods) > 0 && e.agents[pods[0]].created+e.w.Growth.Patience <= e.now && e.admits(int32(t), node.pool) && !node.left.Lacks(&e.w.Templates[t].Needs).Short() {
			return true
		}
	}
	return false
}
