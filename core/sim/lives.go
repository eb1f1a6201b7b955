package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// An agent has a life of its own: so many jobs at most, so much time at most, and then a fresh one takes
// its place where one is needed. What its jobs leave behind makes those after them longer, or fail.

// A Life sums up the agents of a template that had joined and went.
type Life struct {
	Agents int64
	Jobs   int64                     // that ended on them
	Age    units.Sum[units.Duration] // from joining to going
	ByJobs int64                     // that went because they had had their most jobs
	ByAge  int64                     // because they were past their most age
}

// observeLife sees agent g go.
func (e *engine) observeLife(g *agent) {
	if g.joined < 0 || !e.inWindow() {
		return
	}
	l, n := &e.trace.Lives[g.team], &e.w.Templates[g.template].Numbers
	l.Agents++
	l.Jobs += int64(g.jobs)
	l.Age.Add(e.now - g.joined)
	switch {
	case n.MostJobs > 0 && int(g.jobs) >= n.MostJobs:
		l.ByJobs++
	case e.tooOld(g):
		l.ByAge++
	}
}

// isOver reports whether an agent that has done with a job takes no other.
func (e *engine) isOver(g *agent) bool {
	n := &e.w.Templates[g.template].Numbers
	return n.Reuse == document.Never || n.MostJobs > 0 && int(g.jobs) >= n.MostJobs || e.tooOld(g) || e.isRecycled(g)
}

// tooOld reports whether an agent is past its most age.
func (e *engine) tooOld(g *agent) bool {
	most := e.w.Templates[g.template].Numbers.MostAge
	return most > 0 && g.joined+most <= e.now
}

// preferred is the idle agent of a template that takes the next job: the one idle last or longest, of
// those that are not past their most age; -1: there is none.
func (e *engine) preferred(t int32) int32 {
	team, n := &e.teams[t], &e.w.Templates[t].Numbers
	a := team.newest
	if n.Prefer == document.Oldest {
		a = team.oldest
	}
	for n.MostAge > 0 && a >= 0 && e.tooOld(&e.agents[a]) {
		if n.Prefer == document.Oldest {
			a = e.agents[a].newer
		} else {
			a = e.agents[a].older
		}
	}
	return a
}

// retire lets the idle agents of a template go that are past their most age, and plans the next look.
func (e *engine) retire(t int32) {
	if e.w.Templates[t].Numbers.MostAge == 0 {
		return
	}
	next := never
	for a := e.teams[t].oldest; a >= 0; {
		g := &e.agents[a]
		newer := g.newer
		if e.tooOld(g) {
			e.takeIdle(a)
			e.leave(a)
		} else {
			next = min(next, g.joined+e.w.Templates[t].Numbers.MostAge)
		}
		a = newer
	}
	if next < never {
		e.wake(t, next)
	}
}

// hindrance is how much longer a job's own work takes for what its agent's jobs before it left.
func hindrance(own units.Duration, class *world.Class, before int32) units.Duration {
	return units.Duration(float64(own) * class.Leftovers.Slower * float64(before))
}

// spoils reports whether what its agent's jobs before it left makes job j fail: each of them does so by
// itself.
func (e *engine) spoils(j int32, class *world.Class, before int32) bool {
	p := class.Leftovers.Fails
	if p == 0 || before == 0 {
		return false
	}
	well := 0.0
	if p < 1 {
		well = portable.Pow(1-p, float64(before))
	}
	return e.root.For(chance.Spoils, e.jobs.List[j].Key, uint64(e.trace.Records[j].Lost)).Uniform() >= well
}
