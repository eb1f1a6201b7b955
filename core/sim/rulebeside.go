package sim

import (
	"math"

	"tachyphor/core/fleet"
)

// besideWeight is what the default profile makes of nearness to pods.
const besideWeight = 2

// besideRule keeps pods off nodes without those whom they must be beside, and with those
// whom they keep apart from or who keep apart from them; it prefers the nearness of those
// whom they, or who, would rather be near.
var besideRule = rule{
	concerns: func(e *engine, x look) bool { return !x.placeholder && e.heeds(x.t) },
	filter: func(e *engine, x look, n, pool int32) fleet.Reason {
		h, r := e.near, &e.near.rules[x.t]
		near := true
		for _, i := range r.beside {
			place := h.of(i, n, pool)
			if place < 0 {
				return fleet.NotBeside
			}
			near = near && h.sum(i, place, x.future) > 0
		}
		switch {
		case !near && !(r.first && h.nobody(r.beside, x.future)):
			return fleet.NotBeside
		case h.someone(r.apart, n, pool, x.future):
			return fleet.NotApart
		case h.someone(r.shun, n, pool, x.future):
			return fleet.Unwelcome
		}
		return fleet.Open
	},
	compares: func(e *engine, x look) bool { return len(e.near.rules[x.t].likes) > 0 },
	compare: func(e *engine, x look, nodes []int32, points []int64) {
		e.likePods(&e.near.rules[x.t], nodes, points)
	},
}

// someone reports whether some pod counts in one of some tallies where a node is.
func (h *neighbourhood) someone(list []int32, n, pool int32, future bool) bool {
	for _, i := range list {
		if place := h.of(i, n, pool); place >= 0 && h.sum(i, place, future) > 0 {
			return true
		}
	}
	return false
}

// likePods adds what nearness to pods is worth, brought to 0 to 100.
func (e *engine) likePods(r *rules, nodes []int32, points []int64) {
	raw := e.near.scratch(len(nodes))
	low, high := int64(math.MaxInt64), int64(math.MinInt64)
	for x, n := range nodes {
		raw[x] = 0
		for _, i := range r.likes {
			if place := e.near.of(i, n, e.nodes[n].pool); place >= 0 {
				raw[x] += e.near.here.at(i, place)
			}
		}
		low, high = min(low, raw[x]), max(high, raw[x])
	}
	if high <= low {
		return
	}
	for x := range nodes {
		points[x] += besideWeight * int64(100*(float64(raw[x]-low)/float64(high-low)))
	}
}

// scratch is room for what n nodes are worth.
func (h *neighbourhood) scratch(n int) []int64 {
	h.raw = append(h.raw[:0], make([]int64, n)...)
	return h.raw
}
