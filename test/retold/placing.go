package retold

import (
	"cmp"
	"math"
	"slices"
)

// A space is what is left on a node, or would be.
type space struct{ cpu, memory, pods int }

func (h *harbour) empty(pool int) space {
	p := h.f.Pools[pool]
	return space{p.CPU - p.CPUTaken, p.Memory - p.MemoryTaken, p.Pods}
}

// left is what is left on a node beside the pods that are on it, or that it was promised to.
func (h *harbour) left(n *machine) space {
	s := h.empty(n.pool)
	for _, p := range h.pods {
		if p.node == n || p.booked == n {
			s = s.less(h.f.Kinds[p.kind])
		}
	}
	return s
}

func (s space) less(k Kind) space { return space{s.cpu - k.CPU, s.memory - k.Memory, s.pods - 1} }

func (s space) holds(k Kind) bool { return s.cpu >= k.CPU && s.memory >= k.Memory && s.pods >= 1 }

// inOrder lists pods without a node as the scheduler's queue has them.
func (h *harbour) inOrder() []*pod {
	var out []*pod
	for kind := range h.f.Kinds { // pods of one moment: by kind, then as they were made
		for _, p := range h.pods {
			if p.kind == kind && p.state == pending {
				out = append(out, p)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b *pod) int {
		return cmp.Or(cmp.Compare(h.f.Kinds[b.kind].Priority, h.f.Kinds[a.kind].Priority), cmp.Compare(a.created, b.created))
	})
	return out
}

// placeAll tries every pod that waits.
func (h *harbour) placeAll() {
	for _, p := range h.inOrder() {
		h.place(p)
	}
}

// place puts a pod on the node that is scored best of those that have room, the first by
// name among equals.
func (h *harbour) place(p *pod) {
	k := h.f.Kinds[p.kind]
	var best *machine
	top := -1
	for _, n := range h.byName() {
		if s := h.left(n); n.ready && !n.closing && k.Pools[n.pool] && s.holds(k) {
			if points := h.score(n.pool, s, k); points > top {
				best, top = n, points
			}
		}
	}
	if best != nil {
		p.node, p.booked, p.state, p.until, p.turn = best, nil, starting, h.now+h.f.Start, h.turn()
		best.emptied = Never
	}
}

func (h *harbour) byName() []*machine {
	out := slices.Clone(h.nodes)
	slices.SortFunc(out, func(a, b *machine) int {
		return cmp.Or(cmp.Compare(h.f.Pools[a.pool].Name, h.f.Pools[b.pool].Name), cmp.Compare(a.ordinal, b.ordinal))
	})
	return out
}

// score is how good a node with some space left is for one more pod: how much of it would be
// free, or taken, and how even CPU and memory would be.
func (h *harbour) score(pool int, s space, k Kind) int {
	whole := h.empty(pool)
	part := func(left, of int) int {
		if h.f.Scaling.Pack {
			return (of - left) * 100 / of
		}
		return left * 100 / of
	}
	then := s.less(k)
	even := func(s space) int {
		c, m := float64(whole.cpu-s.cpu)/float64(whole.cpu), float64(whole.memory-s.memory)/float64(whole.memory)
		return int((1 - math.Abs((c-m)/2)) * 100)
	}
	return (part(then.cpu, whole.cpu)+part(then.memory, whole.memory))/2 + 50 + (50+even(then)-even(s))/2
}
