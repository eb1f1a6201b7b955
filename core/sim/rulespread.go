package sim

import (
	"math"

	"tachyphor/core/fleet"
	"tachyphor/core/portable"
)

// spreadWeight is what the default profile makes of evenness.
const spreadWeight = 2

// spreadRule keeps pods off nodes in places that have too many of their like already, and
// prefers places with fewer.
var spreadRule = rule{
	concerns: func(e *engine, x look) bool { return !x.placeholder && e.heeds(x.t) },
	filter: func(e *engine, x look, n, pool int32) fleet.Reason {
		must := e.near.rules[x.t].must
		for i := range must {
			m := &must[i]
			place := e.near.of(m.tally, n, pool)
			if place < 0 {
				return fleet.NoPlace
			}
			if e.near.sum(m.tally, place, x.future)+m.self-x.lowest[i] > m.skew {
				return fleet.Uneven
			}
		}
		return fleet.Open
	},
	compares: func(e *engine, x look) bool { return len(e.near.rules[x.t].may) > 0 },
	compare: func(e *engine, x look, nodes []int32, points []int64) {
		e.likeEven(&e.near.rules[x.t], nodes, points)
	},
}

// lowest returns, for each rule by which a template's pods must be spread, the fewest
// pods that a place has.
func (e *engine) lowest(t int32, future bool) []int64 {
	h := e.near
	h.floors = h.floors[:0]
	for i := range h.rules[t].must {
		h.floors = append(h.floors, e.lowestOf(&h.rules[t].must[i], future))
	}
	return h.floors
}

// lowestOf finds the fewest pods that a place has; 0 where there are fewer places than
// there should be. Places are those of nodes that are ready, and of those that will be
// when the future is meant.
func (e *engine) lowestOf(r *even, future bool) int64 {
	h, y := e.near, &e.near.tallies[r.tally]
	k := &h.places[y.at]
	least, many := int64(math.MaxInt64), 0
	h.seen = append(h.seen[:0], make([]bool, k.many)...)
	look := func(n, pool int32) {
		if !y.pools[pool] {
			return
		}
		place := h.of(r.tally, n, pool)
		if !k.each {
			if h.seen[place] {
				return
			}
			h.seen[place] = true
		}
		many++
		least = min(least, h.sum(r.tally, place, future))
	}
	for _, n := range e.place.ready {
		look(n, e.nodes[n].pool)
	}
	if future {
		for _, n := range e.booting {
			look(n, e.nodes[n].pool)
		}
		if h.imagined >= 0 {
			look(int32(len(e.nodes)), h.imagined)
		}
	}
	if many < r.least {
		return 0
	}
	return least
}

// likeEven adds what evenness is worth: the fewer are there the better, brought to 0 to
// 100. A place among many counts more, and a node without one of the labels nothing.
func (e *engine) likeEven(r *rules, nodes []int32, points []int64) {
	h := e.near
	raw := h.scratch(len(nodes))
	const nowhere = -1
	for x, n := range nodes {
		raw[x] = 0
		for i := range r.may {
			if h.of(r.may[i].tally, n, e.nodes[n].pool) < 0 {
				raw[x] = nowhere
			}
		}
	}
	weights := make([]float64, len(r.may))
	for i := range r.may {
		k := &h.places[h.tallies[r.may[i].tally].at]
		h.seen = append(h.seen[:0], make([]bool, k.many)...)
		many := 0
		for x, n := range nodes {
			if raw[x] == nowhere {
				continue
			}
			if place := h.of(r.may[i].tally, n, e.nodes[n].pool); k.each || !h.seen[place] {
				many++
				if !k.each {
					h.seen[place] = true
				}
			}
		}
		weights[i] = portable.Log(float64(many + 2))
	}
	low, high := int64(math.MaxInt64), int64(0)
	for x, n := range nodes {
		if raw[x] == nowhere {
			continue
		}
		sum := 0.0
		for i := range r.may {
			m := &r.may[i]
			there := h.here.at(m.tally, h.of(m.tally, n, e.nodes[n].pool))
			sum += float64(float64(there)*weights[i]) + float64(m.skew-1)
		}
		raw[x] = int64(math.Round(sum))
		low, high = min(low, raw[x]), max(high, raw[x])
	}
	for x := range nodes {
		switch {
		case raw[x] == nowhere:
		case high == 0:
			points[x] += spreadWeight * 100
		default:
			points[x] += spreadWeight * (100 * (high + low - raw[x]) / high)
		}
	}
}
