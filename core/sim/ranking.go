package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/world"
)

// A ranking keeps the nodes that a template's pods may go to in heaps, the best of each kind on
// top, so that the best of all is found in a time that grows with the logarithm of the nodes that
// changed. Nodes of a kind are worth the same beside what they are worth until they change.
// What is in the heaps of a node that has changed since stays there until it comes to the top.
type ranking struct {
	on      bool    // the template's rules allow it
	changed []int32 // nodes that changed since they were ranked, each once
	heaps   []kindHeap
}

// A kindHeap is the nodes of one kind.
type kindHeap struct {
	kind uint64
	list []ranked
}

// ranked is a node as it was rated.
type ranked struct {
	points int32
	stamp  uint32
	name   uint64 // orders as names do
	node   int32
}

// fewestRanked is from how many nodes on they are ranked: fewer are looked over one by one.
const fewestRanked = 12

// ranks reports whether rules allow nodes to be ranked: what a node is worth hangs on it alone,
// and on its kind.
func (c *concerned) ranks() bool {
	return len(c.passing) == 0 && len(c.comparing) == 0 && len(c.marking) <= 1
}

// namedOrder is, by pool, its place in the order of names.
func namedOrder(pools []world.Pool) []int32 {
	out := make([]int32, len(pools))
	for i := range pools {
		for j := range pools {
			if pools[j].Name < pools[i].Name {
				out[i]++
			}
		}
	}
	return out
}

// nameOf orders nodes as byName does.
func (e *engine) nameOf(n int32) uint64 {
	node := &e.nodes[n]
	return uint64(e.place.poolOrder[node.pool])<<32 | uint64(uint32(node.ordinal))
}

// bestRanked is bestNode for a template whose nodes are ranked.
func (e *engine) bestRanked(t int32) int32 {
	r, ratings := &e.place.rankings[t], e.place.ratings[t]
	for _, n := range r.changed {
		x := &ratings[n]
		if x.queued = false; !e.nodes[n].ready {
			continue
		}
		if x.points == unrated {
			e.rerate(t, n)
		}
		if x.points != unfit {
			e.enrol(t, ranked{x.points, x.stamp, e.nameOf(n), n})
		}
	}
	r.changed = r.changed[:0]
	var best ranked
	top, any := int64(-1), false
	x := look{t: t}
	for i := range r.heaps {
		h := &r.heaps[i]
		for len(h.list) > 0 && !e.holds(ratings, &h.list[0]) {
			h.pop()
		}
		if len(h.list) == 0 {
			continue
		}
		first := h.list[0]
		points := int64(first.points)
		if h.kind != 0 {
			points += e.place.rules[t].marking[0].now(e, x, first.node)
		}
		if !any || points > top || points == top && first.name < best.name {
			best, top, any = first, points, true
		}
	}
	if !any {
		return -1
	}
	return best.node
}

// holds reports whether a node is still as it was ranked.
func (e *engine) holds(ratings []rating, x *ranked) bool {
	return e.nodes[x.node].ready && ratings[x.node].stamp == x.stamp
}

// enrol puts a node among those of its kind. Where too many there have changed since, they are
// taken out.
func (e *engine) enrol(t int32, x ranked) {
	r, ratings := &e.place.rankings[t], e.place.ratings[t]
	kind := ratings[x.node].kind
	i := slices.IndexFunc(r.heaps, func(h kindHeap) bool { return h.kind == kind })
	if i < 0 {
		i = len(r.heaps)
		r.heaps = append(r.heaps, kindHeap{kind: kind})
	}
	h := &r.heaps[i]
	if len(h.list) > 4*len(e.place.ready)+64 {
		h.list = slices.DeleteFunc(h.list, func(x ranked) bool { return !e.holds(ratings, &x) })
		for k := len(h.list)/2 - 1; k >= 0; k-- {
			h.sink(k)
		}
	}
	h.push(x)
}

// before orders the better first, by name among equals.
func before(a, b *ranked) bool {
	return cmp.Or(cmp.Compare(b.points, a.points), cmp.Compare(a.name, b.name)) < 0
}

func (h *kindHeap) push(x ranked) {
	h.list = append(h.list, x)
	i := len(h.list) - 1
	for i > 0 {
		up := (i - 1) / 2
		if !before(&h.list[i], &h.list[up]) {
			return
		}
		h.list[i], h.list[up] = h.list[up], h.list[i]
		i = up
	}
}

func (h *kindHeap) pop() {
	last := len(h.list) - 1
	h.list[0] = h.list[last]
	h.list = h.list[:last]
	h.sink(0)
}

func (h *kindHeap) sink(i int) {
	for {
		down := 2*i + 1
		if down >= len(h.list) {
			return
		}
		if other := down + 1; other < len(h.list) && before(&h.list[other], &h.list[down]) {
			down = other
		}
		if !before(&h.list[down], &h.list[i]) {
			return
		}
		h.list[i], h.list[down] = h.list[down], h.list[i]
		i = down
	}
}
