package api

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/forecast"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/weigh"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) whyOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "why", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/why", Summary: "Why a number of an outcome is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in. Of metric/KEY, with the keys of " +
			"compare, also how it differs from another outcome's.", Tags: []string{"outcomes"},
	}, s.why)
	huma.Register(api, huma.Operation{
		OperationID: "why-explored", Method: http.MethodGet, Path: "/api/v1/explorations/{id}/why", Summary: "Why a number of an exploration is what it is",
		Description: "What it is, how it is made, how sure it is, whether its draws took part in choosing, and which documents and facts went in.",
		Tags:        []string{"explorations"},
	}, s.whyExplored)
	huma.Register(api, huma.Operation{
		OperationID: "why-backtested", Method: http.MethodGet, Path: "/api/v1/backtests/{id}/why", Summary: "Why a number of a backtest is what it is",
		Description: "What it is, how it is made, what chance explains, and which documents and facts went in.",
		Tags:        []string{"backtests"},
	}, s.whyBacktested)
	huma.Register(api, huma.Operation{
		OperationID: "why-weighed", Method: http.MethodGet, Path: "/api/v1/weighings/{id}/why", Summary: "Why a number of a weighing is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in.",
		Tags:        []string{"weighings"},
	}, s.whyWeighed)
	huma.Register(api, huma.Operation{
		OperationID: "why-forecast", Method: http.MethodGet, Path: "/api/v1/forecasts/{id}/why", Summary: "Why a number of a forecast is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in.",
		Tags:        []string{"forecasts"},
	}, s.whyForecast)
}

func (s *server) whyExplored(ctx context.Context, in *struct {
	WorkPath
	Of string `query:"of" required:"true" maxLength:"400" doc:"The number: variant/N/FIGURE, recommended/FIGURE or today/FIGURE, with the figures delay, lead, bill, worth, and aim/N from 1."`
},
) (*whyAnswer, error) {
	changed := !strings.HasPrefix(in.Of, "today/") && !strings.HasPrefix(in.Of, "variant/0/")
	return whyOfWork(ctx, s, explorations, in.ID, in.Of, "variant/N/FIGURE, recommended/FIGURE and today/FIGURE", changed, s.Queue.Explored)
}

func (s *server) whyBacktested(ctx context.Context, in *struct {
	WorkPath
	Of string `query:"of" required:"true" maxLength:"400" doc:"The number: group/BY/NAME/WHAT/P/FIGURE with WHAT delay or lead, phase/PHASE/FIGURE, agents/FIGURE, nodes/FIGURE and paid/FIGURE, with the figures predicted, observed and ratio; score/WHOSE with simulation, again, hour, all and own; fact/FACT/FIGURE with share, would, p95 and bill."`
},
) (*whyAnswer, error) {
	return whyOfWork(ctx, s, backtestings, in.ID, in.Of, "group/BY/NAME/WHAT/P/FIGURE, phase/PHASE/FIGURE, score/WHOSE and fact/FACT/FIGURE", false, kept[backtest.Backtest](s))
}

func (s *server) whyWeighed(ctx context.Context, in *struct {
	WorkPath
	Of string `query:"of" required:"true" maxLength:"400" doc:"The number: plan/KEY/CLASS/FIGURE with lead, less, p50, p90, p95, start, pull, restore, work, cold, save, wipe, fresh, stale, missed, saves, down, up and pays (the class of all is all classes); bill/KEY/FIGURE with month, more, worth and kept; money/KEY/WHAT; peak/KEY/FIGURE with alone, truth and more."`
},
) (*whyAnswer, error) {
	return whyOfWork(ctx, s, weighings, in.ID, in.Of, "plan/KEY/CLASS/FIGURE, bill/KEY/FIGURE, money/KEY/WHAT and peak/KEY/FIGURE", true, kept[weigh.Weighing](s))
}

func (s *server) whyForecast(ctx context.Context, in *struct {
	WorkPath
	Of string `query:"of" required:"true" maxLength:"400" doc:"The number: jobs, bill, level, delay/P, day/N/jobs, day/N/delay from 1, hour/N/FIGURE from 0, queue/N/FIGURE from 1, came/N/expected, came/N/observed, or score/WHOSE with simulation, again and hour."`
},
) (*whyAnswer, error) {
	return whyOfWork(ctx, s, forecastings, in.ID, in.Of, "jobs, bill, level, delay/P, day/N/FIGURE, hour/N/FIGURE, queue/N/FIGURE and came/N/FIGURE", false, kept[forecast.Forecast](s))
}

// kept reads the result of a piece of work.
func kept[T any](s *server) func(context.Context, uint64) (*T, error) {
	return func(ctx context.Context, id uint64) (*T, error) { return work.ResultOf[T](ctx, s.Queue, id) }
}

type whyAnswer struct{ Body wire.WhyNumber }

// whyOfWork answers for a number of a piece of work that is over; names says what numbers it has.
func whyOfWork[T interface {
	WhyOf(of string) (outcome.Why, bool)
}](ctx context.Context, s *server, kind told, id uint64, of, names string, changed bool, result func(context.Context, uint64) (T, error),
) (*whyAnswer, error) {
	what := kind.what(id)
	o, err := kind.get(ctx, s, id)
	if err != nil {
		return nil, err
	}
	if o.State != wire.Done {
		return nil, huma.Error409Conflict(what + " is " + string(o.State) + ": it has no numbers yet")
	}
	answer, err := result(ctx, id)
	if err != nil {
		return nil, s.answer(err, what)
	}
	why, ok := answer.WhyOf(of)
	if !ok {
		return nil, huma.Error404NotFound(what + " has no number " + of + "; its numbers are " + names)
	}
	out := wire.WhyNumber{Why: why, Engine: outcome.Engine, Changed: changed}
	if err := s.wentIn(ctx, &out, inputsOf(o), what); err != nil {
		return nil, err
	}
	return &whyAnswer{out}, nil
}

func (s *server) why(ctx context.Context, in *struct {
	WorkPath
	Of      string `query:"of" required:"true" maxLength:"400" doc:"The number, as in group/class/lint/p95, cause/boot, bill/pool/burst or metric/delay-p95."`
	Against uint64 `query:"against" doc:"With metric/KEY: another outcome, from which the difference is taken."`
},
) (*whyAnswer, error) {
	a, err := s.whyOf(ctx, in.ID, in.Of, in.Against)
	if err != nil {
		return nil, err
	}
	inputs := inputsOf(a.work)
	out := wire.WhyNumber{Why: a.why, Seed: a.outcome.Seed, Engine: a.outcome.Engine, Changed: len(inputs.Changes) > 0, Other: a.other}
	if err := s.wentIn(ctx, &out, inputs, outcomes.what(in.ID)); err != nil {
		return nil, err
	}
	return &whyAnswer{out}, nil
}

// wentIn tells which documents and facts went into a number; what names the work that it is of.
func (s *server) wentIn(ctx context.Context, out *wire.WhyNumber, inputs wire.Inputs, what string) error {
	refs := refsOf(inputs)
	out.Recording, out.Documents = cmp.Or(logOf(inputs), inputs.Recording), []wire.WhyDocument{}
	stored, err := s.Store.Revisions(ctx, refs)
	if err != nil {
		return s.answer(err, what)
	}
	names := make([]shelf.Name, len(refs))
	for i, r := range refs {
		names[i] = shelf.Name{Kind: r.Kind, Name: r.Name}
	}
	newest, err := s.Store.Newest(ctx, names)
	if err != nil {
		return s.answer(err, what)
	}
	for _, r := range refs {
		d := wire.WhyDocument{Ref: r}
		for _, h := range stored {
			if h.Kind == r.Kind && h.Name == r.Name && h.Number == r.Revision {
				d.Stored = h.At.UTC()
			}
		}
		for _, h := range newest {
			if h.Kind == r.Kind && h.Name == r.Name {
				d.Newest = h.Number
			}
		}
		out.Documents = append(out.Documents, d)
	}
	docs, err := s.Queue.Library.Pinned(ctx, inputs)
	if errors.As(err, new(document.Faults)) { // of an earlier version of the program
		return nil
	}
	if err != nil {
		return s.answer(err, what)
	}
	for _, d := range docs {
		switch v := d.Value.(type) {
		case *document.Scenario:
			if out.Seed == 0 {
				out.Seed = v.Spec.Run.Seed
			}
		case *document.Cluster:
			for _, f := range doubt.Facts(&v.Spec, nil, time.Now()) {
				out.Facts++
				if f.Known == doubt.Measured {
					out.Measured++
				}
			}
		}
	}
	return nil
}

// refsOf are the documents that went into a piece of work, those of other workloads and of designs that were in force before last.
func refsOf(in wire.Inputs) []wire.Ref {
	out := slices.Clone(in.Documents)
	add := func(r wire.Ref) {
		if !slices.Contains(out, r) {
			out = append(out, r)
		}
	}
	if in.Explore != nil {
		for _, d := range in.Explore.Across {
			add(d.Ref)
		}
	}
	if in.Backtest != nil {
		for _, d := range in.Backtest.Designs {
			for _, r := range d.Documents {
				add(r)
			}
		}
	}
	return out
}

// logOf is the digest of the job log that a piece of work goes by, "" for that of its workload.
func logOf(in wire.Inputs) string {
	switch {
	case in.Backtest != nil:
		return in.Backtest.Log
	case in.Forecast != nil:
		return in.Forecast.Log
	}
	return ""
}

// askedWhy is a number that was asked why, with what it is of.
type askedWhy struct {
	work    store.Work
	outcome *outcome.Outcome
	why     outcome.Why
	other   []wire.Ref // documents that went into the other outcome alone
}

// whyOf answers for a number of an outcome by itself, or for a figure that is compared; against another outcome, if not 0.
func (s *server) whyOf(ctx context.Context, id uint64, of string, against uint64) (a askedWhy, err error) {
	ok := false
	key, compared := strings.CutPrefix(of, "metric/")
	switch {
	case compared:
		ids := []uint64{id}
		if against != 0 {
			ids = []uint64{against, id}
		}
		results, works, c, err := s.compared(ctx, ids)
		if err != nil {
			return a, err
		}
		last := len(ids) - 1
		a.work, a.outcome = works[last], results[last]
		own := inputsOf(a.work).Documents
		a.other = slices.DeleteFunc(inputsOf(works[0]).Documents, func(r wire.Ref) bool { return slices.Contains(own, r) })
		a.why, ok = c.WhyOf(results, key, last)
	case against != 0:
		return a, huma.Error422UnprocessableEntity("against: only a number metric/KEY is compared; leave it out, or ask for one of those")
	default:
		if a.work, a.outcome, err = s.done(ctx, id); err != nil {
			return a, err
		}
		a.why, ok = a.outcome.WhyOf(of)
	}
	if !ok {
		return a, huma.Error404NotFound(outcomes.what(id) + " has no number " + of + "; its numbers are group/BY/NAME/FIGURE, cause/CAUSE, bill/... and metric/KEY")
	}
	return a, nil
}
