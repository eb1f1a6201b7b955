package sim

import (
	"fmt"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/fleet"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Trace is what one run observed, in columns.
type Trace struct {
	World *world.World
	Jobs  *demand.Jobs
	// Records has one entry for each job, in the order of Jobs.
	Records   []Record
	Unmatched []int32 // jobs that no template fits, ascending
	Verdicts  []fleet.Verdict
	Nodes     []NodeLife // in the order in which they were asked for
	Lines     Lines

	Events, Rounds, Scans int64 // that the loop went through
	PeakEvents            int   // most events planned at once
	AgentsMade            int64

	FailedStarts  int64 // agents given up because a boot tool could not be installed
	ToolsFailed   int64 // times a boot tool could not be installed on an agent that had joined before
	BootsFailed   int64
	PullsFailed   int64
	VolumesAway   int64 // attempts whose workspace's volumes were all in other zones
	NoCapacity    int64 // times a pool had no node to give
	TakenBack     int64 // spot nodes
	Pushed        int64 // agents pushed off nodes by pods of higher priority
	ImagesEvicted int64
	Emptied       int64          // nodes that were chosen to be emptied
	Reopened      int64          // of them, those that were opened again
	Cut           [Results]int64 // attempts cut short, by why
	Cache         CacheCount
	// Moved are bytes within the window, by link: RegistryDown, StoreDown, StoreUp, and the
	// others from OtherLinks on, towards the cluster and then from it.
	Moved []units.Sum[units.Bytes]
	// Entries are those of the store, in the order in which they were saved. ReadFrom is by job the one that it
	// read last, below 0 for none; nil without caches. SavedAs is the one that a job saved.
	Entries  []EntryLife
	ReadFrom []int32
	SavedAs  map[int32]int32
	// Carried is what jobs fetched and sent, by class and by its Network.
	Carried   [][]Carried
	AgentTime units.Sum[units.Duration] // of all agents, within the window
	// Hit counts, by event of the world, the nodes that were taken back for it, or the nodes that were
	// asked for in vain.
	Hit []int64
	// LayerPulls and ImagePulls count, within the window, how often nodes began to bring each layer, and each
	// image or what of it was missing.
	LayerPulls, ImagePulls []int64
	// Rollouts are, by change of the world, what became of the agents of before.
	Rollouts []Rollout
	// Lives are of the agents that went within the window, by template.
	Lives []Life
	// MostAgents is how many agents there were at once within the window.
	MostAgents int

	full     *world.World     // World with all that agents were ever made of
	root     chance.Key       // of the run's draws
	released []units.Duration // by job: when the work of all it came after was done; nil when none does
	spans    spans
}

// From returns when job j's time begins: its submission, or the end of the last
// job that it comes after.
func (t *Trace) From(j int) units.Duration {
	if t.released != nil {
		return t.released[j]
	}
	return t.Jobs.List[j].Submitted
}

// A Record is how one job fared.
type Record struct {
	Started  units.Duration // its own first step; below 0 if it never came to that
	Ended    units.Duration // below 0 if it did not end
	Node     int32          // index into Trace.Nodes; -1 before it started
	Agent    int32          // ordinal of the agent within its template, from 1
	Template int16          // -1 when nothing fits
	Form     int16          // what its agent was made of, as an index into World.Full().Templates
	Stood    bool           // the agent it took was there before: it had come for another job, or ahead of any
	Warm     bool           // that agent stood idle when the job came
	Result   Result
	Lost     uint8 // attempts that were cut short
	Used     int64 // what the attempt that ended it used of its node, in 1/1024 node · µs, within the window
	first    int32 // its chain of spans; -1 when empty
	last     int32
}

// newRecord is that of a job that has not begun, with the template that it gets.
func newRecord(template int32) Record {
	return Record{Started: -1, Ended: -1, Node: -1, Template: int16(template), Form: int16(template), first: -1, last: -1}
}

// A Stay is a span written out: the job waited for Cause from From to To.
// By names the counterpart: for held phases the job that freed the agent, for
// placing an index into Trace.Verdicts, for node, image an index into
// Trace.Nodes; -1 where there is none.
type Stay struct {
	From, To units.Duration
	Cause    Cause
	By       int32
}

// spanTo adds a span that ends at a moment to job j's chain, unless it is empty.
func (t *Trace) spanTo(j int32, end units.Duration, c Cause, by int32) {
	r := &t.Records[j]
	from := t.From(int(j))
	if r.last >= 0 {
		from = units.Duration(t.spans.at(r.last).endCause >> 8)
	}
	if end <= from {
		return
	}
	n := t.spans.add(span{uint64(end)<<8 | uint64(c), by, -1})
	if r.last >= 0 {
		t.spans.at(r.last).next = n
	} else {
		r.first = n
	}
	r.last = n
}

// Stays returns job j's time from submission to its end, without gaps.
func (t *Trace) Stays(j int) []Stay {
	var out []Stay
	t.EachStay(j, func(s Stay) { out = append(out, s) })
	return out
}

// Ribbon adds job j's time up by phase and by cause into the given sums.
func (t *Trace) Ribbon(j int, phases *[Phases]units.Sum[units.Duration], byCause *[causes]units.Sum[units.Duration]) {
	from := t.From(j)
	for i := t.Records[j].first; i >= 0; i = t.spans.at(i).next {
		s := t.spans.at(i)
		to, c := units.Duration(s.endCause>>8), Cause(s.endCause&0xff)
		phases[c.Phase()].Add(to - from)
		byCause[c].Add(to - from)
		from = to
	}
}

// PhaseTimes is how long job j was in each phase.
func (t *Trace) PhaseTimes(j int) (out [Phases]units.Duration) {
	t.EachStay(j, func(s Stay) { out[s.Cause.Phase()] += s.To - s.From })
	return out
}

// CauseCount is how many causes there are, for sums by cause.
const CauseCount = int(causes)

// NodeName names node n of the trace.
func (t *Trace) NodeName(n int32) string {
	return nodeName(t.World, t.Nodes[n].Pool, t.Nodes[n].Ordinal)
}

// Check returns the first thing about the trace that must not be: a chain of
// spans that does not end where its job ends, phases out of order, node time
// that does not add up.
func (t *Trace) Check() error {
	for j := range t.Records {
		if err := t.checkJob(j); err != nil {
			return fmt.Errorf("job %s: %w", t.Jobs.ID(j), err)
		}
	}
	for n, life := range t.Nodes {
		if err := life.check(); err != nil {
			return fmt.Errorf("node %s: %w", t.NodeName(int32(n)), err)
		}
	}
	return nil
}

// checkJob checks one job's chain.
func (t *Trace) checkJob(j int) error {
	r := &t.Records[j]
	if r.Ended < 0 || r.Started < 0 {
		return nil
	}
	at, started, phase := t.From(j), t.From(j), Held
	for i := r.first; i >= 0; i = t.spans.at(i).next {
		to, c := units.Duration(t.spans.at(i).endCause>>8), Cause(t.spans.at(i).endCause&0xff)
		p := c.Phase()
		if p < phase {
			return fmt.Errorf("phase %v comes after %v", p, phase)
		}
		if p < Restore {
			started = to
		}
		at, phase = to, p
		if c == LostWork || c == Rerun { // another attempt may begin with its workspace
			phase = Restore
		}
	}
	if at != r.Ended || started != r.Started {
		return fmt.Errorf("starts at %d ns and ends at %d ns, its ribbon says %d and %d", r.Started, r.Ended, started, at)
	}
	return nil
}
