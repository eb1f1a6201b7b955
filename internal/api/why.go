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
	"tachyphor/core/explore"
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
	whyOfWork(s, api, "why-explored", "an exploration", explorations, "variant/N/FIGURE of a variant by its place, from 0, recommended/FIGURE and today/FIGURE on the draws that "+
		"took no part in choosing, with the figures delay, lead, bill, worth, and aim/N from 1",
		func(_ *explore.Answer, of string) bool {
			return !strings.HasPrefix(of, "today/") && !strings.HasPrefix(of, "variant/0/")
		})
	whyOfWork(s, api, "why-backtested", "a backtest", backtestings, "group/BY/NAME/WHAT/P/FIGURE with WHAT delay or lead (all jobs are group/all/all jobs), phase/PHASE/FIGURE, "+
		"agents/FIGURE, nodes/FIGURE and paid/FIGURE, with the figures predicted, observed and, of groups, ratio; score/WHOSE with simulation, again, hour, all and own; "+
		"fact/FACT/FIGURE with share, would, p95 and bill",
		func(*backtest.Backtest, string) bool { return false })
	whyOfWork(s, api, "why-weighed", "a weighing", weighings, "plan/KEY/CLASS/FIGURE with lead, less, p50, p90, p95, start, pull, restore, work, cold, save, wipe, fresh, stale, "+
		"missed, saves, down, up and pays (those of all are of the class all classes), bill/KEY/FIGURE with month, more, worth and kept, money/KEY/WHAT, and peak/KEY/FIGURE with "+
		"alone, truth and more",
		func(o *weigh.Weighing, of string) bool {
			return !strings.Contains(of, "/"+o.Today+"/") // the plan that the documents have
		})
	whyOfWork(s, api, "why-forecast", "a forecast", forecastings, "jobs, bill, level, delay/P, day/N/FIGURE with jobs and delay, from 1, hour/N/FIGURE with jobs, delay, waiting, agents "+
		"and nodes, from 0, queue/N/FIGURE with jobs, delay and share, from 1, came/N/FIGURE with expected and observed, from 1, and score/WHOSE with simulation, again and hour",
		func(*forecast.Forecast, string) bool { return false })
}

type whyAnswer struct{ Body wire.WhyNumber }

// whyOfWork registers an operation by which numbers of a kind of work are asked why they are what they are. names says what
// numbers it has, changed whether changes were made in the documents before they went into one.
func whyOfWork[T any, R interface {
	*T
	WhyOf(of string) (outcome.Why, bool)
}](s *server, api huma.API, operation, called string, kind told, names string, changed func(result R, of string) bool,
) {
	family := kind.name + "s"
	huma.Register(api, huma.Operation{
		OperationID: operation, Method: http.MethodGet, Path: "/api/v1/" + family + "/{id}/why", Summary: "Why a number of " + called + " is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in. Its numbers are " + names + ".", Tags: []string{family},
	}, func(ctx context.Context, in *struct {
		WorkPath
		Of string `query:"of" required:"true" maxLength:"400" doc:"The number, by its name."`
	},
	) (*whyAnswer, error) {
		what := kind.what(in.ID)
		o, err := kind.get(ctx, s, in.ID)
		if err != nil {
			return nil, err
		}
		if o.State != wire.Done {
			return nil, huma.Error409Conflict(what + " is " + string(o.State) + ": it has no numbers yet")
		}
		result, err := work.ResultOf[T](ctx, s.Queue, in.ID)
		if err != nil {
			return nil, s.answer(err, what)
		}
		why, ok := R(result).WhyOf(in.Of)
		if !ok {
			return nil, huma.Error404NotFound(what + " has no number " + in.Of + "; its numbers are " + names)
		}
		out := wire.WhyNumber{Why: why, Engine: outcome.Engine, Changed: changed(result, in.Of)}
		if err := s.wentIn(ctx, &out, inputsOf(o), what); err != nil {
			return nil, err
		}
		return &whyAnswer{out}, nil
	})
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
