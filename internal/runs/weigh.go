package runs

import (
	"context"
	"encoding/json"

	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/weigh"
	"tachyphor/core/world"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// AskWeighing enters a weighing of a scenario's cache plans into the queue. What is
// wrong with the question is an error that wraps weigh.ErrAsk.
func (q *Queue) AskWeighing(ctx context.Context, scenario, by string, ask weigh.Ask) (store.Outcome, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Outcome{}, faults, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Outcome{}, faults, err
	}
	question, err := ask.Question(w)
	if err != nil {
		return store.Outcome{}, nil, err
	}
	if _, err := q.room(question.Need); err != nil {
		return store.Outcome{}, nil, err
	}
	in.Weigh = &ask
	o, err := q.store.Ask(ctx, scenario, by, in)
	if err == nil {
		q.wake()
	}
	return o, nil, err
}

// weigh weighs a world's cache plans.
func (q *Queue) weigh(o store.Outcome, w *world.World, progress paired.Progress) (store.Outcome, []byte, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(o.Inputs), &in); err != nil {
		return store.Outcome{}, nil, err
	}
	question, err := in.Weigh.Question(w)
	if err != nil {
		return store.Outcome{}, nil, err
	}
	workers, err := q.room(question.Need)
	if err != nil {
		return store.Outcome{}, nil, err
	}
	result, err := weigh.Weigh(question, workers, progress)
	if err != nil {
		return store.Outcome{}, nil, err
	}
	raw, err := json.Marshal(result)
	if err != nil {
		return store.Outcome{}, nil, err
	}
	gist, err := json.Marshal(wire.WeighGist{Headline: result.Words[0], Best: result.Best})
	return store.Outcome{State: wire.Done, Summary: string(gist), Digest: Digest(raw)}, pack(raw), err
}
