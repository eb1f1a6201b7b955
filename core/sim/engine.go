package sim

import (
	"errors"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// checked turns on checks inside the loop that cost time; tests set it.
var checked = false

// ErrStopped is returned by a run that its watcher stopped.
var ErrStopped = errors.New("the run was stopped")

// A Watcher is told how far a run has come, every few thousand events, in
// simulated time; returning false stops the run. It cannot change the run.
type Watcher func(now units.Duration) bool

// engine is the state of one run.
type engine struct {
	w     *World
	root  chance.Key
	jobs  *demand.Jobs
	fits  []int32 // by set of wants: the template, or -1
	now   units.Duration
	queue events
	trace *Trace

	nextJob   int            // first job that has not arrived
	nextRound units.Duration // earliest due of all teams
	nextScan  units.Duration
	lastScan  units.Duration
	open      int // jobs that fit a template and have not ended

	teams  []team
	agents []agent
	// freeAgents are slots of agents that are gone.
	freeAgents []int32
	total      int // agents of all teams
	place      placement
	pools      []pool
	nodes      []node
	booting    []int32 // nodes that were asked for and are not ready
	registry   link
	shares     [][]int64 // by template and pool: what an agent takes of a node
	sites      [][]site  // by template and pool
	picky      []bool    // by template: it prefers some nodes to others

	dueNow   []int32 // scratch of rounds
	stuck    []bool  // scratch of retry
	scanned  []int32 // scratch of scan
	wholeNow []int32 // scratch of pulled
}

// Run simulates one repeat of a world from a seed. The same arguments give the
// same trace. watch may be nil.
func Run(w *World, seed uint64, repeat int, watch Watcher) (*Trace, error) {
	jobs, err := w.Jobs(seed, repeat)
	if err != nil {
		return nil, err
	}
	return RunJobs(w, jobs, seed, repeat, watch)
}

// RunJobs is Run with the world's jobs of that seed and repeat at hand.
func RunJobs(w *World, jobs *demand.Jobs, seed uint64, repeat int, watch Watcher) (*Trace, error) {
	e := newEngine(w, chance.Root(seed, repeat), jobs)
	e.firstNodes()
	for t := range e.teams {
		e.wake(int32(t), 0)
	}
	if err := e.loop(watch); err != nil {
		return nil, err
	}
	e.finish()
	return e.trace, nil
}

// spansPerJob is how many spans a job has about, when most take idle agents.
const spansPerJob = 4

func newEngine(w *World, root chance.Key, jobs *demand.Jobs) *engine {
	e := &engine{
		w: w, root: root, jobs: jobs, nextRound: never, nextScan: never, lastScan: -1,
		teams: make([]team, len(w.Templates)), pools: make([]pool, len(w.Pools)), registry: newLink(w.Registry), shares: shares(w),
		place: placement{
			pending: make([][]int32, len(w.Templates)), verdicts: map[Verdict]int32{}, holding: make([]int32, len(w.Images)),
		},
		trace: &Trace{World: w, Jobs: jobs, Records: make([]Record, len(jobs.List)), Lines: newLines(w.Plan.Span, len(w.Pools))},
	}
	for t := range e.teams {
		e.teams[t] = team{oldest: -1, newest: -1, due: never, last: -1, lastShort: -1}
	}
	e.sites, e.picky = sites(w)
	e.trace.spans = make([]span, 0, spansPerJob*len(jobs.List))
	for _, m := range w.Match(jobs.Wants) {
		e.fits = append(e.fits, int32(m.Template))
	}
	for j := range e.trace.Records {
		t := e.fits[jobs.List[j].Wants]
		e.trace.Records[j] = Record{Started: -1, Ended: -1, Node: -1, Template: int16(t), first: -1, last: -1}
		if t >= 0 && jobs.List[j].Submitted < w.Plan.Span {
			e.open++
		}
	}
	return e
}

// patienceWithBacklog is how long a run goes on after its span to let jobs that
// came within it end.
const patienceWithBacklog = 30 * units.Day

// loop goes from moment to moment. At one moment events come first, then
// arrivals, then rounds, then the scan for nodes.
func (e *engine) loop(watch Watcher) error {
	span, list := e.w.Plan.Span, e.jobs.List
	limit := 2*span + patienceWithBacklog
	for steps := 1; ; steps++ {
		if watch != nil && steps&0x1fff == 0 && !watch(e.now) {
			return ErrStopped
		}
		at, what := never, 0
		if len(e.queue.heap) > 0 {
			at, what = e.queue.heap[0].at, 1
		}
		if e.nextJob < len(list) && list[e.nextJob].Submitted < min(at, span) {
			at, what = list[e.nextJob].Submitted, 2
		}
		if e.nextRound < at {
			at, what = e.nextRound, 3
		}
		if e.nextScan < at {
			at, what = e.nextScan, 4
		}
		if what == 0 || at >= span && e.open == 0 || at > limit {
			return nil
		}
		e.now = at
		switch what {
		case 1:
			e.happen(e.queue.pop())
			e.trace.Events++
		case 2:
			e.jobArrives(int32(e.nextJob))
			e.nextJob++
			e.trace.Events++
		case 3:
			e.rounds()
		case 4:
			e.scan()
		}
	}
}

// happen carries out one event.
func (e *engine) happen(v event) {
	switch v.kind() {
	case nodeReady:
		e.nodeReady(v.subject)
	case pullBegins:
		e.pullBegins(v.subject)
	case flowEnds:
		if v.version == e.registry.version {
			e.flowEnds()
		}
	case pulled:
		e.pulled(v.subject)
	case podStarted:
		e.podStarted(v.subject)
	case agentJoined:
		e.agentJoined(v.subject)
	case workEnded:
		e.workEnded(v.subject)
	case wiped:
		e.wiped(v.subject)
	case nodeEmptyFor:
		if v.version == e.nodes[v.subject].version {
			e.nodeEmptyFor(v.subject)
		}
	}
}

// draw returns a length of time for one purpose and entity.
func (e *engine) draw(d chance.Dist, p chance.Purpose, entity uint64) units.Duration {
	if d.Form == chance.Fixed {
		return units.Duration(d.A)
	}
	return units.Duration(d.Quantile(e.root.For(p, entity, 0).Uniform()))
}

// finish closes what is still open at the end of the span.
func (e *engine) finish() {
	e.now = max(e.now, e.w.Plan.Span)
	for n := range e.nodes {
		if !e.nodes[n].gone {
			e.closeNode(int32(n))
		}
	}
	e.trace.Lines.each(func(l *Line) { l.add(e.now, 0) })
	e.trace.PeakEvents = e.queue.peak
}
