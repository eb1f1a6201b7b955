package outcome

import (
	"sync"
	"sync/atomic"

	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// Progress is told the share of a simulation that is done, 0 to 1, from several
// goroutines; returning false stops it.
type Progress func(done float64) bool

// Simulate runs every repeat of a world on the given number of workers and
// returns the outcome and the trace of the first repeat. The result does not
// depend on the number of workers. progress may be nil.
func Simulate(w *sim.World, workers int, progress Progress) (*Outcome, *sim.Trace, error) {
	repeats := w.Plan.Repeats
	sum := NewSum(w)
	done := make([]atomic.Int64, repeats) // simulated time of each repeat
	watch := func(repeat int) sim.Watcher {
		if progress == nil {
			return nil
		}
		return func(now units.Duration) bool {
			done[repeat].Store(int64(min(now, w.Plan.Span)))
			total := 0.0
			for i := range done {
				total += float64(done[i].Load())
			}
			return progress(total / float64(w.Plan.Span) / float64(repeats))
		}
	}
	var (
		next  atomic.Int64
		mu    sync.Mutex // guards sum and first
		first error
		wait  sync.WaitGroup
	)
	for range min(max(1, workers), repeats) {
		wait.Go(func() {
			for {
				r := int(next.Add(1)) - 1
				if r >= repeats {
					return
				}
				trace, err := sim.Run(w, w.Plan.Seed, r, watch(r))
				var sample Sample
				if err == nil {
					sample = Measure(trace, r)
					err = trace.Check()
				}
				mu.Lock()
				if err != nil {
					first = err
					next.Store(int64(repeats))
				} else {
					sum.Add(sample, trace)
				}
				mu.Unlock()
				done[r].Store(int64(w.Plan.Span))
			}
		})
	}
	wait.Wait()
	if first != nil {
		return nil, nil, first
	}
	o, trace := sum.Outcome()
	return o, trace, raise(o, trace, workers, progress)
}

// raise runs the first repeat again with one more of what jobs waited at most.
func raise(o *Outcome, t *sim.Trace, workers int, progress Progress) error {
	worlds, of, what := tries(t, o.Limits)
	results := make([]error, len(worlds))
	samples := make([]Sample, len(worlds))
	var next atomic.Int64
	var wait sync.WaitGroup
	for range min(max(1, workers), len(worlds)) {
		wait.Go(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= len(worlds) {
					return
				}
				var watch sim.Watcher
				if progress != nil {
					watch = func(units.Duration) bool { return progress(1) }
				}
				var more *sim.Trace
				if more, results[i] = sim.RunJobs(worlds[i], t.Jobs, o.Seed, 0, watch); results[i] == nil {
					samples[i] = Measure(more, 0)
				}
			}
		})
	}
	wait.Wait()
	for i := range worlds {
		if results[i] != nil {
			return results[i]
		}
		o.Limits[of[i]].More = compareOne(what[i], o.Samples[0], samples[i])
	}
	return nil
}
