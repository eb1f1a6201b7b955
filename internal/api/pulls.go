package api

import (
	"context"
	"errors"
	"net/http"

	"tachyphor/core/pulls"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var pullings = told{kinds: work.Names(&work.Pulling), name: "pulls", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Pulls = &wire.PullsBrief{Outcome: inputsOf(o).Outcome}
}}

func (s *server) pullOperations(api huma.API) {
	tags := []string{"pulls"}
	huma.Register(api, huma.Operation{
		OperationID: "pulls", Method: http.MethodPost, Path: "/api/v1/pulls", Summary: "Tell what images cost a design",
		Description: "How often nodes pull which layers, what images share, and what would be saved if a layer weighed nothing, if an image " +
			"were of another size, and if nodes had the images before agents need them; each on the same jobs and draws.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.pulls)
	huma.Register(api, huma.Operation{
		OperationID: "get-pulls", Method: http.MethodGet, Path: "/api/v1/pulls/{id}", Summary: "Get what images cost a design", Tags: tags,
	}, s.getPulls)
}

func (s *server) pulls(ctx context.Context, in *struct {
	Body struct {
		Scenario string          `json:"scenario,omitempty" maxLength:"63" doc:"Name of a scenario, as it is stored now."`
		Outcome  uint64          `json:"outcome,omitempty" doc:"Number of an outcome, with its revisions and changes; one of the two."`
		Lighter  []pulls.Lighter `json:"lighter,omitempty" maxItems:"8" doc:"Images of other sizes that are tried."`
	}
},
) (*accepted, error) {
	if (in.Body.Scenario == "") == (in.Body.Outcome == 0) {
		return nil, errOneOfTwo
	}
	o, faults, err := s.Queue.Pulls(ctx, in.Body.Scenario, in.Body.Outcome, in.Body.Lighter, who(ctx))
	if errors.Is(err, work.ErrLighter) {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	return s.takenOn(o, faults, err, in.Body.Scenario, in.Body.Outcome)
}

func (s *server) getPulls(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptPulls }, error) {
	o, err := pullings.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	out := wire.KeptPulls{WorkBrief: inBrief(s.Queue, o)}
	if o.State == wire.Done {
		if out.Result, err = work.ResultOf[pulls.Costs](ctx, s.Queue, in.ID); err != nil {
			return nil, s.answer(err, pullings.what(in.ID))
		}
	}
	return &struct{ Body wire.KeptPulls }{out}, nil
}
