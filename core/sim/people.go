package sim

import (
	"fmt"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// crowd is the people who submit jobs as they get their results. Their jobs stand behind
// those that come by themselves until the run is over, in the order in which they came.
type crowd struct {
	groups  []demand.Group
	there   [][]demand.Stretch // by group: when they think, where they do not always
	persons []person
	alone   int     // jobs that come by themselves
	whose   []int32 // by job behind those: the person
}

// A person submits a job, waits for all that comes of it, and thinks.
type person struct {
	group, number int32 // number within the group, from 0
	nth           int32 // turns begun
	waits         int32 // jobs of this turn that are not over
}

// newCrowd has everybody think, where there are people; nil otherwise.
func newCrowd(e *engine) *crowd {
	groups := e.jobs.People()
	if len(groups) == 0 {
		return nil
	}
	e.jobs = e.jobs.WithRoom()
	e.trace.Jobs = e.jobs
	c := &crowd{groups: groups, there: make([][]demand.Stretch, len(groups)), alone: len(e.jobs.List)}
	for i := range groups {
		g := &groups[i]
		if !g.Always {
			c.there[i] = demand.Stretches(g.Window, e.w.Start, e.w.Plan.Span, e.w.Zone)
		}
		for n := range g.Count {
			c.persons = append(c.persons, person{group: int32(i), number: int32(n)})
		}
	}
	return c
}

// think has person p think about their next job. Time at which they are not there does not
// count.
func (e *engine) think(p int32) {
	c := e.crowd
	who := &c.persons[p]
	who.nth++
	g := &c.groups[who.group]
	d := g.Thinks(int(who.number), int(who.nth))
	at := e.now + d
	if !g.Always {
		at = after(c.there[who.group], e.now, d)
	}
	if at < e.w.Plan.Span {
		e.queue.plan(at, personAsks, p, 0)
	}
}

// after is the moment at which so much time of some stretches has passed since another;
// never where they end before.
func after(list []demand.Stretch, from, length units.Duration) units.Duration {
	i, _ := slices.BinarySearchFunc(list, from, func(s demand.Stretch, t units.Duration) int {
		if s.To <= t {
			return -1
		}
		return 1
	})
	for _, s := range list[i:] {
		begin := max(s.From, from)
		if begin+length < s.To {
			return begin + length
		}
		length -= s.To - begin
	}
	return never
}

// personAsks submits the next job of person p, with all that follow it.
func (e *engine) personAsks(p int32) {
	c := e.crowd
	who := &c.persons[p]
	first := e.jobs.Submit(&c.groups[who.group], int(who.number), int(who.nth), e.now)
	n := len(e.jobs.List) - first
	if len(e.jobs.List) > demand.MaxJobs {
		e.broken = fmt.Errorf("by %v of simulated time people have submitted so many jobs that there are more than %d: give them "+
			"more time to think, or shorten run.span", units.Duration(e.now), demand.MaxJobs)
	}
	who.waits = int32(n)
	for j := first; j < first+n; j++ {
		e.enters(int32(j), p)
	}
	for j := first; j < first+n; j++ {
		e.submitted(int32(j))
		e.jobArrives(int32(j))
	}
}

// enters makes room for a job that a person has submitted, in all that is kept by job.
func (e *engine) enters(j, p int32) {
	e.crowd.whose = append(e.crowd.whose, p)
	t := e.fits[e.jobs.List[j].Wants]
	e.trace.Records = append(e.trace.Records, newRecord(t))
	e.trace.released = append(e.trace.released, e.now)
	if t >= 0 {
		e.open++
	}
	if e.cache.versions != nil {
		e.cache.versions = append(e.cache.versions, 0)
	}
	e.chain.add(j, e.jobs)
}

// resolved tells the person who waits for a job, where somebody does, that it is over.
func (e *engine) resolved(j int32) {
	if e.crowd == nil || int(j) < e.crowd.alone {
		return
	}
	p := e.crowd.whose[int(j)-e.crowd.alone]
	if e.crowd.persons[p].waits--; e.crowd.persons[p].waits == 0 {
		e.think(p)
	}
}

// inOrder brings what people submitted among the other jobs, by submission, once a run is
// over.
func (e *engine) inOrder() {
	t, now := e.trace, e.jobs.InOrder()
	records, released := make([]Record, len(now)), make([]units.Duration, len(now))
	for j, to := range now {
		records[to], released[to] = t.Records[j], t.released[j]
	}
	t.Records, t.released = records, released
	for i := range t.Unmatched {
		t.Unmatched[i] = now[t.Unmatched[i]]
	}
	slices.Sort(t.Unmatched)
	for i := range t.spans.n {
		if s := t.spans.at(i); s.by >= 0 && Cause(s.endCause&0xff).Phase() == Held {
			s.by = now[s.by]
		}
	}
}
