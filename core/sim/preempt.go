package sim

import (
	"cmp"
	"math"
	"slices"

	"tachyphor/core/world"
)

// A pod that fits nowhere has those of lower priority pushed off a node, where that makes
// room: the fewest that must go. Source: k8s.io/kubernetes v1.37,
// pkg/scheduler/framework/preemption (pickOneNodeForPreemption) and
// plugins/defaultpreemption (SelectVictimsOnNode).

// pushed are the pods that would have to leave a node for another.
type pushed struct {
	node    int32
	agents  []int32 // by importance: the higher priority first, then the older
	holders []int32 // templates of placeholders, which go before any agent
}

// mayPreempt reports whether pods of a template push others off nodes.
func (e *engine) mayPreempt(t int32) bool {
	tm := &e.w.Templates[t]
	return e.w.Preempts && !tm.StandsBack && slices.ContainsFunc(e.w.Templates, func(x world.Template) bool { return x.Rank < tm.Rank })
}

// preempt makes room for agent a's pod and returns the node; -1 where pushing others off does
// not help.
func (e *engine) preempt(a int32) int32 {
	t := e.agents[a].template
	var best *pushed
	lower := e.lower(t)
	e.eachOpen(t, func(n int32) {
		if v := e.wouldPush(t, n, lower[n]); v != nil && (best == nil || e.milder(v, best)) {
			best = v
		}
	})
	if best == nil {
		return -1
	}
	e.pushing = true // nobody else takes the room meanwhile
	for _, h := range best.holders {
		e.moveHolder(best.node, h, -1)
		e.podWaits(e.now + e.w.Growth.Patience)
	}
	for _, v := range best.agents {
		e.push(v)
	}
	e.pushing = false
	return best.node
}

// lower are the agents with pods of lower priority than a template's, by node.
func (e *engine) lower(t int32) map[int32][]int32 {
	out := map[int32][]int32{}
	for a := range e.agents {
		g := &e.agents[a]
		if g.state != gone && g.state != unplaced && e.w.Templates[g.template].Rank < e.w.Templates[t].Rank {
			out[g.node] = append(out[g.node], int32(a))
		}
	}
	return out
}

// wouldPush lists who must leave a node for a pod of a template: all of lower priority but
// those that still have room beside it, the more important ones first. It is nil where it
// would not fit even then.
func (e *engine) wouldPush(t, n int32, lower []int32) *pushed {
	node, need := &e.nodes[n], &e.w.Templates[t].Needs
	room, v := node.left, &pushed{node: n}
	for _, a := range lower {
		room.Take(&e.w.Templates[e.agents[a].template].Needs, -1)
	}
	for h, k := range node.holders {
		for range k {
			v.holders = append(v.holders, int32(h))
			room.Take(&e.w.Templates[h].Needs, -1)
		}
	}
	if room.Lacks(need).Short() {
		return nil
	}
	room.Take(need, 1)
	slices.SortFunc(lower, func(a, b int32) int {
		x, y := &e.agents[a], &e.agents[b]
		return cmp.Or(cmp.Compare(e.w.Templates[y.template].Rank, e.w.Templates[x.template].Rank), cmp.Compare(x.placed, y.placed),
			cmp.Compare(e.w.Templates[x.template].Name, e.w.Templates[y.template].Name), cmp.Compare(x.ordinal, y.ordinal))
	})
	stays := func(t int32) bool {
		if room.Lacks(&e.w.Templates[t].Needs).Short() {
			return false
		}
		room.Take(&e.w.Templates[t].Needs, 1)
		return true
	}
	for _, a := range lower {
		if !stays(e.agents[a].template) {
			v.agents = append(v.agents, a)
		}
	}
	v.holders = slices.DeleteFunc(v.holders, stays)
	return v
}

// milder reports whether pushing some off is better than others: the first by the most
// important of them, then by all their priorities, by how many they are, and by how long
// the most important have run. Of equals the node that comes first by name is taken.
func (e *engine) milder(v, w *pushed) bool {
	x, y := e.harmOf(v), e.harmOf(w)
	return cmp.Or(cmp.Compare(x.highest, y.highest), cmp.Compare(x.sum, y.sum), cmp.Compare(x.pods, y.pods), cmp.Compare(y.since, x.since)) < 0
}

// harm is what pushing pods off a node comes to.
type harm struct {
	highest int64 // priority of the most important; below all where there is none
	sum     int64 // of priorities, each counted from the lowest that there is
	pods    int
	since   int64 // when the oldest of the most important was placed
}

func (e *engine) harmOf(v *pushed) harm {
	h := harm{highest: math.MinInt64, pods: len(v.agents) + len(v.holders), since: math.MaxInt64}
	if len(v.holders) > 0 {
		h.highest = math.MinInt32
	}
	for i, a := range v.agents {
		g := &e.agents[a]
		p := int64(e.w.Templates[g.template].Rank)
		if i == 0 {
			h.highest = p
		}
		if p == h.highest {
			h.since = min(h.since, int64(g.placed))
		}
		h.sum += p - math.MinInt32
	}
	return h
}

// push takes agent a off its node, whatever it does.
func (e *engine) push(a int32) {
	switch g := &e.agents[a]; g.state {
	case busy:
		e.cut(a, Preempted)
	case wiping:
		e.end(a)
	case idle:
		e.takeIdle(a)
		e.leave(a)
	default:
		e.forget(a)
		e.giveUp(a)
	}
	e.trace.Pushed++
}
