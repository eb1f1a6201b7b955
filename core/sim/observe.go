package sim

import (
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Groups of agents' states, as time lines show them.
const (
	GroupUnplaced = iota // no node has room
	GroupStarting
	GroupIdle
	GroupWorking
	GroupWiping
	Groups
)

// GroupNames are the groups' names in order.
var GroupNames = [Groups]string{"unplaced", "starting", "idle", "working", "wiping"}

func (s agentState) group() int {
	switch s {
	case unplaced:
		return GroupUnplaced
	case idle:
		return GroupIdle
	case busy:
		return GroupWorking
	case wiping:
		return GroupWiping
	default:
		return GroupStarting
	}
}

// A Line is one quantity over time, as its integral over each bin.
type Line struct {
	value int64 // ≥ 0
	since units.Duration
	width units.Duration
	end   units.Duration // of the span; what comes later is not counted
	upTo  units.Duration // end of the bin that since lies in; 0 before the first
	bin   int            // that bin
	// Area is, for each bin, the time in it multiplied by the value that held.
	Area []units.Sum[units.Duration]
}

// add settles the line up to now and changes its value.
func (l *Line) add(now units.Duration, change int64) {
	if l.value != 0 && now > l.since {
		l.spread(now)
	}
	l.since = now
	l.value += change
}

// spread books the time since the last change into the bins it lies in.
func (l *Line) spread(now units.Duration) {
	from, now := l.since, min(now, l.end)
	for from < now {
		if from >= l.upTo { // the line was 0 for a while, or a bin is full
			l.bin = int(from / l.width)
			l.upTo = units.Duration(l.bin+1) * l.width
		}
		to := min(now, l.upTo)
		l.Area[l.bin].AddTimes(to-from, l.value)
		from = to
	}
}

// Lines are the quantities over time of one run.
type Lines struct {
	Width   units.Duration // of a bin; the last one may be cut by the end of the span
	Waiting Line           // jobs submitted and not started, those that nothing fits left out
	Agents  [Groups]Line
	Nodes   []Line          // by pool; booting ones included, as they are paid for
	CPU     [LineKinds]Line // of ready nodes, in thousandths of a core
	Memory  [LineKinds]Line // likewise, in MiB
	Stored  Line            // in the cache store, in MiB
	Before  Line            // agents that were made before their template was changed
}

// What is known of CPU and memory over time.
const (
	LineRoom      = iota // that agents may have of the nodes
	LineRequested        // by agents
	LineUsed             // by jobs at work, where it is known
	LineKinds
)

// binWidths are the widths of bins that people can read.
var binWidths = []units.Duration{
	units.Second, 5 * units.Second, 10 * units.Second, 30 * units.Second,
	units.Minute, 2 * units.Minute, 5 * units.Minute, 10 * units.Minute, 15 * units.Minute, 30 * units.Minute,
	units.Hour, 2 * units.Hour, 4 * units.Hour, 6 * units.Hour, 12 * units.Hour, units.Day,
}

// maxBins bounds a time line's length.
const maxBins = 1024

// LineWidth is the width of the bins that the lines of a run over a span are kept by.
func LineWidth(span units.Duration) (width units.Duration) {
	for _, width = range binWidths {
		if span <= maxBins*width {
			break
		}
	}
	return width
}

func newLines(span units.Duration, pools int) Lines {
	l := Lines{Nodes: make([]Line, pools), Width: LineWidth(span)}
	bins := int((span + l.Width - 1) / l.Width)
	l.each(func(x *Line) { x.width, x.end, x.Area = l.Width, span, make([]units.Sum[units.Duration], bins) })
	return l
}

func (l *Lines) each(f func(*Line)) {
	f(&l.Waiting)
	for i := range l.Agents {
		f(&l.Agents[i])
	}
	for i := range l.Nodes {
		f(&l.Nodes[i])
	}
	for i := range LineKinds {
		f(&l.CPU[i])
		f(&l.Memory[i])
	}
	f(&l.Stored)
	f(&l.Before)
}

// Like returns lines without anything on them, as many and as long as these.
func (l *Lines) Like() *Lines {
	out := newLines(l.Waiting.end, len(l.Nodes))
	return &out
}

// Add adds the areas of other lines of the same world, bin by bin.
func (l *Lines) Add(other *Lines) {
	var theirs []*Line
	other.each(func(x *Line) { theirs = append(theirs, x) })
	i := 0
	l.each(func(x *Line) {
		for b, a := range theirs[i].Area {
			x.Area[b] = x.Area[b].Plus(a)
		}
		i++
	})
}

// observeRequest sees n agents (1 or −1) of a template come to a node.
func (e *engine) observeRequest(t *world.Template, n int64) {
	e.trace.Lines.CPU[LineRequested].add(e.now, n*int64(t.Request.CPU))
	e.trace.Lines.Memory[LineRequested].add(e.now, n*int64(t.Request.Memory>>20))
}

// observeCapacity sees a node become ready (1) or go (−1).
func (e *engine) observeCapacity(node *node, n int64) {
	room := &e.w.Pools[node.pool].Room
	e.trace.Lines.CPU[LineRoom].add(e.now, n*int64(room.CPU))
	e.trace.Lines.Memory[LineRoom].add(e.now, n*int64(room.Memory>>20))
}

func (e *engine) observeWaiting(change int64) { e.trace.Lines.Waiting.add(e.now, change) }

// observeBefore sees agents that were made before a change of their template: there are more, or fewer.
func (e *engine) observeBefore(change int64) { e.trace.Lines.Before.add(e.now, change) }

func (e *engine) observeNewAgent() { e.trace.Lines.Agents[GroupUnplaced].add(e.now, 1) }

// observeAgent sees every change of an agent's state.
func (e *engine) observeAgent(g *agent, to agentState) {
	e.moveShare(g, to)
	from := g.state.group()
	if to == gone {
		e.trace.Lines.Agents[from].add(e.now, -1)
		return
	}
	if at := to.group(); at != from {
		e.trace.Lines.Agents[from].add(e.now, -1)
		e.trace.Lines.Agents[at].add(e.now, 1)
	}
}

func (e *engine) observeNode(pool int32, change int64) {
	e.trace.Lines.Nodes[pool].add(e.now, change)
	if change > 0 {
		e.trace.Nodes = append(e.trace.Nodes, NodeLife{})
	}
}

// maxHeldSpans bounds how finely one job's time in the queue is told apart; what
// came before is put to the earliest cause that is kept.
const maxHeldSpans = 32

// recordHeld books a job's time in the queue up to now.
func (e *engine) recordHeld(t int32, w *waiting) {
	e.recordUnseen(w.job, w.seen)
	held := e.teams[t].held
	i := len(held) - 1
	for i > 0 && held[i].from > w.seen && len(held)-i < maxHeldSpans {
		i--
	}
	for ; i >= 0 && i < len(held); i++ {
		to := e.now
		if i+1 < len(held) {
			to = held[i+1].from
		}
		e.trace.spanTo(w.job, to, held[i].cause, -1)
	}
}

// recordFreed names the job after which an agent went, where job j had to wait for
// that.
func (e *engine) recordFreed(t, j int32) {
	last := e.trace.Records[j].last
	if last < 0 {
		return
	}
	switch c := Cause(e.trace.spans.at(last).endCause & 0xff); {
	case c == AtCeiling:
		e.trace.spans.at(last).by = e.teams[t].freedBy
	case c.ofAll():
		e.trace.spans.at(last).by = e.freedBy
	}
}

// recordStart books what a job waited for from the promise of an agent to now,
// when agent g takes it. A standing agent leaves only time in the queue; one
// that has just joined passes on the steps of its own start. A job that runs again
// has waited for that alone.
func (e *engine) recordStart(g *agent, w waiting) {
	t := e.trace
	r := &t.Records[w.job]
	r.Node, r.Agent = g.node, g.ordinal
	e.observeWaiting(-1)
	if e.again(w.job) {
		t.spanTo(w.job, e.now, Rerun, -1)
		return
	}
	if w.promised < 0 {
		e.recordHeld(g.team, &w)
	}
	r.Stood = g.state == idle
	r.Warm = r.Stood && g.idleSince <= t.From(int(w.job))
	r.Started, r.Template, r.Form = e.now, int16(g.team), int16(g.template)
	if r.Stood {
		if stuck := e.stuckOf(g.team); w.promised >= 0 && len(stuck) > 0 {
			e.recordOvertaken(&e.agents[stuck[0]], w.job)
			return
		}
		t.spanTo(w.job, e.now, AwaitsComing, -1)
		if r.last >= 0 {
			t.spans.at(r.last).by = g.lastJob
		}
		return
	}
	coming := AwaitsComing
	if g.replaces {
		coming = AgentFailed
	}
	t.spanTo(w.job, g.created, coming, -1)
	e.recordPlacing(g, w.job, g.placed)
	t.spanTo(w.job, g.made, Making, -1)
	pulling := Pulling
	if !g.pulls && g.waited {
		pulling = PullJoined
	}
	t.spanTo(w.job, g.present-g.putOff, pulling, g.node)
	t.spanTo(w.job, g.present, PutOff, g.node)
	t.spanTo(w.job, g.started, Starting, -1)
	t.spanTo(w.job, g.installed, Installing, -1)
	t.spanTo(w.job, g.called-g.updating, Joining, -1)
	t.spanTo(w.job, g.called, Updating, -1)
	t.spanTo(w.job, g.joined, NobodyThere, -1)
}

// recordOvertaken books the time since a promise of a job that a standing agent
// takes while the pod of agent g, which was to run it, is still without a node.
func (e *engine) recordOvertaken(g *agent, job int32) {
	e.trace.spanTo(job, min(g.created, e.now), AwaitsComing, -1)
	e.recordPlacing(g, job, e.now)
}

// recordPlacing books the time until agent g's pod had a node, or had not yet.
// Each moment counts only if it came, and before the next.
func (e *engine) recordPlacing(g *agent, job int32, placed units.Duration) {
	t := e.trace
	fits := min(placed, g.tried.could)
	until := fits
	if g.asked >= 0 {
		until = min(g.asked, fits)
	}
	for i, s := range g.stuck {
		if i == 0 {
			t.spanTo(job, min(s.from, until), AwaitsScan, g.verdict)
		}
		to := until
		if i+1 < len(g.stuck) {
			to = min(g.stuck[i+1].from, until)
		}
		t.spanTo(job, to, s.cause, g.verdict)
	}
	t.spanTo(job, until, AwaitsScan, g.verdict)
	if g.asked >= 0 {
		if g.unbooted >= 0 {
			t.spanTo(job, min(g.unbooted, fits), BootFailed, -1)
		}
		t.spanTo(job, fits, Booting, g.bootNode)
	}
	t.spanTo(job, placed, BackedOff, -1)
}

// recordArrived books what the i-th job that the controller has not taken in has waited
// for up to now.
func (e *engine) recordArrived(t int32, i int) {
	team := &e.teams[t]
	why := AwaitsRound
	switch {
	case e.again(team.arrived[i]):
		why = Rerun
	case i < team.looked:
		why = NoAgentYet
	}
	e.trace.spanTo(team.arrived[i], e.now, why, -1)
}

// recordQueued books what the i-th job of a template's queue, which has not started, has
// waited for up to now.
func (e *engine) recordQueued(t int32, i int) {
	team := &e.teams[t]
	w, stuck := team.queue.at(i), e.stuckOf(t)
	switch {
	case e.again(w.job):
		e.trace.spanTo(w.job, e.now, Rerun, -1)
		return
	case i >= team.promised:
		e.recordHeld(t, w)
		return
	case len(stuck) > 0:
		e.recordOvertaken(&e.agents[stuck[min(i, len(stuck)-1)]], w.job)
	}
	e.trace.spanTo(w.job, e.now, AwaitsComing, -1)
}

// recordEnd books the end of agent a's job.
func (e *engine) recordEnd(a int32) {
	g := &e.agents[a]
	e.trace.spanTo(g.job, e.now, Wiping, -1)
	e.trace.Records[g.job].Used = e.share(g) * e.microseconds(g.busySince, e.now)
	e.endJob(g.job, e.trace.Records[g.job].Result)
}
