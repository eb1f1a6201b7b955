package sim

import (
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A template may be changed while agents of it are there: from then on agents are made of what it has become,
// and those of before go on as they are, until they go by themselves or are taken away.

// A Rollout is what became of the agents of before, after a template was changed.
type Rollout struct {
	Idle, Busy, Coming int            // agents of before, at that moment
	Jobs               int            // that began on them afterwards
	LastJob            units.Duration // when the last of those began
	Gone               units.Duration // when the last of them went; below 0: it has not, or the template was changed again before
	left               int
}

// planChanges plans the changes of what agents are made of.
func (e *engine) planChanges() {
	for i := range e.w.Changes {
		if e.w.Changes[i].Becomes >= 0 {
			e.queue.plan(e.w.Changes[i].At, templateChanges, int32(i), 0)
		}
	}
}

// templateChanges has agents of a template be made of what it becomes.
func (e *engine) templateChanges(i int32) {
	c := &e.w.Changes[i]
	t := int32(c.Template)
	team, r := &e.teams[t], &e.trace.Rollouts[i]
	team.form, team.change, team.recycles = int32(c.Becomes), i+1, c.Recycle == document.RecycleAll
	for a := range e.agents {
		g := &e.agents[a]
		if g.team != t || g.state == gone {
			continue
		}
		was := g.before
		g.before = g.template != team.form
		switch {
		case g.before && !was:
			e.observeBefore(1)
		case was && !g.before: // it is what it was
			e.observeBefore(-1)
		}
		if !g.before {
			continue
		}
		r.left++
		switch g.state {
		case idle:
			r.Idle++
		case busy, wiping:
			r.Busy++
		default:
			r.Coming++
		}
	}
	if r.left > 0 {
		r.Gone = -1
	} else {
		r.Gone = e.now
	}
	if c.Recycle != document.RecycleIdle && c.Recycle != document.RecycleAll {
		return
	}
	for a := e.teams[t].oldest; a >= 0; {
		newer := e.agents[a].newer
		if e.agents[a].before {
			e.takeIdle(a)
			e.leave(a)
		}
		a = newer
	}
}

// isRecycled reports whether an agent goes with its job because its template has been changed.
func (e *engine) isRecycled(g *agent) bool { return g.before && e.teams[g.team].recycles }

// beganBefore notes a job that begins on an agent of before its template was changed.
func (e *engine) beganBefore(g *agent) {
	if c := e.teams[g.team].change; g.before && c > 0 {
		r := &e.trace.Rollouts[c-1]
		r.Jobs++
		r.LastJob = e.now
	}
}

// wentBefore notes that such an agent went.
func (e *engine) wentBefore(g *agent) {
	if !g.before {
		return
	}
	e.observeBefore(-1)
	r := &e.trace.Rollouts[e.teams[g.team].change-1]
	if r.left--; r.left == 0 {
		r.Gone = e.now
	}
}

// stuckOf are the pods of a template's agents that have no node, in the order of their making.
func (e *engine) stuckOf(t int32) []int32 {
	if len(e.w.Templates) == len(e.teams) {
		return e.place.pending[t]
	}
	var out []int32
	for f, pods := range e.place.pending {
		if e.w.Templates[f].Of == int(t) {
			out = append(out, pods...)
		}
	}
	slices.SortStableFunc(out, func(a, b int32) int { return int(e.agents[a].ordinal - e.agents[b].ordinal) })
	return out
}
