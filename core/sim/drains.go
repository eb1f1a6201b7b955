package sim

// A pool that is drained takes no new agents and does not grow: its nodes are
// closed, idle agents go, those at work finish. Nodes above the pool's min go once
// they are empty; the others come back when the drain ends.

// planDrains plans where the pools' drains begin and end; those of one pool do not
// overlap.
func (e *engine) planDrains() {
	for _, p := range poolsByName(e.w) {
		for _, d := range e.w.Pools[p].Drains {
			e.queue.plan(d.From, poolDrains, p, 1)
			if d.To < e.w.Horizon() {
				e.queue.plan(d.To, poolDrains, p, 0)
			}
		}
	}
}

// poolDrains begins a drain or ends one.
func (e *engine) poolDrains(p int32, begins bool) {
	e.pools[p].draining = begins
	for n := range e.nodes {
		node := &e.nodes[n]
		switch {
		case node.pool != p || node.gone || node.noticed:
		case begins && node.ready:
			e.closeTo(int32(n))
		case !begins:
			node.closed, node.emptying = false, false
			e.changed(int32(n))
		}
	}
	if !begins {
		e.keepMin(p) // which may have risen meanwhile
		e.retry()
		if e.somePending() {
			e.podWaits(e.now)
		}
	}
}
