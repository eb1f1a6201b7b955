package outcome

import (
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/world"
)

// Glance runs the first repeat of a world alone: what one run says, without intervals and without what an outcome
// tries beside. It is that repeat of Simulate, draw by draw. The world's plan must ask for one repeat; progress may be nil.
func Glance(w *world.World, progress paired.Progress) (*Outcome, error) {
	sum := NewSum(w)
	study := paired.Study[struct{}]{
		Worlds: []*world.World{w}, Draws: paired.Draws(1, 0), Workers: 1, Progress: progress,
		Read: func(_, _ int, t *sim.Trace) (none struct{}, err error) {
			sum.Add(Measure(t, 0), t)
			return none, nil
		},
	}
	if _, err := study.Run(); err != nil {
		return nil, err
	}
	o, _ := sum.Outcome()
	return o, nil
}
