package api

import (
	"context"
	"net/http"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var doubtings = told{kinds: work.Names(&work.Doubting), name: "doubt", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Doubt = &wire.DoubtBrief{Outcome: inputsOf(o).Outcome}
}}

func (s *server) doubtOperations(api huma.API) {
	tags := []string{"doubts"}
	huma.Register(api, huma.Operation{
		OperationID: "doubt", Method: http.MethodPost, Path: "/api/v1/doubts", Summary: "Try the facts that an outcome hangs on",
		Description: "The scenario is simulated with each fact of its cluster at the ends of what it may be, on the same draws. The work " +
			"is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.doubt)
	huma.Register(api, huma.Operation{
		OperationID: "get-doubt", Method: http.MethodGet, Path: "/api/v1/doubts/{id}", Summary: "Get what an outcome hangs on", Tags: tags,
	}, s.getDoubt)
}

func (s *server) doubt(ctx context.Context, in *struct {
	Body struct {
		Scenario string `json:"scenario,omitempty" maxLength:"63" doc:"Name of a scenario, as it is stored now."`
		Outcome  uint64 `json:"outcome,omitempty" doc:"Number of an outcome, with its revisions and changes; one of the two."`
	}
},
) (*accepted, error) {
	if (in.Body.Scenario == "") == (in.Body.Outcome == 0) {
		return nil, errOneOfTwo
	}
	o, faults, err := s.Queue.Doubt(ctx, in.Body.Scenario, in.Body.Outcome, who(ctx))
	return s.takenOn(o, faults, err, in.Body.Scenario, in.Body.Outcome)
}

var errOneOfTwo = huma.Error422UnprocessableEntity("give a scenario or an outcome, one of the two")

// takenOn answers with work on a scenario or an outcome, or with why it is not taken on.
func (s *server) takenOn(o store.Work, faults document.Faults, err error, scenario string, outcome uint64) (*accepted, error) {
	switch {
	case err != nil && outcome > 0:
		return nil, s.answer(err, outcomes.what(outcome))
	case err != nil:
		return nil, s.answer(err, "scenario "+scenario)
	case len(faults) > 0:
		return nil, refused(faults)
	}
	return s.accept(o), nil
}

func (s *server) getDoubt(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptDoubt }, error) {
	o, err := doubtings.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	out := wire.KeptDoubt{WorkBrief: inBrief(s.Queue, o)}
	if o.State == wire.Done {
		if out.Result, err = work.ResultOf[doubt.Doubts](ctx, s.Queue, in.ID); err != nil {
			return nil, s.answer(err, doubtings.what(in.ID))
		}
	}
	return &struct{ Body wire.KeptDoubt }{out}, nil
}
