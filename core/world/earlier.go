package world

import (
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A run begins with nothing running. Whether its warm-up is long enough for that to be
// forgotten is seen by beginning earlier: jobs that come early in the span must fare as
// they did.

const (
	// A run begins earlier by as long as it warms up, but by no less and no more than this;
	// and no more than its span.
	leastEarlier = 6 * units.Hour
	mostEarlier  = units.Week
	// mostJobsEarlier is how many jobs a repeat may have for that.
	mostJobsEarlier = 200_000
)

// An origin is what a world was put together from. One that was made from another by
// changing it has that one's, which is not what it is.
type origin struct {
	in Input
	of *World
}

// Early is how much of the span's beginning tells whether the warm-up was long enough; 0
// where that is not looked at: of a single repeat, of very many jobs, of a log that has no
// jobs of the hours before it, and of a world that was made from another.
func (w *World) Early() units.Duration {
	if w.origin == nil || w.origin.of != w || w.Plan.Repeats < 2 || w.Log != nil && w.covered() < units.Day {
		return 0
	}
	return w.earlierBy()
}

func (w *World) earlierBy() units.Duration {
	return min(max(w.Plan.Warmup, leastEarlier), mostEarlier, w.Plan.Span-w.Plan.Warmup)
}

// Earlier returns the world beginning earlier, by as long as it warms up, and ending once
// the early part of the span and as much again are over. Its jobs are the same, with
// others before them.
func (w *World) Earlier() (*World, error) {
	in := w.origin.in
	scenario := *in.Scenario.Value.(*document.Scenario)
	scenario.Spec.Run.Span = w.Plan.Span - w.Plan.Warmup // as it came to
	scenario.Spec.Run.Warmup += w.earlierBy()
	d := *in.Scenario
	d.Value = &scenario
	in.Scenario = &d
	e, faults := Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, err
	}
	e.Plan.Seed = w.Plan.Seed
	e.Plan.Span = min(e.Plan.Span, e.Plan.Warmup+2*w.Early())
	return e, nil
}
