package work

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Backtesting holds a scenario's simulation beside what happened; its question is wire.Inputs
// with Backtest, its result a backtest.Backtest.
var Backtesting = Kind{Name: wire.WorkBacktest, Called: "backtest", Run: backtests}

// mostRevisions is how many revisions of a scenario are looked at for what was in force.
const mostRevisions = 50

// Backtest enters a backtest into the queue. What is live is kept as a log first, so that the
// question does not change while it waits.
func (q *Queue) Backtest(ctx context.Context, ask wire.AskBacktest, by string) (store.Work, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, ask.Scenario)
	if err != nil || len(faults) > 0 {
		return store.Work{}, faults, err
	}
	b := wire.Backtested{Log: ask.Log, ScoreFrom: ask.ScoreFrom, Live: ask.Live, Quick: ask.Quick, Seen: ask.Seen, Paid: ask.Paid}
	if b.Log, err = q.logOf(ctx, in, ask.Log, ask.Live); err != nil {
		return store.Work{}, nil, err
	}
	if ask.Live {
		if b.Log, err = q.Library.KeepLive(ctx, library.Stretch{From: ask.From, Until: ask.Until, Project: ask.Project}, time.Now()); err != nil {
			return store.Work{}, nil, err
		}
	}
	b.Designs = []wire.DesignInForce{{Revision: in.Documents[0].Revision, Documents: in.Documents}}
	if ask.AsStored && ask.Paid > 0 {
		return store.Work{}, nil, fmt.Errorf("%w: what was paid is held beside one design, not beside revisions one after the other", ErrAsk)
	}
	if ask.AsStored {
		if b.Designs, err = q.inForce(ctx, ask.Scenario); err != nil {
			return store.Work{}, nil, err
		}
	}
	in.Backtest = &b
	o, err := q.enter(ctx, &Backtesting, store.Work{Subject: ask.Scenario, By: by}, in)
	return o, nil, err
}

// inForce are the revisions of a scenario, each from when it was stored; the first was in force
// before that too. Those that cannot be put together any more are left out.
func (q *Queue) inForce(ctx context.Context, scenario string) (out []wire.DesignInForce, err error) {
	heads, err := q.store.History(ctx, document.KindScenario, scenario, 0, mostRevisions)
	if err != nil {
		return nil, err
	}
	slices.Reverse(heads)
	pinned, err := q.Library.PinAll(ctx, heads)
	if err != nil {
		return nil, err
	}
	for i, p := range pinned {
		if p.Scenario == nil || len(p.Faults) > 0 {
			continue
		}
		d := wire.DesignInForce{From: heads[i].At, Revision: heads[i].Number, Documents: p.Inputs.Documents}
		if len(out) == 0 {
			d.From = time.Time{}
		}
		out = append(out, d)
	}
	return out, nil
}

func backtests(ctx context.Context, q *Queue, j *Job) (End, error) {
	var in wire.Inputs
	if err := json.Unmarshal([]byte(j.Question), &in); err != nil {
		return End{}, err
	}
	var log bytes.Buffer
	if err := q.Library.CopyRecording(ctx, in.Backtest.Log, &log); err != nil {
		return End{}, err
	}
	question, err := q.asked(ctx, in, log.Bytes(), backtest.Options{
		From: in.Backtest.ScoreFrom, Now: time.Now(), Facts: !in.Backtest.Quick, Seen: in.Backtest.Seen, Paid: in.Backtest.Paid,
	})
	if err != nil {
		return End{}, err
	}
	return roomed(ctx, q, j, question, func(b *backtest.Backtest) any { return backtestBrief(b, in.Backtest.Live) })
}

// asked puts a question together, of the jobs of a log.
func (q *Queue) asked(ctx context.Context, in wire.Inputs, log []byte, o backtest.Options) (*backtest.Question, error) {
	var designs []backtest.Design
	var learned *learn.LearnedJobs
	for _, d := range in.Backtest.Designs {
		as := in
		as.Documents, as.Recording = d.Documents, ""
		input, faults, err := q.Library.Input(ctx, as, false)
		if err == nil {
			err = faults.Err()
		}
		if err != nil {
			return nil, err
		}
		if learned == nil {
			if learned, err = understood(input.Workload, log); err != nil {
				return nil, err
			}
		}
		if input, err = learned.In(input); err != nil {
			return nil, err
		}
		designs = append(designs, backtest.Design{From: d.From, Revision: d.Revision, In: input})
	}
	return backtest.Ask(designs, designs[0].In.Recording.Observed(), o)
}

func backtestBrief(b *backtest.Backtest, live bool) wire.BacktestBrief {
	out := wire.BacktestBrief{Agrees: b.Verdict.Agrees, Says: b.Verdict.Says, Jobs: b.Jobs, Live: live}
	if best := min(b.Scores.Again, b.Scores.ByHour); b.Scores.Compare > 0 && best > 0 {
		out.Skill = 1 - b.Scores.OfThese/best
	}
	if b.Fact != nil {
		out.Fact, out.Would = b.Fact.Fact, b.Fact.Would
	}
	return out
}
