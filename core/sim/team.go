package sim

import (
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// A team is what the controller knows of one template.
type team struct {
	// total = coming + idle + busy and wiping agents. The first promised jobs in
	// the queue have an agent coming: promised = min(coming, queue's length)
	// after every round.
	total, coming, idle, promised int
	made                          int32
	change                        int32 // the last change of what they are made of, plus 1; 0: none yet
	recycles                      bool  // those of before go when their job is done
	form                          int32 // what its agents are made of now, as an index into the engine's templates

	queue   jobQueue // jobs the controller has taken in and that have not started
	arrived []int32  // jobs since then, in the order of their coming
	looked  int      // of those, the first ones that a round has seen and not taken in

	oldest, newest int32 // ends of the list of idle agents, by idleSince; -1 when empty

	numbers demand.Numbers // that hold now
	step    int            // index of numbers in the calendar

	due       units.Duration // next round, or never
	lastShort units.Duration // last moment at which a job that a round had seen was without an agent
	held      []heldSince    // why jobs at the unpromised end of the queue are held; empty when there are none
	blocked   Cause          // what stopped the template's starts, for jobs or ahead of them
	isBlocked bool           // something did, in the last round
	started   int            // in a round

	failed   int            // agents to be made in place of ones that did not come up
	freedBy  int32          // the job after which an agent went last; -1 before
	lastGone units.Duration // when that was; below 0 before. One that never joined does not count
}

// heldSince says why jobs are held from a moment on.
type heldSince struct {
	from  units.Duration
	cause Cause
}

// becameIdle puts an agent into the list of idle ones.
func (e *engine) becameIdle(a int32) {
	g := &e.agents[a]
	g.idleSince = e.now
	e.nodes[g.node].idle++
	e.rests(g.node)
	team := &e.teams[g.team]
	team.idle++
	g.older, g.newer = team.newest, -1
	if team.newest >= 0 {
		e.agents[team.newest].newer = a
	} else {
		team.oldest = a
	}
	team.newest = a
	if team.queue.len() > 0 || len(team.arrived) > 0 {
		e.wake(g.team, e.now)
	} else if team.mayShrink() { // the oldest may go, now that this one is there
		e.wake(g.team, e.leavesAt(g.team, &e.agents[team.oldest]))
	}
	if most := e.w.Templates[g.template].Numbers.MostAge; most > 0 {
		e.wake(g.team, g.joined+most)
	}
}

// takeIdle takes an agent out of the list.
func (e *engine) takeIdle(a int32) {
	g := &e.agents[a]
	e.nodes[g.node].idle--
	e.nodes[g.node].stirs++
	team := &e.teams[g.team]
	team.idle--
	if g.older >= 0 {
		e.agents[g.older].newer = g.newer
	} else {
		team.oldest = g.newer
	}
	if g.newer >= 0 {
		e.agents[g.newer].older = g.older
	} else {
		team.newest = g.older
	}
}

// mayShrink reports whether an idle agent is more than floor and spare ask for.
func (t *team) mayShrink() bool {
	return t.total > t.numbers.Floor && t.idle > 0 && t.free() > t.numbers.Spare
}

// free counts the agents that are there or coming and have no job.
func (t *team) free() int { return t.idle + max(0, t.coming-t.queue.len()) }

// leavesAt is when idle agent g may go: it lingered, and demand has settled.
func (e *engine) leavesAt(t int32, g *agent) units.Duration {
	n := &e.w.Templates[t].Numbers
	at := g.idleSince + n.Linger
	if short := e.teams[t].lastShort; short >= 0 {
		at = max(at, short+n.Settle)
	}
	return at
}

// followCalendar moves to the numbers that hold now and plans the next change.
func (e *engine) followCalendar(t int32) {
	team, calendar := &e.teams[t], &e.w.Templates[t].Calendar
	for {
		n, next, more := calendar.At(team.step)
		team.numbers = n
		if !more {
			return
		}
		if next > e.now {
			e.wake(t, next)
			return
		}
		team.step++
	}
}

// shrinkTeam lets idle agents go that have lingered, the one idle longest first.
func (e *engine) shrinkTeam(t int32) {
	team := &e.teams[t]
	for team.mayShrink() {
		a := team.oldest
		if at := e.leavesAt(t, &e.agents[a]); at > e.now {
			e.wake(t, at)
			return
		}
		e.takeIdle(a)
		e.leave(a)
	}
}
