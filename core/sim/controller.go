package sim

import (
	"tachyphor/core/units"
)

// never is a moment that does not come.
const never = units.Duration(1<<63 - 1)

// wake makes sure that template t has a round at or soon after a moment, or after now
// where that is over.
func (e *engine) wake(t int32, at units.Duration) {
	team := &e.teams[t]
	if at = max(at, e.now); team.due <= at {
		return
	}
	at = e.nextOnGrid(t, at)
	for back := e.controllerBack(at); back > at; back = e.controllerBack(at) {
		at = e.nextOnGrid(t, back)
	}
	if at < team.due {
		team.due = at
		e.nextRound = min(e.nextRound, at)
	}
}

// nextOnGrid is the first moment from one on at which template t may have a round, whoever is there.
func (e *engine) nextOnGrid(t int32, at units.Duration) units.Duration {
	every := e.w.Templates[t].Numbers.Every
	if every == 0 {
		return at
	}
	at = (at + every - 1) / every * every
	if at <= e.lastRounds { // its round of this moment is over, also where it had nothing to do
		at += every
	}
	return at
}

// jobArrives puts a job before the controller.
func (e *engine) jobArrives(j int32) {
	t := e.fits[e.jobs.List[j].Wants]
	if t < 0 {
		e.trace.Unmatched = append(e.trace.Unmatched, j)
		if e.chain != nil {
			for _, next := range e.chain.after(j) {
				e.drop(next)
			}
		}
		return
	}
	if e.chain != nil && (e.chain.left[j] > 0 || e.trace.Records[j].Result == Dropped) {
		return
	}
	e.observeWaiting(1)
	e.teams[t].arrived = append(e.teams[t].arrived, j)
	e.wake(t, e.now)
	e.mayGiveUp(j)
}

// rounds holds the round of every template that is due now: first all give out what is
// there, then all start what is missing, then all let go what is too much, so that what
// comes free in a round is there for the next.
func (e *engine) rounds() {
	e.lastRounds = e.now
	e.dueNow = e.dueNow[:0]
	for t := range e.teams {
		if e.teams[t].due <= e.now {
			e.dueNow = append(e.dueNow, int32(t))
		}
	}
	for _, t := range e.dueNow {
		e.beginRound(t)
	}
	e.startForJobs()
	for _, t := range e.dueNow {
		e.startAhead(t)
	}
	for _, t := range e.dueNow {
		e.retire(t)
		e.shrinkTeam(t)
		e.endRound(t)
	}
	e.nextRound = never
	for t := range e.teams {
		e.nextRound = min(e.nextRound, e.teams[t].due)
	}
}

// beginRound takes in new jobs and gives idle agents out: the one idle last first, so that
// those beyond need stay idle and can go, or the one idle longest.
func (e *engine) beginRound(t int32) {
	team := &e.teams[t]
	team.due, team.started, team.isBlocked = never, 0, false
	e.trace.Rounds++
	e.followCalendar(t)
	if team.queue.len() > 0 {
		team.lastShort = e.now
	}
	e.takeIn(t)
	back := e.backInService(t)
	if back >= 0 {
		e.wake(int32(t), back)
	}
	for back < 0 && team.queue.len() > 0 {
		a := e.preferred(t)
		if a < 0 {
			break
		}
		e.takeIdle(a)
		w := team.queue.pop()
		team.promised = max(0, team.promised-1)
		e.startRun(a, w)
	}
	if team.queue.len() > 0 {
		team.lastShort = e.now
	}
}

// takeIn puts the jobs that have arrived into the queue, unless the controller
// takes none for want of an agent that it has seen.
func (e *engine) takeIn(t int32) {
	team, n := &e.teams[t], &e.w.Templates[t].Numbers
	if n.NeedsOneAgent && team.total-team.coming == 0 && (team.lastGone < 0 || team.lastGone+n.OneAgentWithin < e.now) {
		for _, j := range team.arrived[team.looked:] {
			if !e.again(j) {
				e.recordUnseen(j, e.now)
			}
		}
		team.looked = len(team.arrived)
		return
	}
	for i, j := range team.arrived {
		if i < team.looked && !e.again(j) {
			e.trace.spanTo(j, e.now, NoAgentYet, -1)
		}
		e.enqueue(t, waiting{job: j, seen: e.now, promised: -1})
	}
	team.arrived, team.looked = team.arrived[:0], 0
}

// endRound promises what is coming, and notes why the rest is held.
func (e *engine) endRound(t int32) {
	team := &e.teams[t]
	covered := min(team.coming, team.queue.len())
	for ; team.promised < covered; team.promised++ {
		w := team.queue.at(team.promised)
		if !e.again(w.job) {
			e.recordHeld(t, w)
			e.recordFreed(t, w.job)
		}
		w.promised = e.now
	}
	if covered == team.queue.len() {
		team.held = team.held[:0]
		return
	}
	if n := len(team.held); n == 0 || team.held[n-1].cause != team.blocked {
		team.held = append(team.held, heldSince{e.now, team.blocked})
	}
}
