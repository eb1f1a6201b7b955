package retold

import (
	"cmp"
	"math"
	"slices"
)

// scan has pods that have waited long enough promised room: on nodes that boot, then on new
// ones.
func (h *harbour) scan() {
	if h.f.Scaling.DrainBelow > 0 {
		h.reopen()
	}
	var list []*pod
	for _, p := range h.inOrder() {
		if p.booked == nil && p.created+h.f.Scaling.Patience <= h.now {
			list = append(list, p)
		}
	}
	booting := slices.DeleteFunc(h.byName(), func(n *machine) bool { return n.gone || n.ready })
	slices.SortStableFunc(booting, func(a, b *machine) int { return h.out.Lives[a.life].Asked - h.out.Lives[b.life].Asked })
	for _, n := range booting {
		list = h.fill(n, list)
	}
	set := h.cheapest(list)
	for len(list) > 0 {
		pool := Never
		if len(set) > 0 {
			pool, set = set[0], set[1:]
		} else if pool = h.choose(list); pool == Never {
			return
		}
		list = h.fill(h.ask(pool), list)
	}
}

// fill promises a node's room to the pods that it can take, in order, and returns the others.
func (h *harbour) fill(n *machine, list []*pod) (rest []*pod) {
	for _, p := range list {
		if k := h.f.Kinds[p.kind]; k.Pools[n.pool] && h.left(n).holds(k) {
			p.booked = n
		} else {
			rest = append(rest, p)
		}
	}
	return rest
}

// packs says which of the pods in list a new node would not take, and what it has left.
func (h *harbour) packs(pool int, list []*pod) (rest []*pod, left space) {
	left = h.empty(pool)
	for _, p := range list {
		if k := h.f.Kinds[p.kind]; k.Pools[pool] && left.holds(k) {
			left = left.less(k)
		} else {
			rest = append(rest, p)
		}
	}
	return rest, left
}

// choose is the pool that gains a node next, by the rule.
func (h *harbour) choose(list []*pod) int {
	best, least := Never, 0.0
	for pool, p := range h.f.Pools {
		rest, left := h.packs(pool, list)
		took := len(list) - len(rest)
		if h.count(pool) >= p.Most || took == 0 {
			continue
		}
		value := p.Price / float64(took)
		switch h.f.Scaling.Choose {
		case "listed":
			return pool
		case "tightest":
			whole := h.empty(pool)
			value = float64(left.cpu)/float64(whole.cpu) + float64(left.memory)/float64(whole.memory)
		}
		if best == Never || value < least || value == least && p.Name < h.f.Pools[best].Name {
			best, least = pool, value
		}
	}
	return best
}

// mostPacked is for how many pods the cheapest set of nodes is looked for.
const mostPacked = 24

// cheapest is the set of new nodes that takes most of the pods, for the least money, of
// equals that of fewest nodes, then the first by name. Every set is looked at.
func (h *harbour) cheapest(list []*pod) []int {
	var pools []int
	for pool, p := range h.f.Pools {
		if h.count(pool) < p.Most {
			pools = append(pools, pool)
		}
	}
	if h.f.Scaling.Choose != "cheapest" || len(list) < 2 || len(list) > mostPacked || len(pools) < 2 {
		return nil
	}
	slices.SortFunc(pools, func(a, b int) int { return cmp.Compare(h.f.Pools[a].Name, h.f.Pools[b].Name) })
	type set struct {
		nodes []int // places in pools
		left  int
		price float64
	}
	all := []set{{left: len(list)}}
	for i := 0; i < len(all); i++ { // every set with one node more, of the last pool or a later one
		s := all[i]
		rest := list
		for _, at := range s.nodes {
			rest, _ = h.packs(pools[at], rest)
		}
		from := 0
		if len(s.nodes) > 0 {
			from = s.nodes[len(s.nodes)-1]
		}
		for at := from; at < len(pools); at++ {
			has := 0
			for _, x := range s.nodes {
				if x == at {
					has++
				}
			}
			after, _ := h.packs(pools[at], rest)
			if p := h.f.Pools[pools[at]]; h.count(pools[at])+has < p.Most && len(after) < len(rest) {
				all = append(all, set{append(slices.Clone(s.nodes), at), len(after), s.price + p.Price})
			}
		}
	}
	best := slices.MinFunc(all, func(a, b set) int {
		price := cmp.Compare(a.price, b.price)
		if math.Abs(a.price-b.price) < 1e-9 {
			price = 0
		}
		return cmp.Or(cmp.Compare(a.left, b.left), price, cmp.Compare(len(a.nodes), len(b.nodes)), slices.Compare(a.nodes, b.nodes))
	})
	out := []int{}
	for _, at := range best.nodes {
		out = append(out, pools[at])
	}
	return out
}
