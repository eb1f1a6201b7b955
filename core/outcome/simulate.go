package outcome

import (
	"sync"
	"sync/atomic"

	"tachyphor/core/demand"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Progress is told the share of a simulation that is done, 0 to 1; returning false stops
// it.
type Progress func(done float64) bool

// Forward tells p what several goroutines find: one at a time, and never less than
// before, however late one of them is. It is nil for none.
func (p Progress) Forward() Progress {
	if p == nil {
		return nil
	}
	var mu sync.Mutex
	most := 0.0
	return func(done float64) bool {
		mu.Lock()
		defer mu.Unlock()
		most = max(most, done)
		return p(most)
	}
}

// ending is what watches runs that come after all that progress tells of.
func (p Progress) ending() sim.Watcher {
	if p == nil {
		return nil
	}
	return func(units.Duration) bool { return p(1) }
}

// Simulate runs every repeat of a world, and jobs like recorded ones beside them, on the
// given number of workers, and returns the outcome and the trace of the first repeat. The
// result does not depend on the number of workers. progress may be nil.
func Simulate(w *world.World, workers int, progress Progress) (*Outcome, *sim.Trace, error) {
	progress = progress.Forward()
	repeats := w.Plan.Repeats
	runs := repeats + w.AlikeRuns() // those of jobs alike come last
	sum := NewSum(w)
	done := make([]atomic.Int64, runs) // simulated time of each
	watch := func(run int) sim.Watcher {
		if progress == nil {
			return nil
		}
		return func(now units.Duration) bool {
			done[run].Store(int64(min(now, w.Plan.Span)))
			total := 0.0
			for i := range done {
				total += float64(done[i].Load())
			}
			return progress(total / float64(w.Plan.Span) / float64(runs))
		}
	}
	var mu sync.Mutex // guards sum
	err := sim.Each(workers, runs, func(i int) (err error) {
		r, alike := i%repeats, i >= repeats
		defer sim.Catch(&err, w.Plan.Seed, r)
		var jobs *demand.Jobs
		if alike {
			jobs = w.JobsAlike(w.Plan.Seed, r)
		} else if jobs, err = w.Jobs(w.Plan.Seed, r); err != nil {
			return err
		}
		trace, err := sim.RunJobs(w, jobs, w.Plan.Seed, r, watch(i))
		if err != nil {
			return err
		}
		sample := Measure(trace, r)
		if err := trace.Check(); err != nil {
			return err
		}
		mu.Lock()
		if alike {
			sum.AddAlike(sample)
		} else {
			sum.Add(sample, trace)
		}
		mu.Unlock()
		done[i].Store(int64(w.Plan.Span))
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	note, err := settled(w, sum.samples, workers, progress)
	if err != nil {
		return nil, nil, err
	}
	o, trace := sum.Outcome()
	if note != "" {
		o.Notes = append(o.Notes, note)
	}
	return o, trace, raise(o, trace, workers, progress)
}

// raise runs the first repeat again with one more of what jobs waited at most.
func raise(o *Outcome, t *sim.Trace, workers int, progress Progress) error {
	worlds, of, what := tries(t, o.Limits)
	samples := make([]Sample, len(worlds))
	err := sim.Each(workers, len(worlds), func(i int) error {
		more, err := sim.Run(worlds[i], o.Seed, 0, progress.ending())
		if err == nil {
			samples[i] = Measure(more, 0)
		}
		return err
	})
	if err != nil {
		return err
	}
	for i := range worlds {
		o.Limits[of[i]].More = compareOne(what[i], o.Samples[0], samples[i])
	}
	return nil
}
