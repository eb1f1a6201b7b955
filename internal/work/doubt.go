package work

import (
	"context"
	"encoding/json"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Doubting tries the facts of a scenario's cluster at the ends of what they may be; its
// question is wire.Inputs, its result doubt.Doubts.
var Doubting = Kind{Name: wire.WorkDoubt, Called: "doubt", Run: doubts}

// Doubt enters the trying of a scenario's facts into the queue, or of those of an outcome,
// with its revisions and changes, where outcome is not 0.
func (q *Queue) Doubt(ctx context.Context, scenario string, outcome uint64, by string) (store.Work, document.Faults, error) {
	in, w, faults, err := q.of(ctx, &scenario, outcome)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	if _, err := q.room.fits(needOf(w)); err != nil {
		return store.Work{}, nil, err
	}
	o, err := q.enter(ctx, &Doubting, store.Work{Subject: scenario, By: by, Varied: len(in.Changes) > 0}, in)
	return o, nil, err
}

// of pins what a scenario needs, or takes what an outcome was computed from where that is not 0, and puts
// the world together.
func (q *Queue) of(ctx context.Context, scenario *string, outcome uint64) (in wire.Inputs, w *world.World, faults document.Faults, err error) {
	if outcome > 0 {
		o, err := q.store.GetWork(ctx, Names(&Simulation), outcome)
		if err != nil {
			return in, nil, nil, err
		}
		if err := json.Unmarshal([]byte(o.Question), &in); err != nil {
			return in, nil, nil, err
		}
		*scenario, in.Outcome = o.Subject, outcome
	} else if in, faults, err = q.Library.Pin(ctx, *scenario); err != nil || len(faults) > 0 {
		return in, nil, faults, err
	}
	w, faults, err = q.Library.World(ctx, in)
	return in, w, faults, err
}

func doubts(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	input, faults, err := q.Library.Input(ctx, in, true)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return End{}, err
	}
	question, err := doubt.Ask(input, time.Now(), func(w *world.World) { library.Planned(in, w) })
	if err != nil {
		return End{}, err
	}
	return roomed(ctx, q, j, question, noGist)
}

// noGist is of answers of which lists show nothing.
func noGist[T any](T) any { return struct{}{} }

// roomed answers a question once there is room for it; gist is what lists show of the answer.
func roomed[T any](ctx context.Context, q *Queue, j *Job, question interface {
	Need(workers int) units.Bytes
	Try(workers int, progress paired.Progress) (T, error)
}, gist func(T) any,
) (End, error) {
	workers, free, err := q.room.take(question.Need, ctx.Done())
	if err != nil {
		return End{}, err
	}
	defer free()
	result, err := question.Try(workers, j.Progress)
	if err != nil {
		return End{}, err
	}
	raw, err := json.Marshal(result)
	return End{Gist: gist(result), Result: raw}, err
}
