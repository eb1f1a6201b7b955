package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// A run is one attempt of a job on an agent. Only a busy agent's run means
// anything.
type run struct {
	began  units.Duration // when the agent took the job
	since  units.Duration // of work
	own    units.Duration // work of the job's own, unhindered
	cold   units.Duration // work that a fresh cache would have spared
	more   units.Duration // work that comes of what earlier jobs left on the agent
	part   float64        // of the cold work that is drawn; below 1 where the record has no room for it
	flows  int            // that its job fetches or sends and that have not ended
	limit  units.Duration // moment at which the job may work no longer; never if it may
	warmth warmth
	step   runStep
	volume int32 // index into the scope's volumes; -1 when it has none

	// Work unhindered: left until the next milestone, which is the peak of memory
	// and disk where rest ≥ 0 (the work after it), and the end otherwise.
	left, rest units.Duration
	settled    units.Duration // up to when left is true
	speed      float64        // work done in a unit of time, 0 to 1
	cap        int64          // CPU that it would use, in millionths of a core
	rate       int64          // CPU that it gets, likewise

	memory, disk units.Bytes // peaks; 0 when not known
	held         units.Bytes // memory that counts against the node
}

// runStep is what a busy agent does.
type runStep uint8

const (
	waitingForVolume runStep = iota
	attaching
	asking    // the store, before the first byte
	carrying  // a flow from the store
	unpacking // what came
	awaitingTool
	working
	awaitingFetch
	packing
	offering // the store, before the first byte
	sending  // a flow to the store
)

// startRun begins a job on agent a.
func (e *engine) startRun(a int32, w waiting) {
	g := &e.agents[a]
	e.beganBefore(g)
	e.recordStart(g, w)
	g.job = w.job
	g.busySince = e.now
	if g.state == joining {
		g.busySince = g.placed // the start was for this job
	}
	e.becomes(a, busy)
	j := &e.jobs.List[w.job]
	c := &e.w.Classes[j.Class]
	g.run = run{began: e.now, own: j.Work, limit: never, rest: -1, volume: -1, speed: 1, part: 1}
	if g.run.own < 0 {
		g.run.own = e.drawFor(c.Work, chance.Work, w.job)
	} else {
		g.run.own, g.run.part = e.recordedWork(w.job)
	}
	g.run.own = at(g.run.own, c.SpeedOn(e.nodes[g.node].pool))
	e.beginRestore(a)
}

// beginWork starts the job's own first step.
func (e *engine) beginWork(a int32) {
	g := &e.agents[a]
	if len(g.toolsAt) > 0 && e.lacksTool(a) {
		return
	}
	r, class := &g.run, &e.w.Classes[e.jobs.List[g.job].Class]
	r.step = working
	e.trace.spanTo(g.job, e.now, Restoring, -1)
	r.since, r.settled = e.now, e.now
	r.cold = e.coldWork(g.job, class, r.warmth)
	if r.part < 1 {
		r.cold = units.Duration(float64(r.cold) * r.part)
	}
	r.cold = at(r.cold, class.SpeedOn(e.nodes[g.node].pool))
	if class.Limit > 0 {
		r.limit = e.now + class.Limit
	}
	r.more = hindrance(r.own, class, g.jobs)
	r.left = r.own + r.cold + r.more
	e.beginPeaks(a, class)
	e.beginTraffic(a)
	if e.w.Sharing {
		e.joinCPU(a)
	} else {
		e.planWork(a)
	}
	e.relieve(a) // of what others hold above their requests; a holds no more than its own
}

// planWork plans the run's next milestone from what is left and the speed. A plan
// that has become too early is left: when it comes up the rest is planned anew.
func (e *engine) planWork(a int32) {
	g := &e.agents[a]
	r := &g.run
	at := r.limit
	if end := e.now + stretched(r.left, r.speed); r.speed > 0 {
		at = min(at, end)
	}
	if g.ahead > e.now && g.ahead <= at {
		return
	}
	e.later(a, at-e.now, workStep)
}

// stretched is how long work takes at a speed, rounded up.
func stretched(work units.Duration, speed float64) units.Duration {
	if speed == 1 {
		return work
	}
	t := float64(work) / speed
	d := units.Duration(t)
	if float64(d) < t {
		d++
	}
	return d
}

// workStep comes at a milestone of a run, or before it where the work has become
// slower.
func (e *engine) workStep(a int32) {
	g := &e.agents[a]
	r := &g.run
	if r.step == awaitingFetch {
		e.stop(a, TimedOut)
		return
	}
	e.settleWork(r)
	switch {
	case r.left > 0 && e.now >= r.limit:
		e.stop(a, TimedOut)
	case r.left > 0:
		e.planWork(a)
	case r.rest >= 0:
		r.left, r.rest = r.rest, -1
		if e.peak(a) {
			e.planWork(a)
		}
	case e.awaitFetch(a):
	default:
		e.ended(a)
	}
}

// ended ends the work of agent a's job, of which all is done.
func (e *engine) ended(a int32) {
	g := &e.agents[a]
	if e.spoils(g.job, &e.w.Classes[e.jobs.List[g.job].Class], g.jobs) {
		e.stop(a, Spoiled)
	} else {
		e.stop(a, Succeeded)
	}
}

// settleWork books the work done since the last change of speed.
func (e *engine) settleWork(r *run) {
	d := e.now - r.settled
	r.settled = e.now
	if r.speed != 1 {
		d = units.Duration(float64(d) * r.speed)
		if d > r.left-2 { // rounding must not leave a nanosecond behind
			d = r.left
		}
	}
	r.left = max(0, r.left-d)
}

// stop ends the work of agent a's job, which keeps its agent.
func (e *engine) stop(a int32, result Result) {
	g := &e.agents[a]
	r, t := &g.run, e.trace
	e.dropTraffic(a)
	if r.step != awaitingFetch {
		t.spanWork(g, e.now)
	}
	t.spanTo(g.job, e.now, Fetching, -1)
	t.Records[g.job].Result = result
	e.endWork(a)
	e.follow(g.job, result)
	if e.beginSave(a, result) {
		return
	}
	e.wipe(a)
}

// spanWork books the work of agent g's job up to a moment.
func (t *Trace) spanWork(g *agent, now units.Duration) {
	r := &g.run
	t.spanTo(g.job, min(now, r.since+r.own), Working, -1)
	t.spanTo(g.job, min(now, r.since+r.own+r.cold), ColdWork, -1)
	t.spanTo(g.job, min(now, r.since+r.own+r.cold+r.more), Hindered, -1)
	t.spanTo(g.job, now, Stretched, g.node)
}

// endWork gives back what a working job holds of its node.
func (e *engine) endWork(a int32) {
	g := &e.agents[a]
	if e.w.Sharing && g.run.step == working {
		e.leaveCPU(a)
	}
	e.hold(g, 0)
}

func (e *engine) wipe(a int32) {
	g := &e.agents[a]
	e.releaseVolume(a)
	e.trace.spanTo(g.job, e.now, Saving, -1)
	e.becomes(a, wiping)
	e.later(a, e.drawFor(e.w.WipeTime, chance.Wipe, g.job), wiped)
}
