package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// never is a moment that does not come.
const never = units.Duration(1<<63 - 1)

// A team is what the controller knows of one template.
type team struct {
	// total = coming + idle + busy and wiping agents. The first promised jobs in
	// the queue have an agent coming: promised = min(coming, queue's length)
	// after every round.
	total, coming, idle, promised int
	made                          int32

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

// waiting is a job in the controller's queue.
type waiting struct {
	job      int32
	seen     units.Duration // first round that looked at it
	promised units.Duration // round in which an agent was promised; below 0 before
}

// jobQueue is a first-in, first-out queue.
type jobQueue struct {
	list []waiting
	head int
}

func (q *jobQueue) len() int          { return len(q.list) - q.head }
func (q *jobQueue) at(i int) *waiting { return &q.list[q.head+i] }

func (q *jobQueue) push(w waiting) {
	if q.head > 64 && q.head*2 > len(q.list) {
		n := copy(q.list, q.list[q.head:])
		q.list, q.head = q.list[:n], 0
	}
	q.list = append(q.list, w)
}

func (q *jobQueue) pop() waiting {
	q.head++
	return q.list[q.head-1]
}

// wake makes sure that template t has a round at or soon after a moment, or after now
// where that is over.
func (e *engine) wake(t int32, at units.Duration) {
	team := &e.teams[t]
	at = max(at, e.now)
	if team.due <= at {
		return
	}
	if every := e.w.Templates[t].Numbers.Every; every > 0 {
		at = (at + every - 1) / every * every
		if at <= e.lastRounds { // its round of this moment is over, also where it had nothing to do
			at += every
		}
	}
	if at < team.due {
		team.due = at
		e.nextRound = min(e.nextRound, at)
	}
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

// becameIdle puts an agent into the list of idle ones.
func (e *engine) becameIdle(a int32) {
	g := &e.agents[a]
	g.idleSince = e.now
	e.nodes[g.node].idle++
	e.rests(g.node)
	team := &e.teams[g.template]
	team.idle++
	g.older, g.newer = team.newest, -1
	if team.newest >= 0 {
		e.agents[team.newest].newer = a
	} else {
		team.oldest = a
	}
	team.newest = a
	if team.queue.len() > 0 || len(team.arrived) > 0 {
		e.wake(g.template, e.now)
	} else if team.mayShrink() { // the oldest may go, now that this one is there
		e.wake(g.template, e.leavesAt(g.template, &e.agents[team.oldest]))
	}
}

// takeIdle takes an agent out of the list.
func (e *engine) takeIdle(a int32) {
	g := &e.agents[a]
	e.nodes[g.node].idle--
	e.nodes[g.node].stirs++
	team := &e.teams[g.template]
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
	back := e.backInService(int32(t))
	if back >= 0 {
		e.wake(int32(t), back)
	}
	for back < 0 && team.idle > 0 && team.queue.len() > 0 {
		a := team.newest
		if e.w.Templates[t].Numbers.Prefer == document.Oldest {
			a = team.oldest
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
				e.trace.spanTo(j, e.now, AwaitsRound, -1)
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

// enqueue puts a job in its place: by priority, then by submission. One that goes
// before jobs with a promise takes over the last one's.
func (e *engine) enqueue(t int32, w waiting) {
	team := &e.teams[t]
	q := &team.queue
	q.push(w)
	last := q.len() - 1
	if last == 0 || !e.jobBefore(w.job, q.at(last-1).job) {
		return
	}
	list := q.list[q.head:]
	i, _ := slices.BinarySearchFunc(list[:last], w.job, func(x waiting, j int32) int {
		if e.jobBefore(x.job, j) {
			return -1
		}
		return 1
	})
	copy(list[i+1:], list[i:last])
	list[i] = w
	if i >= team.promised {
		return
	}
	list[i].promised = e.now
	if out := &list[team.promised]; out.promised >= 0 {
		if !e.again(out.job) {
			e.trace.spanTo(out.job, e.now, AwaitsComing, -1)
		}
		out.promised, out.seen = -1, e.now
	}
	if !e.again(w.job) {
		e.recordHeld(t, &list[i])
	}
}

// jobBefore orders jobs by priority, then by submission.
func (e *engine) jobBefore(a, b int32) bool {
	if e.ranked {
		p, q := e.w.Classes[e.jobs.List[a].Class].Priority, e.w.Classes[e.jobs.List[b].Class].Priority
		if p != q {
			return p > q
		}
	}
	if e.crowd != nil {
		if p, q := e.jobs.List[a].Submitted, e.jobs.List[b].Submitted; p != q {
			return p < q
		}
	}
	return a < b
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

// startForJobs starts an agent for every job that has none coming, the job
// submitted first going first among all templates, until ceilings or steps
// stop it.
func (e *engine) startForJobs() {
	for {
		best := int32(-1)
		for _, t := range e.dueNow {
			team := &e.teams[t]
			if team.isBlocked || team.coming >= team.queue.len() {
				continue
			}
			if best < 0 || e.jobBefore(team.queue.at(team.coming).job, e.teams[best].queue.at(e.teams[best].coming).job) {
				best = t
			}
		}
		if best < 0 {
			return
		}
		e.startOne(best)
	}
}

// startOne starts an agent, or notes what forbids it.
func (e *engine) startOne(t int32) bool {
	team, n := &e.teams[t], &e.w.Templates[t].Numbers
	over, quota := e.overQuota(t)
	switch {
	case e.backInService(t) >= 0:
		team.blocked, team.isBlocked = OutOfService, true
	case team.numbers.Ceiling >= 0 && team.total >= team.numbers.Ceiling:
		team.blocked, team.isBlocked = AtCeiling, true
	case e.w.AgentCeiling >= 0 && e.total >= e.w.AgentCeiling:
		team.blocked, team.isBlocked = AtAgents, true
	case e.overLimit(t):
		team.blocked, team.isBlocked = AtLimit, true
	case quota:
		team.blocked, team.isBlocked = over, true
	case n.Step > 0 && team.started >= n.Step:
		team.blocked, team.isBlocked = AtStep, true
	default:
		team.started++
		e.newAgent(t)
		return true
	}
	return false
}

// backInService is when a template that is out of service now is so no more; below 0: it is in
// service.
func (e *engine) backInService(t int32) units.Duration {
	list := e.w.Templates[t].Away
	i, _ := slices.BinarySearchFunc(list, e.now, func(a world.Away, now units.Duration) int { return cmp.Compare(a.To, now+1) })
	if i < len(list) && list[i].From <= e.now {
		return list[i].To
	}
	return -1
}

// overLimit reports whether a limit that a template shares with others has no room.
func (e *engine) overLimit(t int32) bool {
	for i := range e.w.Limits {
		l, n := &e.w.Limits[i], 0
		if !slices.Contains(l.Templates, t) {
			continue
		}
		for _, x := range l.Templates {
			n += e.teams[x].total
		}
		if n >= l.Agents {
			return true
		}
	}
	return false
}

// startAhead starts agents for floor and spare.
func (e *engine) startAhead(t int32) {
	team := &e.teams[t]
	for !team.isBlocked && (team.total < team.numbers.Floor || team.free() < team.numbers.Spare) {
		if !e.startOne(t) {
			break
		}
	}
	if team.isBlocked && team.blocked == AtStep {
		e.wake(t, e.now+1)
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

// reuseNever reports whether a template's agents take one job only.
func reuseNever(t *world.Template) bool { return t.Numbers.Reuse == document.Never }
