package work

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Simulation simulates a scenario; its question is wire.Inputs, its result an outcome.
var Simulation = Kind{Name: wire.WorkSimulation, Called: "outcome", Run: simulate}

// Simulate enters a scenario's simulation into the queue. Changes are made in its documents
// first; each must be one that it uses.
func (q *Queue) Simulate(ctx context.Context, scenario, by string, run wire.Run) (store.Work, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	in.Seed, in.Repeats, in.Changes = run.Seed, run.Repeats, run.Changes
	for _, c := range run.Changes {
		if !slices.ContainsFunc(in.Documents, func(r wire.Ref) bool { return r.Kind == c.Kind && r.Name == c.Name }) {
			return store.Work{}, nil, fmt.Errorf("%w: the scenario %s does not use %s %s", shelf.ErrChanges, scenario, c.Kind, c.Name)
		}
	}
	w, faults, err := q.Library.World(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	if _, err := q.room.fits(needOf(w)); err != nil {
		return store.Work{}, nil, err
	}
	o, err := q.enter(ctx, &Simulation, store.Work{Subject: scenario, By: by, Varied: len(in.Changes) > 0}, in)
	return o, nil, err
}

func needOf(w *world.World) func(workers int) units.Bytes {
	return func(workers int) units.Bytes { return outcome.Need(w, workers) }
}

func simulate(ctx context.Context, q *Queue, j *Job) (End, error) {
	w, err := q.world(ctx, j.Work)
	if err != nil {
		return End{}, err
	}
	workers, free, err := q.room.take(needOf(w), ctx.Done())
	if err != nil {
		return End{}, err
	}
	defer free()
	result, trace, err := outcome.Simulate(w, workers, j.Progress)
	if err != nil {
		return End{}, err
	}
	raw, err := json.Marshal(result)
	if err != nil {
		return End{}, err
	}
	return End{
		Gist: summarize(result), Result: raw,
		Beside: func(ctx context.Context) error { return q.keepJobs(ctx, j.ID, trace) },
		Then:   func() { q.lived.Put(key(j.ID), trace) },
	}, nil
}

// world puts the inputs of a simulation, a weighing or a doubt together again.
func (q *Queue) world(ctx context.Context, o store.Work) (*world.World, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(o.Question), &in); err != nil {
		return nil, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	return w, err
}

func summarize(o *outcome.Outcome) wire.Gist {
	all := o.Groups[0]
	s := wire.Gist{
		Headline: o.Headline, MeanDelayNs: all.Delay.Mean.Mean, CostPerMonth: o.Cost.PerMonth.Mean,
		Currency: o.Cost.Currency, Jobs: all.Jobs.Mean, Wrong: all.Wrong.Mean, Started: all.Started.Mean,
		Aims: outcome.Worst(o.Aims), Judged: o.Judged,
	}
	if all.Delay.P95 != nil {
		s.P95DelayNs = &all.Delay.P95.Mean
	}
	for _, f := range all.Ribbon {
		s.RibbonNs = append(s.RibbonNs, int64(f.Mean))
	}
	for _, u := range o.Unmatched {
		s.Unmatched += u.Jobs
	}
	return s
}

// resultBytes bounds the results that stay in memory, as JSON.
const resultBytes = 64 << 20

// jobsKept bounds how many jobs the traces may have together that stay in memory for
// explanations; each counts for a tenth of that at least.
const jobsKept = 2_500_000

// result is one as it is kept.
type result struct {
	o     *outcome.Outcome
	bytes int // as JSON
}

// Outcome returns a finished simulation's result. What it holds is shared: only its own
// fields may be set.
func (q *Queue) Outcome(ctx context.Context, id uint64) (*outcome.Outcome, error) {
	r, err := q.results.Get(ctx, key(id), func(ctx context.Context) (result, error) {
		raw, err := q.Result(ctx, id)
		if err != nil {
			return result{}, err
		}
		o := new(outcome.Outcome)
		if err := json.Unmarshal(raw, o); err != nil {
			return result{}, err
		}
		o.Fill()
		return result{o, len(raw)}, nil
	})
	if err != nil {
		return nil, err
	}
	own := *r.o
	return &own, nil
}

// Trace returns the trace of a simulation's first repeat: from memory, or by
// running that repeat again, which gives the same.
func (q *Queue) Trace(ctx context.Context, o store.Work) (*sim.Trace, error) {
	return q.lived.Get(ctx, key(o.ID), func(ctx context.Context) (*sim.Trace, error) {
		w, err := q.world(ctx, o)
		if err != nil {
			return nil, err
		}
		return sim.Run(w, w.Plan.Seed, 0, nil)
	})
}

func key(id uint64) string { return strconv.FormatUint(id, 10) }
