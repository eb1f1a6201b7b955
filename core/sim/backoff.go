package sim

import (
	"slices"

	"tachyphor/core/fleet"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// The scheduler leaves a pod alone for a while that it tried in vain, longer each time, and
// tries it when that is over and something has happened that may help it. A pod that comes
// then does not wait for those.

// A tried is what is known of a pod that fitted nowhere.
type tried struct {
	times int            // in vain
	last  units.Duration // when that was
	could units.Duration // since when it would fit, but is left alone; never if it would not
}

// backsOff reports whether the scheduler leaves pods alone that it tried in vain.
func (e *engine) backsOff() bool { return e.w.Backoff.Initial > 0 }

// pause is how long a pod is left alone that was tried so often.
func pause(w *world.World, times int) units.Duration {
	d := w.Backoff.Initial
	for ; times > 1 && d < w.Backoff.Max; times-- {
		d *= 2
	}
	return min(d, w.Backoff.Max)
}

// failed notes that a pod was tried in vain; what comes at one moment is one try.
func (e *engine) failed(g *agent) {
	if g.tried.times == 0 || g.tried.last < e.now {
		g.tried.times++
	}
	g.tried.last, g.tried.could = e.now, never
}

// rouse has the pods that wait tried again because room may have appeared: those that are not
// left alone now, the others when that is over.
func (e *engine) rouse() {
	var list []int32
	for _, pods := range e.place.pending {
		list = append(list, pods...)
	}
	slices.SortStableFunc(list, e.podOrder)
	barred := make([]bool, len(e.w.Templates)) // templates whose pods are known to fit nowhere now
	for _, a := range list {
		g := &e.agents[a]
		due := g.tried.last + pause(e.w, g.tried.times)
		switch {
		case g.tried.last == e.now || due <= e.now:
			if !barred[g.template] && e.tryPlace(a) {
				e.placed(a)
				if e.stirs(g.template) {
					clear(barred)
				}
				continue
			}
			barred[g.template] = true
			e.failed(g)
		default:
			if g.tried.could == never && !barred[g.template] {
				if e.bestNode(g.template, -1, false) < 0 {
					barred[g.template] = true
				} else {
					g.tried.could = e.now
				}
			}
			e.later(a, due-e.now, backoffEnds)
		}
	}
	if e.holders != nil {
		e.placeHolders()
	}
}

// placed takes a pod off those that wait for a node.
func (e *engine) placed(a int32) {
	pending := &e.place.pending[e.agents[a].template]
	i := slices.Index(*pending, a)
	*pending = slices.Delete(*pending, i, i+1)
}

// backoffEnds tries a pod that something may have helped while it was left alone.
func (e *engine) backoffEnds(a int32) {
	g := &e.agents[a]
	if !e.tryPlace(a) {
		e.failed(g)
		e.podWaits(e.now)
		return
	}
	e.placed(a)
	if e.stirs(g.template) {
		e.rouse()
	}
}

// awaited reports whether pods that are left alone would fit on a node.
func (e *engine) awaited(n int32) bool {
	if !e.backsOff() {
		return false
	}
	for t, pods := range e.place.pending {
		alone := func(a int32) bool { return e.agents[a].tried.could < never }
		if x := e.look(int32(t), false, false); slices.ContainsFunc(pods, alone) && slices.Contains(e.able(x, -1), n) {
			return true
		}
	}
	return false
}

// nodeKnown comes when the cluster knows a node that is not ready yet: pods that wait are
// tried in vain.
func (e *engine) nodeKnown(n int32) {
	if !e.nodes[n].gone && e.somePending() {
		e.rouse()
	}
}

// unhelped leaves out the pods that nodes which are ready have room for, and that are only
// left alone: nobody asks for a node for them.
func (e *engine) unhelped(list []int32) []int32 {
	left := map[int32]fleet.Room{}
	return slices.DeleteFunc(list, func(a int32) bool {
		t := e.agents[a].template
		if e.heeds(t) || len(e.w.Templates[t].ClaimAt) > 0 {
			return e.bestNode(t, -1, false) >= 0
		}
		return e.takesRoom(t, left, func(int32) bool { return false })
	})
}
