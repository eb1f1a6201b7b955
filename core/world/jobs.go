package world

import (
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// Jobs returns the jobs of one repeat: the recorded ones, which are the same in
// every repeat, or ones drawn for it.
func (w *World) Jobs(seed uint64, repeat int) (*demand.Jobs, error) {
	if w.Log != nil {
		return w.Log, nil
	}
	return demand.Make(w.Workload, w.Plan.Warmup, w.Plan.Span, chance.Root(seed, repeat))
}

const (
	// mostAlike is how often jobs like the recorded ones are drawn where the scenario does
	// not say, and mostJobsAlike how many jobs a log may have for that.
	mostAlike     = 8
	mostJobsAlike = 200_000
)

// AlikeRuns is how often jobs like the recorded ones are run beside them.
func (w *World) AlikeRuns() int {
	switch {
	case w.Log == nil || w.Plan.Repeats < 2:
		return 0
	case w.Plan.Alike != nil:
		return min(*w.Plan.Alike, w.Plan.Repeats)
	case len(w.Log.List) > mostJobsAlike:
		return 0
	}
	return min(w.Plan.Repeats, mostAlike)
}

// JobsAlike draws jobs like the recorded ones, for the run beside a repeat: it has that
// repeat's draws, and others where jobs are there again.
func (w *World) JobsAlike(seed uint64, repeat int) *demand.Jobs {
	start := w.Start.Add(time.Duration(w.Plan.Warmup)).In(w.Zone.Location())
	return w.Log.Alike(w.Plan.Warmup, w.Plan.Span-w.Plan.Warmup, w.covered(), start, chance.Root(seed, repeat))
}

// AlikeWeeks is how many weeks days are drawn from for jobs like the recorded ones; 0 where they
// are drawn one by one, or not at all.
func (w *World) AlikeWeeks() int {
	if w.AlikeRuns() == 0 {
		return 0
	}
	return demand.WeeksIn(w.covered())
}

// covered is how much time the log covers, without its warm-up.
func (w *World) covered() units.Duration {
	list := w.Log.List
	if len(list) == 0 {
		return 0
	}
	return logLength(list[len(list)-1].Submitted - w.Plan.Warmup)
}

// People is how many people submit jobs as they get their results: what comes then depends
// on the design.
func (w *World) People() int {
	if w.Log != nil {
		return 0
	}
	n := 0
	for _, k := range w.Workload.Classes {
		for _, p := range k.Arrivals.People {
			n += p.Count
		}
	}
	return n
}

// Recorded reports whether the jobs are recorded: the same in every repeat.
func (w *World) Recorded() bool { return w.Log != nil }
