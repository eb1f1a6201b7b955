package sim

import (
	"math"

	"tachyphor/core/portable"
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
	points   []int64 // scratch of liking
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

// A bar is what neighbours keep a pod off a node for.
type bar uint8

// Bars, in the order in which the scheduler finds them.
const (
	open      bar = iota
	noPlace       // the node has not the label that the pod is spread over
	uneven        // too many are there already
	notBeside     // nobody is there whom it must be beside
	notApart      // one is there whom it keeps apart from
	unwelcome     // one is there who keeps apart from it
)

// portTaken reports whether a pod of the node has one of the template's ports.
func (e *engine) portTaken(t, n, pool int32, future bool) bool {
	i := e.near.rules[t].ports
	return i >= 0 && e.near.sum(i, e.near.of(i, n, pool), future) > 0
}

// kept says whether neighbours keep a template's pod off a node; lowest are what the
// function of that name says. future: promised room counts too.
func (e *engine) kept(t, n, pool int32, lowest []int64, future bool) bar {
	h := e.near
	r := &h.rules[t]
	for i := range r.must {
		m := &r.must[i]
		place := h.of(m.tally, n, pool)
		if place < 0 {
			return noPlace
		}
		if h.sum(m.tally, place, future)+m.self-lowest[i] > m.skew {
			return uneven
		}
	}
	near := true
	for _, i := range r.beside {
		place := h.of(i, n, pool)
		if place < 0 {
			return notBeside
		}
		near = near && h.sum(i, place, future) > 0
	}
	if !near && !(r.first && h.nobody(r.beside, future)) {
		return notBeside
	}
	some := func(list []int32) bool {
		for _, i := range list {
			if place := h.of(i, n, pool); place >= 0 && h.sum(i, place, future) > 0 {
				return true
			}
		}
		return false
	}
	switch {
	case some(r.apart):
		return notApart
	case some(r.shun):
		return unwelcome
	}
	return open
}

// heeds reports whether rules on neighbours touch a template's pods at all.
func (e *engine) heeds(t int32) bool { return e.near != nil && e.near.rules[t].any }

// takes reports whether neighbours let a template's pod on a node that will be.
func (e *engine) takes(t, n, pool int32) bool {
	return !e.heeds(t) || !e.portTaken(t, n, pool, true) && e.kept(t, n, pool, e.lowest(t, true), true) == open
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

// Weights of the default scheduler profile.
const (
	besideWeight = 2
	spreadWeight = 2
)

// liking returns what neighbours make each of some nodes worth to a template's pod; nil
// where it does not care.
func (e *engine) liking(t int32, nodes []int32) []int64 {
	h := e.near
	r := &h.rules[t]
	if len(r.likes)+len(r.may) == 0 || len(nodes) < 2 {
		return nil
	}
	h.points = append(h.points[:0], make([]int64, 2*len(nodes))...)
	points, raw := h.points[:len(nodes)], h.points[len(nodes):]
	e.likePods(r, nodes, points, raw)
	e.likeEven(r, nodes, points, raw)
	return points
}

// likePods adds what nearness to pods is worth, brought to 0 to 100.
func (e *engine) likePods(r *rules, nodes []int32, points, raw []int64) {
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

// likeEven adds what evenness is worth: the fewer are there the better, brought to 0 to
// 100. A place among many counts more, and a node without one of the labels nothing.
func (e *engine) likeEven(r *rules, nodes []int32, points, raw []int64) {
	if len(r.may) == 0 {
		return
	}
	h := e.near
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
