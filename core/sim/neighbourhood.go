package sim

import (
	"slices"

	"tachyphor/core/fleet"
)

// A census counts pods by tally and place.
type census struct {
	in  [][]int64
	all []int64
}

func newCensus(n int) census { return census{make([][]int64, n), make([]int64, n)} }

func (c *census) add(tally, place int32, n int64) {
	for int(place) >= len(c.in[tally]) {
		c.in[tally] = append(c.in[tally], 0)
	}
	c.in[tally][place] += n
	c.all[tally] += n
}

func (c *census) at(tally, place int32) int64 {
	if in := c.in[tally]; int(place) < len(in) {
		return in[place]
	}
	return 0
}

// neighbourhood is where pods are and will be, as rules on neighbours see it.
type neighbourhood struct {
	*neighbours
	here   census // pods on nodes
	coming census // pods that are promised room on nodes that boot
	// imagined is the pool of a node that a pool may be asked for, numbered after all
	// others; −1: none.
	imagined int32
	floors   []int64 // scratch of lowest
	seen     []bool  // scratch of lowestOf
	raw      []int64 // scratch of what neighbours are worth
}

func newNeighbourhood(m *neighbours) *neighbourhood {
	if m == nil {
		return nil
	}
	return &neighbourhood{neighbours: m, here: newCensus(len(m.tallies)), coming: newCensus(len(m.tallies)), imagined: -1}
}

// of is the place of a node for a tally; −1: it has none.
func (h *neighbourhood) of(tally, n, pool int32) int32 {
	k := &h.places[h.tallies[tally].at]
	if k.each {
		return n
	}
	return k.of[pool]
}

// count counts by pods (1 or −1) of a template on a node, or promised to one that
// boots.
func (h *neighbourhood) count(c *census, t, n, pool int32, by int64) {
	for _, i := range h.counted[t] {
		y := &h.tallies[i]
		if place := h.of(i, n, pool); place >= 0 && (y.pools == nil || y.pools[pool]) {
			c.add(i, place, by*y.worth[t])
		}
	}
}

// sum is what a tally has in a place; with those that are promised room, when the
// future is meant.
func (h *neighbourhood) sum(tally, place int32, future bool) int64 {
	n := h.here.at(tally, place)
	if future {
		n += h.coming.at(tally, place)
	}
	return n
}

// nobody reports whether no pod counts in any of some tallies.
func (h *neighbourhood) nobody(list []int32, future bool) bool {
	for _, i := range list {
		if h.here.all[i] != 0 || future && h.coming.all[i] != 0 {
			return false
		}
	}
	return true
}

// heeds reports whether rules on neighbours touch a template's pods at all.
func (e *engine) heeds(t int32) bool { return e.near != nil && e.near.rules[t].any }

// takes reports whether neighbours let a template's pod on a node that will be.
func (e *engine) takes(t, n, pool int32) bool {
	if !e.heeds(t) {
		return true
	}
	x := e.look(t, false, true)
	return !slices.ContainsFunc(e.place.rules[t].passing, func(r *rule) bool {
		return r != &volumeRule && r.filter(e, x, n, pool) != fleet.Open
	})
}

// moved counts by (1 or −1) a pod of a template on a node.
func (e *engine) moved(t, n int32, by int64) {
	if e.near != nil {
		e.near.count(&e.near.here, t, n, e.nodes[n].pool, by)
	}
}

// promised counts by (1 or −1) a pod of a template that is promised room on a node of a
// pool, which boots or is imagined.
func (e *engine) promised(t, n, pool int32, by int64) {
	if e.near != nil {
		e.near.count(&e.near.coming, t, n, pool, by)
	}
}

// stirs reports whether a new pod of a template may make room for others: beside it, or
// because more may now be where it is not.
func (e *engine) stirs(t int32) bool { return e.near != nil && len(e.near.counted[t]) > 0 }
