package sim

import (
	"cmp"
	"fmt"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A node is a machine of a pool.
type node struct {
	pool    int32
	ready   bool
	gone    bool
	failed  bool // it did not come up
	closed  bool // it takes no new agents
	noticed bool // it will be taken back
	// emptying says that it takes no new agents because it is used little, and goes when it has none.
	emptying    bool
	littleSince units.Duration // since when it is used little; below 0: it is not
	ordinal     int32          // within the pool, from 1
	pods        int32
	idle        int32            // of them, agents that stand idle
	stirs       uint32           // what happened to its pods; a planned look at their rest is off when it has changed
	version     uint32           // of the planned look at its emptiness
	emptied     units.Duration   // when its last pod went, or it became ready without one
	left        fleet.Room       // for pods, by effective requests
	scored      template.Request // asked by its pods, as scoring counts it
	// planned is the room left on a node that is still booting, after the pods
	// that it was asked for.
	planned           fleet.Room
	shelf             holding
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
	// shortages are the times to come in which it has no node to give.
	shortages []demand.Stretch
	barren    int    // events that leave it without a node to give now
	bulks     uint64 // how often its nodes were taken back many at once
}

// nodeName names a node for people.
func nodeName(w *world.World, pool, ordinal int32) string {
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
		shelf: newHolding(e.w), littleSince: -1,
	})
	if e.w.Hosted(p, e.pools[p].made) {
		node := &e.nodes[n]
		node.left.Take(&e.w.Host.Needs, 1)
		node.planned.Take(&e.w.Host.Needs, 1)
		node.scored = e.w.Host.Needs.Request
		node.ledger.share[UseController] = shareOf(e.w.Host.Needs.Request, &e.w.Pools[p])
	}
	for t := range e.place.ratings {
		e.place.ratings[t] = append(e.place.ratings[t], rating{points: unrated})
	}
	e.observeNode(p, 1)
	return n
}

// poolsByName lists the pools in the order of their names, so that nothing depends on
// the order in which they are written.
func poolsByName(w *world.World) []int32 {
	order := make([]int32, len(w.Pools))
	for p := range order {
		order[p] = int32(p)
	}
	slices.SortFunc(order, func(a, b int32) int { return cmp.Compare(w.Pools[a].Name, w.Pools[b].Name) })
	return order
}

// firstNodes makes the nodes that are there from the start.
func (e *engine) firstNodes() {
	for _, p := range poolsByName(e.w) {
		e.pools[p].min, e.pools[p].shortages = e.w.Pools[p].Min, e.shortages(p)
		e.planBulk(p)
		for range e.w.Pools[p].Min {
			e.nodeReady(e.newNode(p))
		}
		if steps := e.w.Pools[p].MinSteps; len(steps) > 1 {
			e.queue.plan(steps[1].From, poolStep, p, 0)
		}
	}
	e.planDrains()
	e.planTrouble()
	e.planEmptying()
	e.planChanges()
	if e.holders != nil {
		e.placeHolders()
	}
}

// poolStep follows a pool's calendar: nodes are asked for up to the new min, or
// may go when they are empty.
func (e *engine) poolStep(p int32) {
	steps, pool := e.w.Pools[p].MinSteps, &e.pools[p]
	pool.step++
	pool.min = steps[pool.step].Min
	if pool.step+1 < len(steps) {
		e.queue.plan(steps[pool.step+1].From, poolStep, p, 0)
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
	e.pullDaemons(n)
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
	if e.pools[node.pool].count > e.pools[node.pool].min && !e.w.Hosted(node.pool, node.ordinal) {
		e.queue.plan(max(e.now, node.emptied+e.w.Growth.ShrinkAfter), nodeEmptyFor, n, node.version)
	}
}

// nodeEmptyFor takes a node away that has been empty long enough.
func (e *engine) nodeEmptyFor(n int32) {
	node := &e.nodes[n]
	if e.pools[node.pool].count <= e.pools[node.pool].min || node.gone {
		return
	}
	if e.awaited(n) || node.holders != nil && !e.rehouse(n) {
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
		link, _ := linkOf(e.w, p.image)
		e.abandon(link, n, p.image)
	}
	node.shelf, node.puller, node.kept, node.workers = holding{}, puller{}, nil, nil
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
