package work

import (
	"context"
	"encoding/json"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Margining finds how far a scenario bears what may grow; its question is wire.Inputs, its result
// explore.Margins. Runs are kept as those of an exploration are.
var Margining = Kind{Name: wire.WorkMargin, Called: "margin", Run: margining}

// Margin enters how far a scenario bears what may grow into the queue. What is wrong with the
// question is an error that wraps ErrExplore. Without aims it is asked of those of the scenario.
func (q *Queue) Margin(ctx context.Context, scenario string, aims []string, by string) (store.Work, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	in.Keep = aims
	question, faults, err := q.margins(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	if _, err := q.room.fits(question.NeedOfMargins); err != nil {
		return store.Work{}, nil, err
	}
	in.Keep = question.Spec.Aims
	o, err := q.enter(ctx, &Margining, store.Work{Subject: scenario, By: by}, in)
	return o, nil, err
}

func (q *Queue) margins(ctx context.Context, in wire.Inputs) (*explore.Question, document.Faults, error) {
	input, faults, err := q.Library.Input(ctx, in, true)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	question, err := explore.AskMargin(input, in.Keep)
	if err != nil {
		err = fmt.Errorf("%w: %w", ErrExplore, err)
	}
	return question, nil, err
}

func margining(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	question, faults, err := q.margins(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return End{}, err
	}
	workers, free, err := q.room.take(question.NeedOfMargins, ctx.Done())
	if err != nil {
		return End{}, err
	}
	defer free()
	var m *explore.Margins
	err = q.remembering(ctx, func(memory explore.Memory) (err error) {
		m, err = question.Margins(explore.Way{Workers: workers, Progress: j.Progress, Memory: memory})
		return err
	})
	if err != nil {
		return End{}, err
	}
	raw, err := json.Marshal(m)
	return End{Gist: wire.MarginGist{Sentence: m.Sentence}, Result: raw}, err
}
