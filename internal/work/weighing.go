package work

import (
	"context"
	"encoding/json"

	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Weighing weighs a scenario's cache plans; its question is wire.Inputs, its result a
// weighing.
var Weighing = Kind{Name: wire.WorkWeighing, Called: "weighing", Run: weighPlans}

// Weigh enters a weighing of a scenario's cache plans into the queue. What is
// wrong with the question is an error that wraps weigh.ErrAsk.
func (q *Queue) Weigh(ctx context.Context, scenario, by string, ask weigh.Ask) (store.Work, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	question, err := ask.Question(w)
	if err != nil {
		return store.Work{}, nil, err
	}
	if _, err := q.room.fits(question.Need); err != nil {
		return store.Work{}, nil, err
	}
	in.Weigh = &ask
	o, err := q.enter(ctx, &Weighing, store.Work{Subject: scenario, By: by}, in)
	return o, nil, err
}

func weighPlans(ctx context.Context, q *Queue, j *Job) (End, error) {
	w, err := q.world(ctx, j.Work)
	if err != nil {
		return End{}, err
	}
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	question, err := in.Weigh.Question(w)
	if err != nil {
		return End{}, err
	}
	workers, free, err := q.room.take(question.Need, ctx.Done())
	if err != nil {
		return End{}, err
	}
	defer free()
	result, err := weigh.Weigh(question, workers, j.Progress)
	if err != nil {
		return End{}, err
	}
	raw, err := json.Marshal(result)
	return End{Gist: wire.WeighGist{Headline: result.Words[0], Best: result.Best}, Result: raw}, err
}
