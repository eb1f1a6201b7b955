package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// A Least is the least that a job needed of nodes within the window of the figures,
// in any design that gives its jobs the same work. Amounts are over time: core · ns
// and byte · ns.
type Least struct {
	// Cores and Memory are what the job itself needs; 0 where its workload does not
	// say how many cores its jobs keep busy, or how much memory they take.
	Cores, Memory           float64
	CoresKnown, MemoryKnown bool
	// Requested is what its agent requested for as long as the work takes unhindered.
	RequestedCores, RequestedMemory float64
}

// Least returns what job j needed at the least; nothing of one that did not succeed.
//
// The work of its own that was done within the window is at least all of it less the
// time outside, since no work is done faster than time passes. Its parallel share on c
// cores takes c cores for its length however many it gets, its serial share one core,
// or c where it wants less. Its memory is at its peak only from a drawn point of the
// work on.
func (t *Trace) Least(j int) (l Least) {
	r, job, w := &t.Records[j], &t.Jobs.List[j], t.World
	if r.Result != Succeeded {
		return l
	}
	own, from, to := t.work(j)
	clip := func(at units.Duration) units.Duration { return min(max(at, w.Plan.Warmup), w.Plan.Span) }
	outside := (to - from) - (clip(to) - clip(from))
	done := float64(max(0, own-outside))
	class, agent := &w.Classes[job.Class], &t.full.Templates[r.Form].Request
	slower := 1.0 // than the fastest nodes, which would have taken less
	if class.Speeds != nil {
		slower = class.SpeedOn(t.Nodes[r.Node].Pool) / class.Fastest()
	}
	done *= slower
	if c := coresOf(job, class); c > 0 {
		l.Cores, l.CoresKnown = float64(done*(float64(class.Parallel*c)+float64((1-class.Parallel)*min(1, c)))), true
	}
	if peak := t.peakMemory(j); peak > 0 {
		u := t.root.For(chance.Peak, job.Key, uint64(r.Lost)).Uniform()
		l.Memory, l.MemoryKnown = float64(float64(peak)*max(0, float64((1-u)*float64(own))-float64(outside))*slower), true
	}
	l.RequestedCores, l.RequestedMemory = float64(done*agent.CPU.Cores()), float64(done*float64(agent.Memory))
	return l
}

// work returns what job j did of its own work in the attempt that ended it, without
// cold work and stretch, and when that attempt worked.
func (t *Trace) work(j int) (own, from, to units.Duration) {
	from = -1
	t.EachStay(j, func(s Stay) {
		switch s.Cause {
		case Working:
			own += s.To - s.From
		case ColdWork, Hindered, Stretched:
		default:
			return
		}
		if from < 0 {
			from = s.From
		}
		to = s.To
	})
	return own, max(0, from), to
}

// peakMemory is the most memory that job j took in its last attempt; 0 where that is
// not known.
func (t *Trace) peakMemory(j int) units.Bytes {
	return peakOf(t.root, t.Jobs, j, t.Records[j].Lost, t.Jobs.Memory, t.World.Classes[t.Jobs.List[j].Class].Memory, chance.Memory)
}
