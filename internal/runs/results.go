package runs

import (
	"context"
	"encoding/json"
	"strconv"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/internal/store"
)

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

// Outcome returns a finished outcome's result. What it holds is shared: only its own fields
// may be set.
func (q *Queue) Outcome(ctx context.Context, id uint64) (*outcome.Outcome, error) {
	r, err := q.results.get(ctx, traceKey(id), func(ctx context.Context) (result, error) {
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

// Result returns a finished outcome as JSON.
func (q *Queue) Result(ctx context.Context, id uint64) ([]byte, error) {
	data, err := q.store.GetResult(ctx, id)
	if err != nil {
		return nil, err
	}
	return unpack(data)
}

// Trace returns the trace of an outcome's first repeat: from memory, or by
// running that repeat again, which gives the same.
func (q *Queue) Trace(ctx context.Context, o store.Outcome) (*sim.Trace, error) {
	return q.traces.get(ctx, traceKey(o.ID), func(ctx context.Context) (*sim.Trace, error) {
		w, err := q.world(ctx, o)
		if err != nil {
			return nil, err
		}
		return sim.Run(w, w.Plan.Seed, 0, nil)
	})
}

func traceKey(id uint64) string { return strconv.FormatUint(id, 10) }
