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
	ordinal int32 // within the pool, from 1
	pods    int32
	version uint32           // of the planned look at its emptiness
	left    fleet.Room       // for pods, by effective requests
	scored  template.Request // asked by its pods, as scoring counts it
	// planned is the room left on a node that is still booting, after the pods
	// that it was asked for.
	planned fleet.Room
	images  []bool // by image: whether the node holds it
	puller  puller
	asked   units.Duration
	readyAt units.Duration
	ledger  ledger
}

// pool is what the growth of one pool needs to know.
type pool struct {
	count int   // nodes ready or booting
	made  int32 // ordinals given
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
		images: make([]bool, len(e.w.Images)),
	})
	e.observeNode(p, 1)
	return n
}

// firstNodes makes the nodes that are there from the start.
func (e *engine) firstNodes() {
	for p := range e.w.Pools {
		for range e.w.Pools[p].Min {
			e.nodeReady(e.newNode(int32(p)))
		}
	}
}

func (e *engine) nodeReady(n int32) {
	node := &e.nodes[n]
	node.ready, node.readyAt = true, e.now
	if i := slices.Index(e.booting, n); i >= 0 {
		e.booting = slices.Delete(e.booting, i, i+1)
	}
	at, _ := slices.BinarySearchFunc(e.place.ready, n, func(a, b int32) int { return e.byName(a, b) })
	e.place.ready = slices.Insert(e.place.ready, at, n)
	for _, pods := range e.place.pending {
		for _, a := range pods {
			if e.agents[a].waitNode == n {
				e.agents[a].waitNode = -1
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
	slices.SortStableFunc(list, func(a, b int32) int { return cmp.Compare(e.agents[a].created, e.agents[b].created) })
	for _, n := range e.booting {
		list = e.book(n, list)
	}
	for len(list) > 0 {
		p := e.choosePool(list)
		if p < 0 {
			break
		}
		n := e.newNode(p)
		boot := e.draw(e.w.Pools[p].boot, chance.Boot, uint64(p)<<32|uint64(e.nodes[n].ordinal))
		e.queue.plan(e.now+boot, nodeReady, n, 0)
		e.booting = append(e.booting, n)
		list = e.book(n, list)
	}
	for _, a := range list {
		if g := &e.agents[a]; g.full < 0 {
			g.full = e.now
		}
	}
}

// book promises room on a booting node to the pods that fit, and returns the
// others.
func (e *engine) book(n int32, list []int32) (rest []int32) {
	node := &e.nodes[n]
	rest = list[:0]
	for _, a := range list {
		g := &e.agents[a]
		need := &e.w.Templates[g.template].need
		if !e.admits(g.template, node.pool) || node.planned.Lacks(need).Short() {
			rest = append(rest, a)
			continue
		}
		node.planned.Take(need, 1)
		g.waitNode, g.bootNode = n, n
		if g.asked < 0 {
			g.asked = e.now
		}
	}
	return rest
}

// unbook gives up the room that was promised to agent a.
func (e *engine) unbook(a int32) {
	g := &e.agents[a]
	e.nodes[g.waitNode].planned.Take(&e.w.Templates[g.template].need, -1)
	g.waitNode = -1
}

// choosePool returns the pool that should gain a node for the pods in list, or
// -1 when none that could help may grow.
func (e *engine) choosePool(list []int32) int32 {
	best, bestValue := int32(-1), 0.0
	for p := range e.w.Pools {
		pool := &e.w.Pools[p]
		if e.pools[p].count >= pool.Max {
			continue
		}
		helped, room := 0, pool.Room
		for _, a := range list {
			t := e.agents[a].template
			need := &e.w.Templates[t].need
			if e.admits(t, int32(p)) && !room.Lacks(need).Short() {
				room.Take(need, 1)
				helped++
			}
			if room.Pods == 0 {
				break
			}
		}
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
		if best < 0 || value < bestValue {
			best, bestValue = int32(p), value
		}
	}
	return best
}

// nodeEmpty plans the end of a node that has no pods.
func (e *engine) nodeEmpty(n int32) {
	node := &e.nodes[n]
	node.version++
	if e.pools[node.pool].count > e.w.Pools[node.pool].Min {
		e.queue.plan(e.now+e.w.Growth.ShrinkAfter, nodeEmptyFor, n, node.version)
	}
}

// nodeEmptyFor takes a node away that has been empty long enough.
func (e *engine) nodeEmptyFor(n int32) {
	node := &e.nodes[n]
	if e.pools[node.pool].count <= e.w.Pools[node.pool].Min {
		return
	}
	e.pools[node.pool].count--
	node.gone, node.ready = true, false
	at := slices.Index(e.place.ready, n)
	e.place.ready = slices.Delete(e.place.ready, at, at+1)
	for i, held := range node.images {
		if held {
			e.place.holding[i]--
		}
	}
	node.images = nil
	e.closeNode(n)
	if e.somePending() {
		e.podWaits(e.now) // its pool may grow again
	}
}
