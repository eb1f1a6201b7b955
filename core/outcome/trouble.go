package outcome

import "tachyphor/core/sim"

// A CacheSample is what the workspace cache did in one repeat.
type CacheSample struct {
	Hits      int64   `json:"hits" doc:"Jobs that found their workspace up to date."`
	Stale     int64   `json:"stale" doc:"Jobs that found one out of date."`
	Misses    int64   `json:"misses" doc:"Jobs that found none."`
	Saves     int64   `json:"saves" doc:"Archives saved."`
	KeptBytes float64 `json:"keptBytes" doc:"In the store on average, within the window."`
	DownBytes int64   `json:"downBytes" doc:"Brought from the store within the window."`
	UpBytes   int64   `json:"upBytes" doc:"Sent to the store within the window."`
}

// troubles are the things that can go wrong, and how often each did in a run.
var troubles = []struct {
	key, label string
	of         func(*sim.Trace) int64
}{
	{"out-of-memory", "attempts ended for want of memory", cut(sim.OutOfMemory)},
	{"evicted", "agents evicted from nodes short of memory", cut(sim.Evicted)},
	{"out-of-disk", "attempts ended for want of disk", cut(sim.OutOfDisk)},
	{"taken-back", "attempts lost with a spot node", cut(sim.TakenBack)},
	{"timed-out", "jobs that took longer than they may", result(sim.TimedOut)},
	{"dropped", "jobs dropped because one before them failed", result(sim.Dropped)},
	{"gave-up", "jobs that nobody started in time", result(sim.GaveUp)},
	{"failed", "jobs that failed for good", func(t *sim.Trace) int64 {
		n := int64(0)
		for r := sim.OutOfMemory; r <= sim.TakenBack; r++ {
			n += result(r)(t)
		}
		return n
	}},
	{"failed-starts", "agents that did not come up", func(t *sim.Trace) int64 { return t.FailedStarts }},
	{"boots-failed", "nodes that did not come up", func(t *sim.Trace) int64 { return t.BootsFailed }},
	{"no-capacity", "times a pool had no node to give", func(t *sim.Trace) int64 { return t.NoCapacity }},
	{"spot-taken", "spot nodes taken back", func(t *sim.Trace) int64 { return t.TakenBack }},
	{"images-evicted", "images dropped from full nodes", func(t *sim.Trace) int64 { return t.ImagesEvicted }},
	{"saves-failed", "saves to the cache store that failed", func(t *sim.Trace) int64 { return t.Cache.FailedSaves }},
	{"store-full", "archives pushed out of the full store, or too large for it", func(t *sim.Trace) int64 { return t.Cache.PushedOut + t.Cache.Refused }},
}

func cut(r sim.Result) func(*sim.Trace) int64 { return func(t *sim.Trace) int64 { return t.Cut[r] } }

func result(r sim.Result) func(*sim.Trace) int64 {
	return func(t *sim.Trace) int64 {
		n := int64(0)
		for j := range t.Records {
			if t.Records[j].Result == r {
				n++
			}
		}
		return n
	}
}
