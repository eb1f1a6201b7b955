package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var backtestings = told{kinds: work.Names(&work.Backtesting), name: "backtest", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Backtest = new(wire.BacktestBrief)
	if in := inputsOf(o); in.Backtest != nil {
		b.Backtest.Live = in.Backtest.Live
	}
	if o.Gist != "" {
		_ = json.Unmarshal([]byte(o.Gist), b.Backtest) // ours; empty if it cannot be read
	}
}}

func (s *server) backtestOperations(api huma.API) {
	tags := []string{"backtests"}
	huma.Register(api, huma.Operation{
		OperationID: "backtest", Method: http.MethodPost, Path: "/api/v1/backtests", Summary: "Compare a scenario's simulation with what happened",
		Description: "The jobs of a log, or of the live records, are simulated as they came, with their own work times, and what is predicted " +
			"of them is compared with what happened. The work is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted, MaxBodyBytes: 4 << 20,
	}, func(ctx context.Context, in *struct{ Body wire.AskBacktest }) (*accepted, error) {
		o, faults, err := s.Queue.Backtest(ctx, in.Body, who(ctx))
		return s.goesByRecords(o, faults, err, in.Body.Scenario)
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-backtest", Method: http.MethodGet, Path: "/api/v1/backtests/{id}", Summary: "Get whether a scenario's simulation came true", Tags: tags,
	}, func(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptBacktest }, error) {
		o, result, err := s.backtest(ctx, in.ID)
		if err != nil {
			return nil, err
		}
		return &struct{ Body wire.KeptBacktest }{wire.KeptBacktest{WorkBrief: inBrief(s.Queue, o), Result: result}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "take-fact-over", Method: http.MethodPost, Path: "/api/v1/backtests/{id}/fact", Summary: "Take over the value that would explain most",
		Description: "A new revision of the cluster has the value, and under measured where it comes from.", Tags: tags,
	}, s.takeFactOver)
}

// goesByRecords answers what was asked of a scenario and jobs that came.
func (s *server) goesByRecords(o store.Work, faults document.Faults, err error, scenario string) (*accepted, error) {
	switch {
	case errors.Is(err, work.ErrAsk), errors.Is(err, library.ErrNoJobs), errors.Is(err, library.ErrTooLong):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case err != nil:
		return nil, s.answer(err, "scenario "+scenario)
	case len(faults) > 0:
		return nil, refused(faults)
	}
	return s.accept(o), nil
}

func (s *server) backtest(ctx context.Context, id uint64) (store.Work, *backtest.Backtest, error) {
	o, err := backtestings.get(ctx, s, id)
	if err != nil || o.State != wire.Done {
		return o, nil, err
	}
	result, err := work.ResultOf[backtest.Backtest](ctx, s.Queue, id)
	if err != nil {
		return o, nil, s.answer(err, backtestings.what(id))
	}
	return o, result, nil
}

func (s *server) takeFactOver(ctx context.Context, in *WorkPath) (*struct{ Body wire.Stored }, error) {
	o, result, err := s.backtest(ctx, in.ID)
	switch {
	case err != nil:
		return nil, err
	case result == nil:
		return nil, backtestings.notOver(o)
	case result.Fact == nil:
		return nil, huma.Error409Conflict("no single fact explains what happened; there is nothing to take over")
	}
	name := ""
	for _, r := range inputsOf(o).Documents {
		if r.Kind == document.KindCluster {
			name = r.Name
		}
	}
	head, err := s.Store.Get(ctx, document.KindCluster, name, 0)
	if err != nil {
		return nil, s.answer(err, "cluster "+name)
	}
	docs, faults := document.Parse(name, []byte(head.Text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	edits, err := result.TakeOver(docs[0], *o.Ended)
	if err != nil {
		return nil, huma.Error409Conflict(err.Error())
	}
	text, err := document.Apply(head.Text, edits)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	stored, err := s.store(ctx, DocumentPath{Kind: document.KindCluster, Name: name}, text, head.Number)
	if err != nil {
		return nil, err
	}
	return &struct{ Body wire.Stored }{stored.Body}, nil
}
