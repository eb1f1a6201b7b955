package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/world"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Exploring runs variants of a scenario; its question is wire.Inputs, its result an
// explore.Answer, and its checkpoint tells how it stands. Each run's summary is kept as soon as
// it is over, so that work that was broken off goes on, and nothing is computed twice.
var Exploring = Kind{Name: wire.WorkExploration, Called: "exploration", Run: exploring}

// ErrExplore says that a question of variants cannot be asked.
var ErrExplore = errors.New("this cannot be explored")

// Explore enters the exploring of a scenario into the queue. What is wrong with the question is
// an error that wraps ErrExplore.
func (q *Queue) Explore(ctx context.Context, by string, ask wire.Explore) (store.Work, document.Faults, error) {
	e := wire.Explored{Own: ask.Sweep == "", Sweep: ask.Sweep, By: explore.By()}
	if e.Own {
		e.Sweep, e.Spec = explore.Improving(ask.Scenario)
	} else {
		head, err := q.store.Get(ctx, document.KindSweep, ask.Sweep, 0)
		if err != nil {
			return store.Work{}, nil, err
		}
		docs, err := q.Library.Read(ctx, []store.Head{head})
		if err != nil {
			return store.Work{}, nil, err
		}
		if docs[0] == nil {
			return store.Work{}, nil, fmt.Errorf("%w: the stored Sweep %s can no longer be read; put it again", ErrExplore, ask.Sweep)
		}
		e.Spec = docs[0].Value.(*document.Sweep).Spec
	}
	if e.On = ask.On; e.On != nil {
		if err := q.reach(ctx, e.On); err != nil {
			return store.Work{}, nil, err
		}
	}
	e.Spec = e.Spec.With(ask.Aims, ask.Across, document.Least(ask.Least), ask.Runs)
	in, faults, err := q.Library.Pin(ctx, e.Spec.Scenario)
	if errors.Is(err, store.ErrNotFound) && !e.Own {
		err = fmt.Errorf("%w: there is no scenario %s, which the Sweep %s varies", ErrExplore, e.Spec.Scenario, ask.Sweep)
	}
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	for _, name := range e.Spec.Across {
		d, err := q.Library.PinDemand(ctx, name)
		if errors.Is(err, store.ErrNotFound) {
			err = fmt.Errorf("%w: there is no workload %s, which %s is to hold on", ErrExplore, name, e.Sweep)
		}
		if err != nil {
			return store.Work{}, nil, err
		}
		e.Across = append(e.Across, d)
	}
	in.Explore = &e
	if e.Own {
		if e.Spec.Knobs, err = q.Library.Sized(ctx, in); err != nil {
			return store.Work{}, nil, err
		}
	}
	question, faults, err := q.question(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	if _, err := q.room.fits(question.Need); err != nil {
		return store.Work{}, nil, err
	}
	e.Spec.Aims = question.Spec.Aims // the scenario's, where nothing else is asked
	o, err := q.enter(ctx, &Exploring, store.Work{Subject: e.Spec.Scenario, By: by}, in)
	return o, nil, err
}

// question puts together what an exploration was asked; of a scenario's own knobs, without them.
func (q *Queue) question(ctx context.Context, in wire.Inputs) (*explore.Question, document.Faults, error) {
	own, faults, err := q.Library.Input(ctx, in, len(in.Explore.Across) == 0)
	if err != nil || len(faults) > 0 {
		return nil, faults, err
	}
	inputs := []world.Input{own}
	if len(in.Explore.Across) > 0 {
		inputs, own.Jobless = nil, false // each gets jobs of its own
		for _, d := range in.Explore.Across {
			workload, jobs, err := q.Library.Demand(ctx, d)
			if err != nil {
				return nil, nil, err
			}
			with, err := explore.With(own, workload, jobs)
			if err != nil {
				return nil, nil, fmt.Errorf("%w: %w", ErrExplore, err)
			}
			inputs = append(inputs, with)
		}
	}
	question, err := explore.Ask(in.Explore.Sweep, in.Explore.Spec, inputs...)
	if err != nil {
		err = fmt.Errorf("%w: %w", ErrExplore, err)
	}
	return question, nil, err
}

func exploring(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	if end, ok := q.answered(ctx, j, in.Explore); ok {
		return end, nil
	}
	question, faults, err := q.question(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return End{}, err
	}
	workers, free, err := q.room.take(question.Need, ctx.Done())
	if err != nil {
		return End{}, err
	}
	defer free()
	if in.Explore.Own {
		if question, err = explore.AskOwn(in.Explore.Sweep, in.Explore.Spec, question.Inputs()...); err != nil {
			return End{}, err
		}
	}
	told := &said{j: j}
	var far explore.Elsewhere
	if in.Explore.On != nil {
		if far, err = q.elsewhere(ctx, j, in, question, workers, told); err != nil {
			return End{}, err
		}
	}
	var a *explore.Answer
	err = q.remembering(ctx, func(memory explore.Memory) (err error) {
		a, err = question.Answer(explore.Way{
			Workers: workers, Progress: j.Progress, Memory: memory, Standing: told.standing, Elsewhere: far,
		})
		return err
	})
	if err != nil {
		return End{}, err
	}
	gist := wire.ExploreGist{Sentence: a.Sentence, Today: a.Today}
	if far != nil {
		gist.Pods = told.whatPods(a.Runs, q.farLeast())
	}
	raw, err := json.Marshal(a)
	return End{Gist: gist, Result: raw}, err
}

// answered is the end of work that was asked the same before, found in the way of today.
func (q *Queue) answered(ctx context.Context, j *Job, asked *wire.Explored) (End, bool) {
	if asked.By != explore.By() {
		return End{}, false
	}
	before, err := q.store.FindDone(ctx, j.Kind, j.Subject, j.Question)
	if err != nil {
		return End{}, false // it is answered anew
	}
	raw, err := q.Result(ctx, before.ID)
	return End{Gist: json.RawMessage(before.Gist), Result: raw}, err == nil
}

// Explored is the answer of a finished exploration.
func (q *Queue) Explored(ctx context.Context, id uint64) (*explore.Answer, error) {
	return ResultOf[explore.Answer](ctx, q, id)
}

// Variant returns what an exploration's variant is made of: the inputs of its scenario with the
// changes that make it.
func (q *Queue) Variant(ctx context.Context, o store.Work, n int) (a *explore.Answer, in wire.Inputs, err error) {
	if err := json.Unmarshal([]byte(o.Question), &in); err != nil {
		return nil, in, err
	}
	in.Explore = nil
	if a, err = q.Explored(ctx, o.ID); err != nil {
		return nil, in, err
	}
	in.Changes, err = a.Changes(n)
	if err != nil {
		err = fmt.Errorf("%w: %w", ErrExplore, err)
	}
	return a, in, err
}

// SimulateVariant enters the simulation of an exploration's variant into the queue, of the
// revisions that were explored.
func (q *Queue) SimulateVariant(ctx context.Context, o store.Work, n int, by string) (store.Work, document.Faults, error) {
	_, in, err := q.Variant(ctx, o, n)
	if err != nil {
		return store.Work{}, nil, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	if _, err := q.room.fits(needOf(w)); err != nil {
		return store.Work{}, nil, err
	}
	out, err := q.enter(ctx, &Simulation, store.Work{Subject: o.Subject, By: by, Varied: len(in.Changes) > 0}, in)
	return out, nil, err
}
