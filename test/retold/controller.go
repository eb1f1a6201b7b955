// Package retold tells the engine's rules a second time, slowly and obviously: every
// second is looked at, every list is gone through, nothing is kept that could be
// counted anew. What it says is what the engine must do.
package retold

import "slices"

// Never is a moment that does not come, in seconds.
const Never = -1

// A Numbers is what a template is scaled by at some moment. Ceiling is below 0 for none.
type Numbers struct{ Floor, Ceiling, Spare int }

// A Template is how the agents of one template are scaled. Times are in seconds.
type Template struct {
	Every, Linger, Settle int // Every 0: a round every second
	Step                  int // 0: no limit
	Once                  bool
	MostJobs, MostAge     int  // of an agent; 0: no limit
	Oldest                bool // jobs get the agent idle longest, not the one idle last
	NeedsOne              bool
	Within                int
	At                    func(second int) Numbers
	Away                  func(second int) bool // it is out of service; nil: never
}

// A Job is one job of a template. Jobs are in the order of their submission.
type Job struct {
	Template, Submitted, Work int
	Priority                  int
	GivesUp                   int // seconds after its submission; 0: never
}

// A World is what the controller works in: room for every agent, fixed times.
type World struct {
	Templates    []Template
	Jobs         []Job
	AgentCeiling int // below 0: none
	Limits       []Limit
	Gone         func(second int) bool // the controller is away; nil: never
	Pods         int                   // the quota; below 0: none
	Start, Wipe  int                   // seconds that an agent takes to join, and to clean up
	Span, Last   int                   // jobs come before Span; what is not over by Last is left
}

// A Limit is a ceiling over some templates together.
type Limit struct {
	Templates []int
	Agents    int
}

// A Fate is how a job fared. Started and Ended are Never where it did not come to that.
type Fate struct {
	Started, Ended int
	Agent          int // ordinal within its template, from 1
	Warm, GaveUp   bool
}

// A Telling is what happened.
type Telling struct {
	Fates []Fate
	Made  int // agents
	// Idle, Starting and Working count agents in each second of the span.
	Idle, Starting, Working []int
}

type state int

const (
	coming state = iota
	idle
	working
	wiping
	gone
)

type agent struct {
	template, ordinal int
	state             state
	until             int // when its state ends by itself
	job               int
	joined, jobs      int
	idleSince, turn   int // turn orders agents that became idle in the same second
}

type teller struct {
	w        World
	now      int
	agents   []*agent
	arrived  [][]int // by template: jobs that the controller has not taken in
	queue    [][]int // by template: jobs that it has, in order
	promised []int   // by template: jobs at the head of the queue that have an agent coming
	short    []int   // by template: last second in which a job in the queue had no agent
	left     []int   // by template: last second in which an agent went that had joined
	made     []int
	turns    int
	out      Telling
}

// Controller tells what becomes of a world.
func Controller(w World) Telling {
	n := len(w.Templates)
	t := &teller{
		w: w, arrived: make([][]int, n), queue: make([][]int, n), promised: make([]int, n), short: make([]int, n),
		left: make([]int, n), made: make([]int, n),
	}
	for i := range n {
		t.short[i], t.left[i] = Never, Never
	}
	t.out.Fates = make([]Fate, len(w.Jobs))
	for i := range t.out.Fates {
		t.out.Fates[i] = Fate{Started: Never, Ended: Never}
	}
	for t.now = 0; t.now <= w.Last; t.now++ {
		if t.now >= w.Span && t.over() {
			break
		}
		t.second()
	}
	return t.out
}

// over reports whether every job has ended or given up.
func (t *teller) over() bool {
	return !slices.ContainsFunc(t.out.Fates, func(f Fate) bool { return f.Ended == Never && !f.GaveUp })
}

// second tells one second: what ends by itself, what comes, then the rounds.
func (t *teller) second() {
	for i, q := range t.queue {
		if len(q) > 0 {
			t.short[i] = t.now
		}
	}
	t.giveUp()
	for _, a := range t.byOrder(coming) {
		if t.gone() {
			a.until++
		} else {
			t.join(a)
		}
	}
	for _, a := range t.byOrder(working) {
		t.turns++
		a.state, a.until, a.turn = wiping, t.now+t.w.Wipe, t.turns
	}
	for _, a := range t.byOrder(wiping) {
		t.clean(a)
	}
	for j, job := range t.w.Jobs {
		if job.Submitted == t.now && job.Submitted < t.w.Span {
			t.arrived[job.Template] = append(t.arrived[job.Template], j)
		}
	}
	var due []int
	for i, tm := range t.w.Templates {
		if !t.gone() && (tm.Every == 0 || t.now%tm.Every == 0) {
			due = append(due, i)
		}
	}
	if t.now >= t.w.Span && t.over() {
		return // nothing that comes now is told of
	}
	for t.rounds(due) { // an agent that goes may be what one without a rhythm waits for
		due = slices.DeleteFunc(due, func(i int) bool { return t.w.Templates[i].Every > 0 })
	}
	if t.now < t.w.Span {
		t.out.Idle = append(t.out.Idle, t.count(-1, idle))
		t.out.Starting = append(t.out.Starting, t.count(-1, coming))
		t.out.Working = append(t.out.Working, t.count(-1, working))
	}
}

func (t *teller) gone() bool { return t.w.Gone != nil && t.w.Gone(t.now) }

// byOrder lists the agents whose state ends now, in the order in which it began.
func (t *teller) byOrder(s state) []*agent {
	var out []*agent
	for _, a := range t.agents {
		if a.state == s && a.until == t.now {
			out = append(out, a)
		}
	}
	slices.SortStableFunc(out, func(a, b *agent) int { return a.turn - b.turn })
	return out
}

// count counts agents of a template (-1: of all) in any of some states.
func (t *teller) count(template int, states ...state) int {
	n := 0
	for _, a := range t.agents {
		if (template < 0 || a.template == template) && slices.Contains(states, a.state) {
			n++
		}
	}
	return n
}

// giveUp drops the jobs whose patience is over.
func (t *teller) giveUp() {
	for j, job := range t.w.Jobs {
		f := &t.out.Fates[j]
		if job.GivesUp == 0 || job.Submitted+job.GivesUp != t.now || f.Started != Never {
			continue
		}
		f.GaveUp = true
		t.arrived[job.Template] = slices.DeleteFunc(t.arrived[job.Template], func(k int) bool { return k == j })
		if at := slices.Index(t.queue[job.Template], j); at >= 0 {
			t.queue[job.Template] = slices.Delete(t.queue[job.Template], at, at+1)
			if at < t.promised[job.Template] {
				t.promised[job.Template]--
			}
		}
	}
}

// join has an agent take the first job that was promised one, or wait.
func (t *teller) join(a *agent) {
	i := a.template
	a.joined = t.now
	if t.promised[i] > 0 {
		j := t.queue[i][0]
		t.queue[i] = t.queue[i][1:]
		t.promised[i]--
		t.start(a, j)
		return
	}
	t.rest(a)
}

func (t *teller) start(a *agent, j int) {
	t.turns++
	t.out.Fates[j].Started, t.out.Fates[j].Agent, t.out.Fates[j].Warm = t.now, a.ordinal, a.state == idle &&
		a.idleSince <= t.w.Jobs[j].Submitted
	a.state, a.job, a.until, a.turn = working, j, t.now+t.w.Jobs[j].Work, t.turns
}

func (t *teller) rest(a *agent) {
	t.turns++
	a.state, a.idleSince, a.until, a.turn = idle, t.now, Never, t.turns
}

// clean ends an agent's job, and the agent where that was the last it may take.
func (t *teller) clean(a *agent) {
	t.out.Fates[a.job].Ended = t.now
	a.jobs++
	if tm := t.w.Templates[a.template]; tm.Once || tm.MostJobs > 0 && a.jobs >= tm.MostJobs || t.old(a) {
		t.leave(a)
		return
	}
	t.rest(a)
}

// old reports whether an agent is past its most age.
func (t *teller) old(a *agent) bool {
	most := t.w.Templates[a.template].MostAge
	return most > 0 && t.now >= a.joined+most
}

// retire lets the idle agents go that are past their most age; it reports whether one did.
func (t *teller) retire(i int) (went bool) {
	for _, a := range t.agents {
		if a.template == i && a.state == idle && t.old(a) {
			t.leave(a)
			went = true
		}
	}
	return went
}

func (t *teller) leave(a *agent) {
	a.state = gone
	t.left[a.template] = t.now
}

// rounds holds the rounds of templates: all take in what came and give idle agents out,
// then agents are started for jobs, the job first in order among all templates going
// first, then each keeps its floor and spare and lets go what it may. It reports
// whether an agent went.
func (t *teller) rounds(due []int) (went bool) {
	started := make([]int, len(t.w.Templates))
	for _, i := range due {
		t.takeIn(i)
		t.give(i)
	}
	blocked := map[int]bool{}
	for {
		best := -1
		for _, i := range due {
			at := t.count(i, coming)
			if blocked[i] || at >= len(t.queue[i]) {
				continue
			}
			if best < 0 || t.before(t.queue[i][at], t.queue[best][t.count(best, coming)]) {
				best = i
			}
		}
		if best < 0 {
			break
		}
		blocked[best] = !t.make(best, started)
	}
	for _, i := range due {
		n := t.w.Templates[i].At(t.now)
		for !blocked[i] && (t.count(i, coming, idle, working, wiping) < n.Floor || t.free(i) < n.Spare) {
			blocked[i] = !t.make(i, started)
		}
	}
	for _, i := range due {
		n := t.w.Templates[i].At(t.now)
		went = t.retire(i) || went
		went = t.shrink(i, n) || went
		t.promised[i] = min(t.count(i, coming), len(t.queue[i]))
	}
	return went
}

// before orders jobs by priority, then by submission.
func (t *teller) before(a, b int) bool {
	if p, q := t.w.Jobs[a].Priority, t.w.Jobs[b].Priority; p != q {
		return p > q
	}
	return a < b
}

// takeIn puts what came into the queue, unless no agent is or was seen that must be.
func (t *teller) takeIn(i int) {
	tm := t.w.Templates[i]
	if tm.NeedsOne && t.count(i, idle, working, wiping) == 0 && (t.left[i] == Never || t.left[i]+tm.Within < t.now) {
		return
	}
	t.queue[i] = append(t.queue[i], t.arrived[i]...)
	t.arrived[i] = nil
	slices.SortStableFunc(t.queue[i], func(a, b int) int {
		if t.before(a, b) {
			return -1
		}
		return 1
	})
}

// give gives idle agents out, the one idle last first.
func (t *teller) give(i int) {
	if away := t.w.Templates[i].Away; away != nil && away(t.now) {
		if len(t.queue[i]) > 0 {
			t.short[i] = t.now
		}
		return
	}
	for len(t.queue[i]) > 0 {
		var taken *agent
		for _, a := range t.agents {
			if a.template == i && a.state == idle && !t.old(a) && (taken == nil || t.w.Templates[i].Oldest != (a.turn > taken.turn)) {
				taken = a
			}
		}
		if taken == nil {
			t.short[i] = t.now
			return
		}
		j := t.queue[i][0]
		t.queue[i] = t.queue[i][1:]
		t.start(taken, j)
	}
}

// make starts an agent, unless a ceiling, the quota or the round's step forbids it.
func (t *teller) make(i int, started []int) bool {
	n, tm := t.w.Templates[i].At(t.now), t.w.Templates[i]
	if tm.Away != nil && tm.Away(t.now) {
		return false
	}
	all := t.count(-1, coming, idle, working, wiping)
	for _, l := range t.w.Limits {
		there, mine := 0, false
		for _, x := range l.Templates {
			there, mine = there+t.count(x, coming, idle, working, wiping), mine || x == i
		}
		if mine && there >= l.Agents {
			return false
		}
	}
	switch {
	case n.Ceiling >= 0 && t.count(i, coming, idle, working, wiping) >= n.Ceiling,
		t.w.AgentCeiling >= 0 && all >= t.w.AgentCeiling,
		t.w.Pods >= 0 && all >= t.w.Pods,
		tm.Step > 0 && started[i] >= tm.Step:
		return false
	}
	started[i]++
	t.made[i]++
	t.turns++
	t.out.Made++
	t.agents = append(t.agents, &agent{template: i, ordinal: t.made[i], state: coming, until: t.now + t.w.Start, turn: t.turns})
	return true
}

// free counts agents that are there or coming and have no job.
func (t *teller) free(i int) int {
	return t.count(i, idle) + max(0, t.count(i, coming)-len(t.queue[i]))
}

// shrink lets idle agents go, the one idle longest first, that have lingered and are
// beyond floor and spare, once demand has settled; it reports whether one did.
func (t *teller) shrink(i int, n Numbers) (went bool) {
	tm := t.w.Templates[i]
	for t.count(i, coming, idle, working, wiping) > n.Floor && t.free(i) > n.Spare {
		var oldest *agent
		for _, a := range t.agents {
			if a.template == i && a.state == idle && (oldest == nil || a.turn < oldest.turn) {
				oldest = a
			}
		}
		if oldest == nil || oldest.idleSince+tm.Linger > t.now || t.short[i] != Never && t.short[i]+tm.Settle > t.now {
			return went
		}
		t.leave(oldest)
		went = true
	}
	return went
}
