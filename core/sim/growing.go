package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/units"
)

func (e *engine) somePending() bool {
	for _, pods := range e.place.pending {
		if len(pods) > 0 {
			return true
		}
	}
	return false
}

// podWaits plans a scan: the first one at or after a moment.
func (e *engine) podWaits(at units.Duration) {
	scan := e.w.Growth.Scan
	at = (at + scan - 1) / scan * scan
	if at <= e.lastScan {
		at = e.lastScan + scan
	}
	e.nextScan = min(e.nextScan, at)
}

// scan packs pods that have been unplaceable for longer than patience, in the
// order of their making, first on nodes that are booting, then on new nodes.
func (e *engine) scan() {
	e.lastScan, e.nextScan = e.now, never
	e.trace.Scans++
	if e.w.Growth.DrainBelow > 0 {
		e.reopen()
	}
	if e.still() {
		e.scanStill()
		return
	}
	e.told = e.told[:0]
	list := e.scanned[:0]
	for _, pods := range e.place.pending {
		for _, a := range pods {
			g := &e.agents[a]
			switch {
			case g.waitNode >= 0:
			case g.created+e.w.Growth.Patience > e.now:
				e.podWaits(g.created + e.w.Growth.Patience)
			default:
				list = append(list, a)
			}
		}
	}
	if e.backsOff() {
		list = e.unhelped(list)
	}
	e.scanned = list
	if !slices.IsSortedFunc(list, e.podOrder) { // those of one template are
		slices.SortStableFunc(list, e.podOrder)
	}
	for _, n := range e.booting {
		list = e.book(n, list)
	}
	plan := e.cheapestSet(list)
	for len(list) > 0 {
		p := int32(-1)
		if len(plan) > 0 {
			p, plan = plan[0], plan[1:]
		} else if p = e.choosePool(list); p < 0 {
			break
		}
		if n := e.askNode(p); n >= 0 {
			list = e.book(n, list)
		} else {
			plan = nil // one of its pools gave no node
		}
	}
	for _, a := range list {
		e.held(a, e.ungrown(e.agents[a].template))
	}
	if e.holders != nil {
		e.scanHolders()
	}
}

// held notes why no node was asked for on behalf of agent a's pod.
func (e *engine) held(a int32, why Cause) {
	if g := &e.agents[a]; len(g.stuck) == 0 || g.stuck[len(g.stuck)-1].cause != why && len(g.stuck) < maxStuck {
		g.stuck = append(g.stuck, heldSince{e.now, why})
	}
}

// still reports whether a scan can do nothing but note why: nothing boots, and no pool may grow.
func (e *engine) still() bool {
	if len(e.booting) > 0 || e.backsOff() || e.holders != nil {
		return false
	}
	for p := range e.pools {
		if e.mayGrow(int32(p)) {
			return false
		}
	}
	return true
}

// A toldWhy is what a scan noted of a template's pods while all was still: of those made up to a
// moment, why no node was asked for.
type toldWhy struct {
	why  Cause
	upTo units.Duration
}

// scanStill is scan where it can do nothing but note why. Those of which that was noted before, and
// for whom it is the same, are passed over: where very many wait, a scan looks at what is new.
func (e *engine) scanStill() {
	first := len(e.told) == 0
	if first {
		e.told = append(e.told, make([]toldWhy, len(e.place.pending))...)
	}
	after := func(a int32, at units.Duration) int { return cmp.Compare(e.agents[a].created, at+1) }
	old := e.now - e.w.Growth.Patience
	for t, pods := range e.place.pending { // in the order of their making
		due, _ := slices.BinarySearchFunc(pods, old, after)
		if due < len(pods) {
			e.podWaits(e.agents[pods[due]].created + e.w.Growth.Patience)
		}
		told, from := &e.told[t], 0
		if why := e.ungrown(int32(t)); !first && told.why == why {
			from, _ = slices.BinarySearchFunc(pods[:due], told.upTo, after)
		} else {
			told.why = why
		}
		told.upTo = old
		for _, a := range pods[from:due] {
			e.held(a, told.why)
		}
	}
}

// askNode asks a pool for a node; -1 when there is none to be had, and then the
// pool is left alone for a while.
func (e *engine) askNode(p int32) int32 {
	pool := &e.w.Pools[p]
	e.pools[p].asks++
	if e.noneToGive(p) {
		e.trace.NoCapacity++
		e.shut(p)
		return -1
	}
	if c := pool.NoCapacity; c > 0 && e.root.For(chance.NoCapacity, pool.Key, e.pools[p].asks).Uniform() < c {
		e.trace.NoCapacity++
		e.shut(p)
		return -1
	}
	n := e.newNode(p)
	which := uint64(e.nodes[n].ordinal)
	kind := nodeReady
	if c := pool.BootFails; c > 0 && e.root.For(chance.BootFails, pool.Key, which).Uniform() < c {
		kind = bootFailed
	}
	boot := e.bootTime(n)
	e.queue.plan(e.now+boot, kind, n, 0)
	if e.backsOff() {
		if d := e.draw(pool.NotReadyTime, chance.NotReady, pool.Key, which); d > 0 {
			e.queue.plan(e.now+max(0, boot-d), nodeKnown, n, 0)
		}
	}
	at, _ := slices.BinarySearchFunc(e.booting, n, func(a, b int32) int {
		return cmp.Or(cmp.Compare(e.nodes[a].asked, e.nodes[b].asked), e.byName(a, b))
	})
	e.booting = slices.Insert(e.booting, at, n)
	return n
}

// bootTime is how long a node takes that has just been asked for: longer, where more of its
// pool boot than do so at full speed side by side.
func (e *engine) bootTime(n int32) units.Duration {
	pool := &e.w.Pools[e.nodes[n].pool]
	d := e.draw(pool.BootTime, chance.Boot, pool.Key, uint64(e.nodes[n].ordinal))
	if pool.SideBySide == 0 {
		return d
	}
	others := 0
	for _, b := range e.booting {
		if e.nodes[b].pool == e.nodes[n].pool {
			others++
		}
	}
	return stretched(d, min(1, float64(pool.SideBySide)/float64(others+1)))
}

// shut leaves a pool alone until its retryAfter has passed.
func (e *engine) shut(p int32) {
	e.pools[p].shut = e.now + e.w.Pools[p].RetryAfter
	e.queue.plan(e.pools[p].shut, poolAsked, p, 0)
}

// poolAsked looks again at what a pool that gave no node was needed for.
func (e *engine) poolAsked(p int32) {
	e.keepMin(p)
	if e.somePending() || e.holders != nil {
		e.podWaits(e.now)
	}
}

// maxStuck bounds how finely a pod's waiting for a pool to grow is told apart.
const maxStuck = 16

// ungrown says why no pool grows for a template's pods: of those that could take them
// and have not their most nodes, one is drained, or left alone because it gave none, or
// its new node would have them no more than those that are there; otherwise all have
// their most.
func (e *engine) ungrown(t int32) Cause {
	why := PoolsFull
	for p := range e.w.Pools {
		if e.pools[p].count >= e.w.Pools[p].Max && !e.pools[p].draining || !e.admits(t, int32(p)) || e.away(t, int32(p)) ||
			e.w.Pools[p].Room.Lacks(&e.w.Templates[t].Needs).Short() {
			continue
		}
		switch {
		case e.pools[p].draining:
			return Draining
		case e.pools[p].shut > e.now:
			why = CapacityOut
		case why == PoolsFull && e.heeds(t) && !e.attachedSomewhere(t):
			why = KeptOff
		}
	}
	return why
}

// bootFailed takes away a node that did not come up.
func (e *engine) bootFailed(n int32) {
	e.trace.BootsFailed++
	e.booting = slices.DeleteFunc(e.booting, func(b int32) bool { return b == n })
	for _, pods := range e.place.pending {
		for _, a := range pods {
			if g := &e.agents[a]; g.waitNode == n {
				g.waitNode, g.unbooted = -1, e.now
				e.promised(g.template, n, e.nodes[n].pool, -1)
			}
		}
	}
	e.unbookHolders(n)
	p := e.nodes[n].pool
	e.nodes[n].gone, e.nodes[n].failed = true, true
	e.pools[p].count--
	e.closeNode(n)
	e.shut(p)
	if e.somePending() || e.holders != nil {
		e.podWaits(e.now)
	}
}

// mayGrow reports whether a pool can be asked for a node now.
func (e *engine) mayGrow(p int32) bool {
	pool := &e.pools[p]
	return pool.count < e.w.Pools[p].Max && !pool.draining && pool.shut <= e.now
}

// choosePool returns the pool that should gain a node for the pods in list, or
// -1 when none that could help may grow.
func (e *engine) choosePool(list []int32) int32 {
	best, bestValue := int32(-1), 0.0
	for p := range e.w.Pools {
		pool := &e.w.Pools[p]
		if !e.mayGrow(int32(p)) {
			continue
		}
		helped, room := e.fillOne(int32(p), list)
		if helped == 0 {
			continue
		}
		var value float64 // less is better
		switch e.w.Growth.Choose {
		case document.Listed:
			return int32(p)
		case document.Tightest:
			value = float64(room.CPU)/float64(pool.Room.CPU) + float64(room.Memory)/float64(pool.Room.Memory)
		default:
			value = float64(pool.Price) / float64(helped)
		}
		if best < 0 || value < bestValue || value == bestValue && pool.Name < e.w.Pools[best].Name {
			best, bestValue = int32(p), value
		}
	}
	return best
}

// fillOne says how many of the pods in list a new node of a pool would take, and what
// room it would have left.
func (e *engine) fillOne(p int32, list []int32) (helped int, room fleet.Room) {
	room = e.w.Pools[p].Room
	n := int32(len(e.nodes)) // as the new node would be numbered
	if e.near != nil {
		e.near.imagined = p
	}
	e.took = e.took[:0]
	e.refused.begin(len(e.w.Templates))
	for _, a := range list {
		var t int32
		if a < 0 {
			if t = ^a; !e.admits(t, p) || e.attachedSomewhere(t) || e.away(t, p) || room.Lacks(&e.w.Templates[t].Needs).Short() {
				continue
			}
		} else if t = e.agents[a].template; !e.mayHave(t, n, p, &room) {
			continue
		} else if e.near != nil {
			e.took = append(e.took, t)
			e.promised(t, n, p, 1)
		}
		room.Take(&e.w.Templates[t].Needs, 1)
		helped++
		e.refused.taken++
		if room.Pods == 0 {
			break
		}
	}
	for _, t := range e.took {
		e.promised(t, n, p, -1)
	}
	if e.near != nil {
		e.near.imagined = -1
	}
	return helped, room
}
