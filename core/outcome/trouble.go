package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/stats"
)

// troubles are the things that can go wrong, and how often each did in a run.
var troubles = []struct {
	key, label string
	of         counted
}{
	{"out-of-memory", "attempts ended for want of memory", cut(sim.OutOfMemory)},
	{"evicted", "agents evicted from nodes short of memory", cut(sim.Evicted)},
	{"out-of-disk", "attempts ended for want of disk", cut(sim.OutOfDisk)},
	{"taken-back", "attempts lost with a spot node", cut(sim.TakenBack)},
	{"timed-out", "jobs that took longer than they may", result(sim.TimedOut)},
	{"dropped", "jobs dropped because one before them failed", result(sim.Dropped)},
	{"gave-up", "jobs that nobody started in time", result(sim.GaveUp)},
	{"failed", "jobs that failed for good", func(_ *sim.Trace, ended *[sim.Results]int64) int64 {
		n := int64(0)
		for r := sim.OutOfMemory; r <= sim.TakenBack; r++ {
			n += ended[r]
		}
		return n
	}},
	{"failed-starts", "agents that did not come up", seen(func(t *sim.Trace) int64 { return t.FailedStarts })},
	{"boots-failed", "nodes that did not come up", seen(func(t *sim.Trace) int64 { return t.BootsFailed })},
	{"no-capacity", "times a pool had no node to give", seen(func(t *sim.Trace) int64 { return t.NoCapacity })},
	{"spot-taken", "spot nodes taken back", seen(func(t *sim.Trace) int64 { return t.TakenBack })},
	{"images-evicted", "images dropped from full nodes", seen(func(t *sim.Trace) int64 { return t.ImagesEvicted })},
	{"saves-failed", "saves to the cache store that failed", seen(func(t *sim.Trace) int64 { return t.Cache.FailedSaves })},
	{"store-full", "archives pushed out of the full store, or too large for it", seen(func(t *sim.Trace) int64 { return t.Cache.PushedOut + t.Cache.Refused })},
}

// A counted is a way to read a trouble off a run and how its jobs ended.
type counted = func(*sim.Trace, *[sim.Results]int64) int64

func cut(r sim.Result) counted {
	return func(t *sim.Trace, _ *[sim.Results]int64) int64 { return t.Cut[r] }
}

func result(r sim.Result) counted {
	return func(_ *sim.Trace, ended *[sim.Results]int64) int64 { return ended[r] }
}

func seen(of func(*sim.Trace) int64) counted {
	return func(t *sim.Trace, _ *[sim.Results]int64) int64 { return of(t) }
}

// A Trouble is something that went wrong.
type Trouble struct {
	Key   string       `json:"key" doc:"Short name."`
	Label string       `json:"label" doc:"What went wrong."`
	Count stats.Figure `json:"count" doc:"How often, in a repeat."`
}

// troubles lists what went wrong.
func (s *Sum) troubles() []Trouble {
	out := []Trouble{}
	for i, x := range troubles {
		if f := s.figure(func(x *Sample) float64 { return float64(x.Trouble[i]) }); f.Mean > 0 {
			out = append(out, Trouble{x.key, x.label, f})
		}
	}
	return out
}
