package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/stats"
)

// troubles are the things that can go wrong on the way, and how often each did in a run.
// How jobs end for good is in the failures. Stored runs have them in this order: new ones
// come last.
var troubles = []struct {
	key, label string
	of         func(*sim.Trace) int64
}{
	{"out-of-memory", "attempts ended for want of memory", cut(sim.OutOfMemory)},
	{"evicted", "agents evicted from nodes short of memory", cut(sim.Evicted)},
	{"out-of-disk", "attempts ended for want of disk", cut(sim.OutOfDisk)},
	{"taken-back", "attempts lost with a spot node", cut(sim.TakenBack)},
	{"failed-starts", "agents that did not come up", func(t *sim.Trace) int64 { return t.FailedStarts }},
	{"boots-failed", "nodes that did not come up", func(t *sim.Trace) int64 { return t.BootsFailed }},
	{"no-capacity", "times a pool had no node to give", func(t *sim.Trace) int64 { return t.NoCapacity }},
	{"spot-taken", "spot nodes taken back", func(t *sim.Trace) int64 { return t.TakenBack }},
	{"images-evicted", "images dropped from full nodes", func(t *sim.Trace) int64 { return t.ImagesEvicted }},
	{"saves-failed", "saves to the cache store that failed", func(t *sim.Trace) int64 { return t.Cache.FailedSaves }},
	{
		"store-full", "archives pushed out of the full store, or too large for it",
		func(t *sim.Trace) int64 { return t.Cache.PushedOut + t.Cache.Refused },
	},
	{"preempted", "attempts lost to pods of higher priority", cut(sim.Preempted)},
	{"pulls-failed", "image pulls that failed", func(t *sim.Trace) int64 { return t.PullsFailed }},
	{"volumes-away", "attempts whose workspace's volumes were all in other zones", func(t *sim.Trace) int64 { return t.VolumesAway }},
	{"pushed-off", "agents pushed off nodes by pods of higher priority", func(t *sim.Trace) int64 { return t.Pushed }},
	{"tools-failed", "boot tools that could not be installed on agents that had joined", func(t *sim.Trace) int64 { return t.ToolsFailed }},
	{"orphaned", "attempts lost with what the controller knew", cut(sim.Orphaned)},
}

func cut(r sim.Result) func(*sim.Trace) int64 {
	return func(t *sim.Trace) int64 { return t.Cut[r] }
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
