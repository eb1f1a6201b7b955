package work

import (
	"context"
	"encoding/json"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/pulls"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Pulling tells what images cost a scenario; its question is wire.Inputs, its result pulls.Costs.
var Pulling = Kind{Name: wire.WorkPulls, Called: "pulls", Run: pulled}

// ErrLighter says that an image that is to be lighter is not there.
var ErrLighter = fmt.Errorf("another size cannot be tried")

// Pulls enters the telling of what images cost a scenario into the queue, or an outcome where that is not 0.
func (q *Queue) Pulls(ctx context.Context, scenario string, outcome uint64, lighter []pulls.Lighter, by string) (store.Work, document.Faults,
	error,
) {
	in, w, faults, err := q.of(ctx, &scenario, outcome)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	in.Lighter = lighter
	question, err := pulls.Ask(w, lighter)
	if err != nil {
		return store.Work{}, nil, fmt.Errorf("%w: %w", ErrLighter, err)
	}
	if _, err := q.room.fits(question.Need); err != nil {
		return store.Work{}, nil, err
	}
	o, err := q.enter(ctx, &Pulling, store.Work{Subject: scenario, By: by, Varied: len(in.Changes) > 0}, in)
	return o, nil, err
}

func pulled(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return End{}, err
	}
	library.Planned(in, w)
	question, err := pulls.Ask(w, in.Lighter)
	if err != nil {
		return End{}, err
	}
	return roomed(ctx, q, j, question, noGist)
}
