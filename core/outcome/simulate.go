package outcome

import (
	"sync"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/world"
)

// Simulate runs every repeat of a world, and jobs like recorded ones beside them, on the
// given number of workers, and returns the outcome and the trace of the first repeat. The
// result does not depend on the number of workers. progress may be nil.
func Simulate(w *world.World, workers int, progress paired.Progress) (*Outcome, *sim.Trace, error) {
	progress = progress.Forward()
	draws := paired.Draws(w.Plan.Repeats, w.AlikeRuns())
	sum := NewSum(w)
	var mu sync.Mutex // guards sum
	study := paired.Study[struct{}]{
		Worlds: []*world.World{w}, Draws: draws, Workers: workers, Progress: progress,
		Read: func(_, d int, t *sim.Trace) (none struct{}, err error) {
			sample := Measure(t, draws[d].Repeat)
			mu.Lock()
			defer mu.Unlock()
			if draws[d].Alike {
				sum.AddAlike(sample)
			} else {
				sum.Add(sample, t)
			}
			return none, nil
		},
	}
	if _, err := study.Run(); err != nil {
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

// raise runs the first repeat again with one more of what jobs waited at most, and as it would have been otherwise.
func raise(o *Outcome, t *sim.Trace, workers int, progress paired.Progress) error {
	worlds, of, what := tries(t, o.Limits)
	limits, others := len(worlds), otherwises(t)
	for _, x := range others {
		worlds = append(worlds, x.world)
	}
	study := paired.Study[Sample]{
		Worlds: worlds, Draws: paired.Draws(1, 0), Workers: workers, Progress: progress.Ending(),
		Read: func(_, _ int, t *sim.Trace) (Sample, error) { return Measure(t, 0), nil },
	}
	samples, err := study.Run()
	if err != nil {
		return err
	}
	for i := range limits {
		o.Limits[of[i]].More = compareOne(what[i], o.Samples[0], samples[i][0])
	}
	for i, x := range others {
		o.Beside = append(o.Beside, besideOf(x, o.Samples[0], samples[limits+i][0], o.Cost.Currency))
	}
	return nil
}
