package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/fleet"
)

// placement is the scheduler's view: nodes that are ready, by name, and pods
// that fitted nowhere, for each template in the order of their making.
type placement struct {
	ready    []int32     // nodes, ascending by pool's name and ordinal
	able     []int32     // scratch of able
	beside   []int64     // scratch of bestNode
	rules    []concerned // by template
	holders  []concerned // likewise, for placeholders
	pending  [][]int32
	verdicts map[fleet.Verdict]int32
	// holding[i] counts the ready nodes that hold image i.
	holding []int32
	// ratings are, by template and node, what is known of the node for one more of
	// the template's pods; whatever changes the node makes it unrated.
	ratings [][]rating
	// rankings are, by template, the nodes in the order of their ratings.
	rankings  []ranking
	poolOrder []int32 // of pools by name
}

// A rating is what one node is worth to one template's pods.
type rating struct {
	kind   uint64 // of those of which some rule has more to say at the moment, which are alike in it; 0: none has
	points int32  // of its resources and its pool; unrated, or unfit when it may not go there
	stamp  uint32 // how often it was made unrated
	queued bool   // it is among those that the ranking is to look at
}

const (
	unrated = -1
	unfit   = -2
)

// changed makes a node unrated.
func (e *engine) changed(n int32) {
	for t := range e.place.ratings {
		x := &e.place.ratings[t][n]
		x.points = unrated
		x.stamp++
		if r := &e.place.rankings[t]; r.on && !x.queued {
			x.queued = true
			r.changed = append(r.changed, n)
		}
	}
}

// rerate rates a node for one more pod of a template.
func (e *engine) rerate(t, n int32) {
	node, out, x := &e.nodes[n], &e.place.ratings[t][n], look{t: t}
	points := int64(0)
	out.kind = 0
	for _, r := range e.place.rules[t].lasting {
		if r.filter(e, x, n, node.pool) != fleet.Open {
			out.points = unfit
			return
		}
		if r.points != nil {
			points += r.points(e, x, n)
		}
	}
	out.points = int32(points)
	for _, r := range e.place.rules[t].marking {
		out.kind |= r.kind(e, x, n)
	}
}

// bestNode returns the node that is scored best for a pod of a template of those that
// it may go to, the first by name among equals, leaving one out; -1 when there is none.
// A placeholder has no neighbours.
func (e *engine) bestNode(t, except int32, placeholder bool) int32 {
	if len(e.place.ready) >= fewestRanked && except < 0 && !placeholder && e.place.rankings[t].on {
		return e.bestRanked(t)
	}
	return e.bestOfAll(t, except, placeholder)
}

// bestOfAll is bestNode by looking at every node.
func (e *engine) bestOfAll(t, except int32, placeholder bool) int32 {
	x := e.look(t, placeholder, false)
	able := e.able(x, except)
	if len(able) == 0 {
		return -1
	}
	ratings, by := e.place.ratings[t], e.by(x)
	var beside []int64 // what each is worth beside the others
	if len(by.comparing) > 0 && len(able) > 1 {
		beside = append(e.place.beside[:0], make([]int64, len(able))...)
		e.place.beside = beside
		for _, r := range by.comparing {
			r.compare(e, x, able, beside)
		}
	}
	best, top := int32(-1), int64(-1)
	for i, n := range able {
		points := int64(ratings[n].points)
		if ratings[n].kind != 0 {
			for _, r := range by.marking {
				points += r.now(e, x, n)
			}
		}
		if beside != nil {
			points += beside[i]
		}
		if points > top {
			best, top = n, points
		}
	}
	return best
}

// able lists the nodes that a look's pod may go to, by name.
func (e *engine) able(x look, except int32) []int32 {
	list, ratings, passing := e.place.able[:0], e.place.ratings[x.t], e.by(x).passing
	for _, n := range e.place.ready {
		if ratings[n].points == unrated {
			e.rerate(x.t, n)
		}
		if ratings[n].points != unfit && n != except && (len(passing) == 0 || e.passes(passing, x, n, e.nodes[n].pool)) {
			list = append(list, n)
		}
	}
	e.place.able = list
	return list
}

// eachOpen calls f for every node, by name, that a pod of a template may go to if only it had
// room there.
func (e *engine) eachOpen(t int32, f func(n int32)) {
	x := e.look(t, false, false)
	passing := e.by(x).passing
	for _, n := range e.place.ready {
		if node := &e.nodes[n]; !node.closed && e.admits(t, node.pool) && e.passes(passing, x, n, node.pool) {
			f(n)
		}
	}
}

// submitPod tries to place agent a's pod, behind pods of its template that wait.
func (e *engine) submitPod(a int32) {
	t := e.agents[a].template
	if (len(e.place.pending[t]) == 0 || e.backsOff()) && e.tryPlace(a) {
		if (e.stirs(t) || e.w.Preempts) && e.somePending() {
			e.retry()
		}
		return
	}
	e.failed(&e.agents[a])
	e.place.pending[t] = append(e.place.pending[t], a)
	e.podWaits(e.now + e.w.Growth.Patience)
}

// retry tries pods that wait, because room has appeared. A template whose first
// pod does not fit is passed over: its others are alike.
func (e *engine) retry() {
	switch {
	case e.pushing:
		return
	case e.backsOff():
		e.rouse()
		return
	}
	stuck := e.stuck[:0]
	for range e.place.pending {
		stuck = append(stuck, false)
	}
	e.stuck = stuck
	for {
		best := -1
		for t, pods := range e.place.pending {
			if !stuck[t] && len(pods) > 0 && (best < 0 || e.podOrder(pods[0], e.place.pending[best][0]) < 0) {
				best = t
			}
		}
		if best < 0 {
			if e.holders != nil {
				e.placeHolders()
			}
			return
		}
		if !e.tryPlace(e.place.pending[best][0]) {
			stuck[best] = true
			continue
		}
		e.place.pending[best] = withoutFirst(e.place.pending[best])
		if e.stirs(int32(best)) || e.w.Preempts {
			clear(stuck)
		}
	}
}

// withoutFirst is a list without its first: a short one keeps its place, of a long one only the
// beginning moves.
func withoutFirst(list []int32) []int32 {
	if len(list) < 100 {
		return slices.Delete(list, 0, 1)
	}
	return list[1:]
}

// podOrder orders pods as the scheduler's queue does: by priority, then by age; those of one moment by their
// templates' places in the scenario.
func (e *engine) podOrder(a, b int32) int {
	x, y := &e.agents[a], &e.agents[b]
	return cmp.Or(cmp.Compare(e.w.Templates[y.template].Rank, e.w.Templates[x.template].Rank), cmp.Compare(x.created, y.created),
		cmp.Compare(x.team, y.team))
}

// tryPlace binds agent a's pod to the best node with room, or notes why there is
// none.
func (e *engine) tryPlace(a int32) bool {
	g := &e.agents[a]
	best := e.bestNode(g.template, -1, false)
	if best < 0 && e.holders != nil {
		best = e.giveWay(g.template)
	}
	if best < 0 && e.mayPreempt(g.template) {
		best = e.preempt(a)
	}
	if best < 0 {
		if g.verdict < 0 {
			g.verdict = e.verdict(e.refusal(g.template))
		}
		return false
	}
	e.bind(a, best)
	return true
}

// bind puts agent a's pod on node n.
func (e *engine) bind(a, n int32) {
	g, node := &e.agents[a], &e.nodes[n]
	t := &e.w.Templates[g.template]
	if g.waitNode >= 0 {
		e.unbook(a)
	}
	g.node, g.placed = n, e.now
	g.version++ // calls off another try
	node.left.Take(&t.Needs, 1)
	e.changed(n)
	node.scored.CPU += t.Scoring.CPU
	node.scored.Memory += t.Scoring.Memory
	node.pods++
	node.stirs++
	e.moved(g.template, n, 1)
	node.version++ // calls off its going for emptiness
	g.edition = e.edition(t)
	e.useImages(node, g, 1)
	e.useClaims(g.template, n, 1)
	e.observeRequest(t, 1)
	e.prepare(a)
	e.strand(n)
}

// freePod takes agent a's pod off its node.
func (e *engine) freePod(a int32) {
	g := &e.agents[a]
	node := &e.nodes[g.node]
	t := &e.w.Templates[g.template]
	node.left.Take(&t.Needs, -1)
	e.changed(g.node)
	node.scored.CPU -= t.Scoring.CPU
	node.scored.Memory -= t.Scoring.Memory
	node.pods--
	e.moved(g.template, g.node, -1)
	e.useImages(node, g, -1)
	e.useClaims(g.template, g.node, -1)
	e.observeRequest(t, -1)
	e.strand(g.node)
	e.retry()
	if node.pods == 0 {
		e.nodeEmpty(g.node)
		e.goneIfEmpty(g.node)
	} else {
		e.rests(g.node)
	}
}

// admits reports whether a template's pods may go to a pool's nodes, as far as taints,
// selectors and required affinity decide.
func (e *engine) admits(t, pool int32) bool {
	s := &e.sites[t][pool]
	return !s.Tainted && !s.Unwanted
}
