package runs

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// compute simulates. A defect of the engine is the outcome's failure, not the
// service's. An error is the database's, a trouble.
func (q *Queue) compute(ctx context.Context, o store.Outcome, j *job) (end store.Outcome, data []byte, trace *sim.Trace, err error) {
	fail := func(err error) (store.Outcome, []byte, *sim.Trace, error) {
		end := store.Outcome{State: wire.Failed, Error: err.Error()}
		if d := (*sim.Defect)(nil); errors.As(err, &d) {
			end.Stack = fmt.Sprintf("seed %d, repeat %d: %v\n%s", d.Seed, d.Repeat, d.What, d.Stack)
			q.log.Error("defect in a "+o.Work.String(), "id", o.ID, "scenario", o.Scenario, "defect", end.Stack)
		}
		return end, nil, nil, nil
	}
	defer func() { // of what is not a run: putting worlds together, summing up
		if p := recover(); p != nil {
			end, data, trace, err = fail(&sim.Defect{What: p, Repeat: -1, Stack: string(debug.Stack())})
		}
	}()
	world, err := q.world(ctx, o)
	if t := (trouble{}); errors.As(err, &t) {
		return store.Outcome{}, nil, nil, err
	}
	if err != nil {
		return fail(err)
	}
	progress := func(done float64) bool {
		stepBack() // each goroutine of the work comes by here, early and often
		j.progress.Store(uint64(done * 1e6))
		return !j.stopped.Load()
	}
	if o.Work == store.Weighing {
		end, data, err = q.weigh(o, world, progress)
		if err != nil {
			return fail(err)
		}
		return end, data, nil, nil
	}
	workers, err := q.room(func(workers int) units.Bytes { return outcome.Need(world, workers) })
	if err != nil {
		return fail(err)
	}
	result, trace, err := outcome.Simulate(world, workers, progress)
	if err != nil {
		return fail(err)
	}
	raw, err := json.Marshal(result)
	if err != nil {
		return fail(err)
	}
	summary, err := json.Marshal(summarize(result))
	if err != nil {
		return fail(err)
	}
	return store.Outcome{State: wire.Done, Summary: string(summary), Digest: Digest(raw)}, pack(raw), trace, nil
}

// world puts an outcome's inputs together again.
func (q *Queue) world(ctx context.Context, o store.Outcome) (*world.World, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(o.Inputs), &in); err != nil {
		return nil, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	return w, err
}
