package retold

import "slices"

// emptying has the node used least begin to empty, if it has been used little for long enough and the others
// have room for its pods, and for those of the nodes that empty already: each on the first by name that takes
// it and does not stand empty itself, to go.
func (h *harbour) emptying() {
	taken := map[*machine]space{}
	fits := len(h.inOrder()) == 0
	going := map[int]int{}
	for _, n := range h.byName() {
		if n.ready && n.closing {
			going[n.pool]++
			fits = fits && h.houses(n, taken)
		}
	}
	var best *machine
	least := 0.0
	for _, n := range h.byName() {
		if !n.ready {
			continue
		}
		whole, left := h.empty(n.pool), h.left(n)
		used := max(1-float64(left.cpu)/float64(whole.cpu), 1-float64(left.memory)/float64(whole.memory))
		if n.closing || h.on(n) == 0 || used >= h.f.Scaling.DrainBelow || h.count(n.pool)-going[n.pool] <= h.f.Pools[n.pool].Least {
			n.little = Never
			continue
		}
		if n.little == Never {
			n.little = h.now
		}
		if h.now-n.little >= h.f.Scaling.ShrinkAfter && (best == nil || used < least) {
			best, least = n, used
		}
	}
	if best != nil && fits && h.houses(best, taken) {
		best.closing = true
		h.out.Emptied++
	}
}

// houses takes room on other nodes for all pods of one.
func (h *harbour) houses(n *machine, taken map[*machine]space) bool {
	for kind := range h.f.Kinds {
		for _, p := range h.pods {
			if p.node == n && p.kind == kind && !h.house(p, taken) {
				return false
			}
		}
	}
	return true
}

func (h *harbour) house(p *pod, taken map[*machine]space) bool {
	k := h.f.Kinds[p.kind]
	for _, m := range h.byName() {
		if !m.ready || m == p.node || m.closing || !k.Pools[m.pool] || h.on(m) == 0 && h.count(m.pool) > h.f.Pools[m.pool].Least {
			continue
		}
		s, ok := taken[m]
		if !ok {
			s = h.left(m)
		}
		if s.holds(k) {
			taken[m] = s.less(k)
			return true
		}
	}
	return false
}

// reopen opens nodes that empty for pods that have waited long enough, the one used most first.
func (h *harbour) reopen() {
	for {
		var best *machine
		most := 0.0
		for _, n := range h.byName() {
			whole, left := h.empty(n.pool), h.left(n)
			used := max(1-float64(left.cpu)/float64(whole.cpu), 1-float64(left.memory)/float64(whole.memory))
			helps := slices.ContainsFunc(h.inOrder(), func(p *pod) bool {
				return p.created+h.f.Scaling.Patience <= h.now && h.f.Kinds[p.kind].Pools[n.pool] && left.holds(h.f.Kinds[p.kind])
			})
			if n.ready && n.closing && used >= most && helps {
				best, most = n, used
			}
		}
		if best == nil {
			return
		}
		best.closing, best.little = false, Never
		h.out.Reopened++
		h.placeAll()
	}
}
