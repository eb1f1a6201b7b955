package sim

import (
	"cmp"
	"fmt"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// A node is a machine of a pool.
type node struct {
	pool    int32
	ready   bool
	gone    bool
	closed  bool  // it takes no new agents
	noticed bool  // it will be taken back
	ordinal int32 // within the pool, from 1
	pods    int32
	version uint32           // of the planned look at its emptiness
	emptied units.Duration   // when its last pod went, or it became ready without one
	left    fleet.Room       // for pods, by effective requests
	scored  template.Request // asked by its pods, as scoring counts it
	// planned is the room left on a node that is still booting, after the pods
	// that it was asked for.
	planned           fleet.Room
	shelf             shelf
	puller            puller
	workers           []int32     // agents whose jobs are working; kept where CPU is shared
	wanted            int64       // CPU that they would use, in millionths of a core
	memory            units.Bytes // that its jobs have taken
	kept              []kept      // workspaces left on it
	holders, bookings []int16     // by template: placeholders, and those promised room; nil for none
	asked             units.Duration
	readyAt           units.Duration
	ledger            ledger
}

// pool is what the growth of one pool needs to know.
type pool struct {
	count    int    // nodes ready or booting
	made     int32  // ordinals given
	asks     uint64 // how often it was asked for a node
	min      int    // that holds now
	step     int    // index of it in the pool's steps
	draining bool
	shut     units.Duration // until when it is not asked again
}

// nodeName names a node for people.
func (w *World) nodeName(pool, ordinal int32) string {
	return fmt.Sprintf("%s-%03d", w.Pools[pool].Name, ordinal)
}

// newNode asks a pool for a node.
func (e *engine) newNode(p int32) int32 {
	e.pools[p].count++
	e.pools[p].made++
	n := int32(len(e.nodes))
	room := e.w.Pools[p].Room
	e.nodes = append(e.nodes, node{
		pool: p, ordinal: e.pools[p].made, left: room, planned: room, asked: e.now,
		shelf: newShelf(e.w),
	})
	for t := range e.place.ratings {
		e.place.ratings[t] = append(e.place.ratings[t], rating{points: unrated})
	}
	e.observeNode(p, 1)
	return n
}

// poolsByName lists the pools in the order of their names, so that nothing depends on
// the order in which they are written.
func (w *World) poolsByName() []int32 {
	order := make([]int32, len(w.Pools))
	for p := range order {
		order[p] = int32(p)
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(w.Pools[a].Name, w.Pools[b].Name) })
	return order
}

// firstNodes makes the nodes that are there from the start.
func (e *engine) firstNodes() {
	for _, p := range e.w.poolsByName() {
		e.pools[p].min = e.w.Pools[p].Min
		for range e.w.Pools[p].Min {
			e.nodeReady(e.newNode(p))
		}
		if steps := e.w.Pools[p].minSteps; len(steps) > 1 {
			e.queue.plan(steps[1].from, poolStep, p, 0)
		}
	}
	e.planDrains()
	if e.holders != nil {
		e.placeHolders()
	}
}

// poolStep follows a pool's calendar: nodes are asked for up to the new min, or
// may go when they are empty.
func (e *engine) poolStep(p int32) {
	steps, pool := e.w.Pools[p].minSteps, &e.pools[p]
	pool.step++
	pool.min = steps[pool.step].min
	if pool.step+1 < len(steps) {
		e.queue.plan(steps[pool.step+1].from, poolStep, p, 0)
	}
	e.keepMin(p)
	for n := range e.nodes {
		if node := &e.nodes[n]; node.pool == p && node.ready && node.pods == 0 {
			e.mayGo(int32(n))
		}
	}
}

// keepMin asks for nodes up to a pool's min.
func (e *engine) keepMin(p int32) {
	for e.pools[p].count < e.pools[p].min && !e.pools[p].draining {
		if e.askNode(p) < 0 {
			return
		}
	}
}

func (e *engine) nodeReady(n int32) {
	node := &e.nodes[n]
	node.ready, node.readyAt = true, e.now
	node.closed = e.pools[node.pool].draining
	e.changed(n)
	e.observeCapacity(node, 1)
	e.unbookHolders(n)
	e.mayBeTaken(n)
	e.strand(n)
	if i := slices.Index(e.booting, n); i >= 0 {
		e.booting = slices.Delete(e.booting, i, i+1)
	}
	at, _ := slices.BinarySearchFunc(e.place.ready, n, func(a, b int32) int { return e.byName(a, b) })
	e.place.ready = slices.Insert(e.place.ready, at, n)
	for _, pods := range e.place.pending {
		for _, a := range pods {
			if g := &e.agents[a]; g.waitNode == n {
				g.waitNode = -1
				e.promised(g.template, n, node.pool, -1)
			}
		}
	}
	e.retry()
	if e.nodes[n].pods == 0 {
		e.nodeEmpty(n)
	}
	if e.somePending() { // the node may have gone to others
		e.podWaits(e.now)
	}
}

// byName orders nodes as their names do.
func (e *engine) byName(a, b int32) int {
	x, y := &e.nodes[a], &e.nodes[b]
	if c := cmp.Compare(e.w.Pools[x.pool].Name, e.w.Pools[y.pool].Name); c != 0 {
		return c
	}
	return cmp.Compare(x.ordinal, y.ordinal)
}

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
	e.scanned = list
	slices.SortStableFunc(list, func(a, b int32) int {
		x, y := &e.agents[a], &e.agents[b]
		return cmp.Or(cmp.Compare(e.w.Templates[y.template].priority, e.w.Templates[x.template].priority), cmp.Compare(x.created, y.created))
	})
	for _, n := range e.booting {
		list = e.book(n, list)
	}
	for len(list) > 0 {
		p := e.choosePool(list)
		if p < 0 {
			break
		}
		if n := e.askNode(p); n >= 0 {
			list = e.book(n, list)
		}
	}
	for _, a := range list {
		g := &e.agents[a]
		if why := e.ungrown(g.template); len(g.stuck) == 0 || g.stuck[len(g.stuck)-1].cause != why && len(g.stuck) < maxStuck {
			g.stuck = append(g.stuck, heldSince{e.now, why})
		}
	}
	if e.holders != nil {
		e.scanHolders()
	}
}

// askNode asks a pool for a node; -1 when there is none to be had, and then the
// pool is left alone for a while.
func (e *engine) askNode(p int32) int32 {
	pool := &e.w.Pools[p]
	e.pools[p].asks++
	if c := pool.noCapacity; c > 0 && e.root.For(chance.NoCapacity, pool.key, e.pools[p].asks).Uniform() < c {
		e.trace.NoCapacity++
		e.shut(p)
		return -1
	}
	n := e.newNode(p)
	which := uint64(e.nodes[n].ordinal)
	kind := nodeReady
	if c := pool.bootFails; c > 0 && e.root.For(chance.BootFails, pool.key, which).Uniform() < c {
		kind = bootFailed
	}
	e.queue.plan(e.now+e.draw(pool.boot, chance.Boot, pool.key, which), kind, n, 0)
	at, _ := slices.BinarySearchFunc(e.booting, n, func(a, b int32) int {
		return cmp.Or(cmp.Compare(e.nodes[a].asked, e.nodes[b].asked), e.byName(a, b))
	})
	e.booting = slices.Insert(e.booting, at, n)
	return n
}

// shut leaves a pool alone until its retryAfter has passed.
func (e *engine) shut(p int32) {
	e.pools[p].shut = e.now + e.w.Pools[p].retryAfter
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
		if e.pools[p].count >= e.w.Pools[p].Max && !e.pools[p].draining || !e.admits(t, int32(p)) || e.w.Pools[p].Room.Lacks(&e.w.Templates[t].need).Short() {
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
	e.nodes[n].gone = true
	e.pools[p].count--
	e.closeNode(n)
	e.shut(p)
	if e.somePending() || e.holders != nil {
		e.podWaits(e.now)
	}
}

// book promises room on a booting node to the pods that fit, and returns the
// others.
func (e *engine) book(n int32, list []int32) (rest []int32) {
	node := &e.nodes[n]
	if e.pools[node.pool].draining {
		return list
	}
	rest = list[:0]
	e.refused.begin(len(e.w.Templates))
	for _, a := range list {
		g := &e.agents[a]
		if !e.mayHave(g.template, n, node.pool, &node.planned) {
			rest = append(rest, a)
			continue
		}
		e.refused.taken++
		node.planned.Take(&e.w.Templates[g.template].need, 1)
		e.promised(g.template, n, node.pool, 1)
		g.waitNode, g.bootNode = n, n
		if g.asked < 0 {
			g.asked = e.now
		}
	}
	return rest
}

// mayHave reports whether a node that will be has room for one more pod of a template.
// Pods of a template that was refused are alike until the node takes another.
func (e *engine) mayHave(t, n, pool int32, room *fleet.Room) bool {
	if e.refused.at[t] == e.refused.taken {
		return false
	}
	if e.admits(t, pool) && !e.attachedSomewhere(t) && !room.Lacks(&e.w.Templates[t].need).Short() && e.takes(t, n, pool) {
		return true
	}
	e.refused.at[t] = e.refused.taken
	return false
}

// refusals are the templates whose pods a node had no room for, while it is filled.
type refusals struct {
	at    []int // by template: how many pods the node had taken then; −1: never refused
	taken int
}

func (r *refusals) begin(templates int) {
	r.at, r.taken = r.at[:0], 0
	for range templates {
		r.at = append(r.at, -1)
	}
}

// unbook gives up the room that was promised to agent a.
func (e *engine) unbook(a int32) {
	g := &e.agents[a]
	e.nodes[g.waitNode].planned.Take(&e.w.Templates[g.template].need, -1)
	e.promised(g.template, g.waitNode, e.nodes[g.waitNode].pool, -1)
	g.waitNode = -1
}

// choosePool returns the pool that should gain a node for the pods in list, or
// -1 when none that could help may grow.
func (e *engine) choosePool(list []int32) int32 {
	best, bestValue := int32(-1), 0.0
	for p := range e.w.Pools {
		pool := &e.w.Pools[p]
		if e.pools[p].count >= pool.Max || e.pools[p].draining || e.pools[p].shut > e.now {
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
			if t = ^a; !e.admits(t, p) || e.attachedSomewhere(t) || room.Lacks(&e.w.Templates[t].need).Short() {
				continue
			}
		} else if t = e.agents[a].template; !e.mayHave(t, n, p, &room) {
			continue
		} else if e.near != nil {
			e.took = append(e.took, t)
			e.promised(t, n, p, 1)
		}
		room.Take(&e.w.Templates[t].need, 1)
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

// nodeEmpty notes that a node has no pods any more, or none yet.
func (e *engine) nodeEmpty(n int32) {
	e.nodes[n].emptied = e.now
	e.mayGo(n)
}

// mayGo plans the end of a node that has no pods: once it has been empty for long
// enough, which it may have been already where its pool needed it until now.
func (e *engine) mayGo(n int32) {
	node := &e.nodes[n]
	node.version++
	if e.pools[node.pool].count > e.pools[node.pool].min {
		e.queue.plan(max(e.now, node.emptied+e.w.Growth.ShrinkAfter), nodeEmptyFor, n, node.version)
	}
}

// nodeEmptyFor takes a node away that has been empty long enough.
func (e *engine) nodeEmptyFor(n int32) {
	node := &e.nodes[n]
	if e.pools[node.pool].count <= e.pools[node.pool].min || node.gone {
		return
	}
	if node.holders != nil && !e.rehouse(n) {
		node.version++
		e.queue.plan(e.now+max(e.w.Growth.ShrinkAfter, e.w.Growth.Scan), nodeEmptyFor, n, node.version)
		return
	}
	e.removeNode(n)
}

// removeNode takes a node away that has no pods.
func (e *engine) removeNode(n int32) {
	node := &e.nodes[n]
	if e.holders != nil {
		e.evictHolders(n)
	}
	e.observeCapacity(node, -1)
	e.pools[node.pool].count--
	node.gone, node.ready = true, false
	if at := slices.Index(e.place.ready, n); at >= 0 {
		e.place.ready = slices.Delete(e.place.ready, at, at+1)
	}
	for i, held := range node.shelf.images {
		if held {
			e.place.holding[i]--
		}
	}
	for _, p := range node.puller.active {
		link, _ := e.w.linkOf(p.image)
		e.abandon(link, n, p.image)
	}
	node.shelf, node.puller, node.kept, node.workers = shelf{}, puller{}, nil, nil
	for s := range e.cache.volumes {
		for i := range e.cache.volumes[s] {
			if v := &e.cache.volumes[s][i]; v.node == n {
				v.node = -1
			}
		}
	}
	e.closeNode(n)
	e.keepMin(node.pool)
	if e.somePending() || e.holders != nil {
		e.podWaits(e.now) // its pool may grow again
	}
}
