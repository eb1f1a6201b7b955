// Package sim is the engine: outcome = simulate(design, facts, demand, seed).
//
// It is a state machine with one loop over a queue of events. Each mechanism is
// a file: the controller (controller.go), placing pods (placement.go) by the scheduler's
// rules (rules.go and a file for each), node pools (pools.go) and how they grow
// (growing.go), images (images.go), links (link.go), agents (agents.go).
// Observation (observe.go, ledger.go) listens and never steers. A run depends on
// nothing but its World, seed and repeat; it reads no clock and starts nothing.
package sim

import (
	"errors"
	"fmt"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/fleet"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// checked looks at the whole state of a run every auditEvery steps and at its end;
// tests set it. While it is set, every change of state is checked too.
var checked func(*engine)

const auditEvery = 64

// ErrStopped is returned by a run that its watcher stopped.
var ErrStopped = errors.New("the run was stopped")

// A Watcher is told how far a run has come, every few thousand events, in
// simulated time; returning false stops the run. It cannot change the run.
type Watcher func(now units.Duration) bool

// engine is the state of one run.
type engine struct {
	w     *world.World
	root  chance.Key
	jobs  *demand.Jobs
	fits  []int32 // by set of wants: the template, or -1
	now   units.Duration
	queue events
	trace *Trace

	nextJob   int            // first job that has not arrived
	nextRound units.Duration // earliest due of all teams
	// lastRounds is the last moment at which rounds were held. All templates whose
	// rhythm has that moment had theirs then, those left out because nothing could come
	// of it too.
	lastRounds units.Duration
	nextScan   units.Duration
	lastScan   units.Duration
	open       int // jobs that fit a template and have not ended

	teams  []team
	agents []agent
	// freeAgents are slots of agents that are gone.
	freeAgents []int32
	total      int // agents of all teams
	place      placement
	pools      []pool
	nodes      []node
	booting    []int32 // nodes that were asked for and are not ready
	links      []link
	cache      cache
	chain      *chain     // nil when no job comes after others
	crowd      *crowd     // nil when jobs come by themselves alone
	broken     error      // why the run cannot go on
	pushing    bool       // pods are being pushed off a node, for another to have the room
	holders    []holder   // by template; nil when no spare room is kept
	claims     []claimUse // by World.Claims
	zones      []int32    // by pool; nil where volumes go anywhere
	used       quotaUse
	cpu        int64            // that jobs use now, in millionths of a core
	freedBy    int32            // the job after which an agent went last, of any template
	ranked     bool             // some class has a priority
	shares     [][]int64        // by template and pool: what an agent takes of a node
	sites      [][]fleet.Stance // by template and pool
	near       *neighbourhood   // nil without rules on neighbours
	picky      []bool           // by template: it prefers some nodes to others
	active     []int32          // events that are on now
	gone       []demand.Stretch // times in which the controller is away
	wanted     []bool           // by template: some job may get an agent of it, or one is kept ahead

	dueNow    []int32   // scratch of rounds
	stuck     []bool    // scratch of retry
	told      []toldWhy // by template, while nothing boots and no pool may grow; empty otherwise
	scanned   []int32   // scratch of scan
	took      []int32   // scratch of fillOne
	refused   refusals
	wholeNow  []int32 // scratch of pulled
	imageList []int32 // scratch of imagesOf
	rates     []int64 // scratch of shareCPU
}

// Run simulates one repeat of a world from a seed. The same arguments give the
// same trace. watch may be nil.
func Run(w *world.World, seed uint64, repeat int, watch Watcher) (*Trace, error) {
	jobs, err := w.Jobs(seed, repeat)
	if err != nil {
		return nil, err
	}
	return RunJobs(w, jobs, seed, repeat, watch)
}

// RunJobs is Run with the world's jobs of that seed and repeat at hand.
// A panic on the way is its error, a *Defect.
func RunJobs(w *world.World, jobs *demand.Jobs, seed uint64, repeat int, watch Watcher) (_ *Trace, err error) {
	defer Catch(&err, seed, repeat)
	e := newEngine(w, chance.Root(seed, repeat), jobs)
	e.firstNodes()
	for t := range e.teams {
		e.wake(int32(t), 0)
	}
	if e.crowd != nil {
		for p := range e.crowd.persons {
			e.think(int32(p))
		}
	}
	if err = e.loop(watch); err != nil {
		return nil, err
	}
	e.finish()
	return e.trace, nil
}

func newEngine(told *world.World, root chance.Key, jobs *demand.Jobs) *engine {
	w := told.Full()
	e := &engine{
		w: w, root: root, jobs: jobs, nextRound: never, nextScan: never, lastScan: -1, lastRounds: -1,
		teams: make([]team, len(told.Templates)), pools: make([]pool, len(w.Pools)), links: newLinks(w), shares: shares(w), freedBy: -1,
		holders: newHolders(w), claims: make([]claimUse, len(w.Claims)), zones: zones(w),
		place: placement{
			pending: make([][]int32, len(w.Templates)), verdicts: map[fleet.Verdict]int32{}, holding: make([]int32, len(w.Images)),
			ratings: make([][]rating, len(w.Templates)), rankings: make([]ranking, len(w.Templates)), poolOrder: namedOrder(w.Pools),
		},
		trace: &Trace{
			World: told, Jobs: jobs, root: root, Moved: make([]units.Sum[units.Bytes], OtherLinks+2*len(w.Links.Others)), Carried: newCarried(w),
			Records: make([]Record, len(jobs.List)), Lives: make([]Life, len(told.Templates)), Rollouts: make([]Rollout, len(told.Changes)), Hit: make([]int64, len(w.Events)), LayerPulls: make([]int64, len(w.Layers)), ImagePulls: make([]int64, len(w.Images)), Lines: newLines(w.Plan.Span, len(w.Pools)),
		},
	}
	for t := range e.teams {
		e.teams[t] = team{form: int32(t), oldest: -1, newest: -1, due: never, lastShort: -1, freedBy: -1, lastGone: -1}
	}
	e.sites, e.picky = w.Stances()
	e.near = newNeighbourhood(meet(w, e.sites))
	for t := range w.Templates {
		e.place.rules = append(e.place.rules, e.concern(int32(t), false))
		e.place.holders = append(e.place.holders, e.concern(int32(t), true))
		e.place.rankings[t].on = e.place.rules[t].ranks() && len(w.Templates[t].ImageAt) <= mostImages
	}
	for _, m := range told.Match(jobs.Wants) {
		e.fits = append(e.fits, int32(m.Template))
	}
	for j := range e.trace.Records {
		t := e.fits[jobs.List[j].Wants]
		e.trace.Records[j] = newRecord(t)
		if t >= 0 && jobs.List[j].Submitted < w.Plan.Span {
			e.open++
		}
	}
	e.wanted = make([]bool, len(w.Templates))
	for t := range w.Templates {
		e.wanted[t] = slices.Contains(e.fits, int32(w.Templates[t].Of)) && len(w.Later) > 0 || slices.Contains(e.fits, int32(t)) ||
			w.Templates[t].Calendar.Ahead()
	}
	e.gone = goneTimes(w)
	e.trace.full = w
	e.cache = newCache(e)
	e.crowd = newCrowd(e)
	if e.chain = newChain(e); e.chain != nil {
		e.trace.released = make([]units.Duration, len(jobs.List))
		for j := range jobs.List {
			e.trace.released[j] = jobs.List[j].Submitted
		}
	}
	for _, c := range w.Classes {
		e.ranked = e.ranked || c.Priority != 0
	}
	return e
}

// mostAtOnce is more than can rightly happen at one moment.
const mostAtOnce = 50_000_000

// loop goes from moment to moment. At one moment events come first, then
// arrivals, then rounds, then the scan for nodes.
func (e *engine) loop(watch Watcher) error {
	span, list := e.w.Plan.Span, e.jobs.List // those that come by themselves
	limit := e.w.Horizon()
	still := 0 // steps since time last went on
	for steps := 1; ; steps++ {
		if watch != nil && steps&0x1fff == 0 && !watch(e.now) {
			return ErrStopped
		}
		at, what := never, 0
		if first, any := e.queue.next(); any {
			at, what = first, 1
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
		if at > e.now {
			e.now, still = at, 0
		} else if still++; still > mostAtOnce {
			return fmt.Errorf("the run stands still at %v: a defect of the engine", e.now)
		}
		if checked != nil && steps%auditEvery == 0 {
			checked(e)
		}
		if e.broken != nil {
			return e.broken
		}
		switch what {
		case 1:
			e.happen(e.queue.pop())
			e.trace.Events++
		case 2:
			e.nextJob++
			e.submitted(int32(e.nextJob - 1))
			e.jobArrives(int32(e.nextJob - 1))
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
	switch kind := v.kind(); {
	case kind >= backoffEnds && kind <= wiped:
		if v.version == e.agents[v.subject].version {
			e.agentStep(kind, v.subject)
		}
	case kind >= poolStep && kind <= nodeGone:
		e.poolEvent(kind, v.subject, v.version)
	case kind == templateChanges:
		e.templateChanges(v.subject)
	case kind == emptyingLook:
		e.emptyingLook()
	case kind >= troubleBegins && kind <= troubleWave:
		e.troubleEvent(kind, v.subject, v.version)
	default:
		e.nodeEvent(kind, v)
	}
}

// agentStep carries out the one event that was ahead of agent a.
func (e *engine) agentStep(kind eventKind, a int32) {
	switch kind {
	case backoffEnds:
		e.backoffEnds(a)
	case imagesMade:
		e.imagesMade(a)
	case imagesAsked:
		e.imagesPresent(a)
	case podStarted:
		e.podStarted(a)
	case toolsInstalled:
		e.toolsInstalled(a)
	case agentJoined:
		e.agentJoined(a)
	case restoreStep:
		e.restoreStep(a)
	case workStep:
		e.workStep(a)
	case saveStep:
		e.saveStep(a)
	case wiped:
		e.wiped(a)
	}
}

func (e *engine) poolEvent(kind eventKind, p int32, what uint32) {
	switch kind {
	case poolStep:
		e.poolStep(p)
	case poolDrains:
		e.poolDrains(p, what == 1)
	case poolTaken:
		e.poolTaken(p)
	case poolAsked:
		e.poolAsked(p)
	case nodeGone:
		e.observeNode(p, -1)
	}
}

// nodeEvent carries out what happens to nodes, links and the cache store.
func (e *engine) nodeEvent(kind eventKind, v event) {
	n := v.subject
	switch kind {
	case nodeKnown:
		e.nodeKnown(n)
	case nodeReady:
		e.nodeReady(n)
	case bootFailed:
		e.bootFailed(n)
	case nodeNoticed:
		e.nodeNoticed(n)
	case nodeTaken:
		e.nodeTaken(n)
	case pullBegins:
		e.pullBegins(n, int32(v.version))
	case pullAgain:
		e.pullAgain(n, int32(v.version))
	case flowEnds:
		if v.version == e.links[n].version {
			e.flowEnds(n)
		}
	case unpacked:
		if v.version == e.nodes[n].puller.version {
			e.unpacked(n)
		}
	case patienceEnds:
		e.patienceEnds(n)
	case personAsks:
		e.personAsks(n)
	case entryExpires:
		e.entryExpires(n, v.version)
	case nodeAtRest:
		if v.version == e.nodes[n].stirs {
			e.nodeAtRest(n)
		}
	case nodeEmptyFor:
		if v.version == e.nodes[n].version {
			e.nodeEmptyFor(n)
		}
	}
}

// draw returns a length of time for one purpose, an entity and which draw of it.
func (e *engine) draw(d chance.Dist, p chance.Purpose, entity, ordinal uint64) units.Duration {
	if d.Form == chance.Fixed {
		return units.Duration(d.A)
	}
	return units.Duration(d.Quantile(e.root.For(p, entity, ordinal).Uniform()))
}

// drawFor is draw for a job.
func (e *engine) drawFor(d chance.Dist, p chance.Purpose, j int32) units.Duration {
	return e.draw(d, p, e.jobs.List[j].Key, 0)
}

// drawAs is draw for one agent of a template.
func (e *engine) drawAs(d chance.Dist, p chance.Purpose, g *agent) units.Duration {
	return e.draw(d, p, e.w.Templates[g.template].Key, uint64(g.ordinal))
}

// keyOf names what one agent of a template does with a thing.
func (e *engine) keyOf(p chance.Purpose, g *agent, thing uint64) chance.Key {
	return e.root.For(p, e.w.Templates[g.template].Key, uint64(g.ordinal)).For(p, thing, 0)
}

// finish closes what is still open at the end of the span.
func (e *engine) finish() {
	if checked != nil {
		checked(e)
	}
	e.now = max(e.now, e.w.Plan.Span)
	for t := range e.teams {
		team := &e.teams[t]
		for i := range team.arrived {
			e.recordArrived(int32(t), i)
		}
		for i := range team.queue.len() {
			e.recordQueued(int32(t), i)
		}
	}
	for n := range e.nodes {
		if !e.nodes[n].gone {
			e.closeNode(int32(n))
		}
	}
	e.mostAgents()
	for a := range e.agents {
		if g := &e.agents[a]; g.state != gone {
			e.trace.AgentTime.Add(e.clip(e.now) - e.clip(g.created))
		}
	}
	if len(e.w.Scopes) > 0 {
		e.keep(0)
	}
	e.trace.Lines.each(func(l *Line) { l.add(e.now, 0) })
	e.trace.PeakEvents = e.queue.peak
	if e.crowd != nil {
		e.inOrder()
	}
}
