package api

import (
	"context"
	"encoding/json"
	"net/http"

	"tachyphor/core/explore"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var margins = told{kinds: work.Names(&work.Margining), name: "margin", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Margin = &wire.MarginBrief{Aims: append([]string{}, inputsOf(o).Keep...)}
	var gist wire.MarginGist
	if o.State == wire.Done && json.Unmarshal([]byte(o.Gist), &gist) == nil {
		b.Margin.Sentence = gist.Sentence
	}
}}

func (s *server) marginOperations(api huma.API) {
	tags := []string{"margins"}
	huma.Register(api, huma.Operation{
		OperationID: "margin", Method: http.MethodPost, Path: "/api/v1/margins", Summary: "Find how far a scenario bears what may grow",
		Description: "Jobs, boot times, image sizes, slow links and node prices: the largest factor at which each aim is still kept, on the " +
			"same draws. The work is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.margin)
	huma.Register(api, huma.Operation{
		OperationID: "get-margin", Method: http.MethodGet, Path: "/api/v1/margins/{id}", Summary: "Get how far a scenario bears what may grow",
		Tags: tags,
	}, s.getMargin)
}

func (s *server) margin(ctx context.Context, in *struct {
	Body struct {
		Scenario string   `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
		Aims     []string `json:"aims,omitempty" maxItems:"40" doc:"What must be kept, as in 95 % of all jobs start within 60s; absent: the aims of the scenario."`
	}
},
) (*accepted, error) {
	o, faults, err := s.Queue.Margin(ctx, in.Body.Scenario, in.Body.Aims, who(ctx))
	if err := s.unexplored(faults, err, "scenario "+in.Body.Scenario); err != nil {
		return nil, err
	}
	return s.accept(o), nil
}

func (s *server) getMargin(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptMargin }, error) {
	o, err := margins.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	out := wire.KeptMargin{WorkBrief: inBrief(s.Queue, o)}
	if o.State == wire.Done {
		if out.Result, err = work.ResultOf[explore.Margins](ctx, s.Queue, in.ID); err != nil {
			return nil, s.answer(err, margins.what(in.ID))
		}
	}
	return &struct{ Body wire.KeptMargin }{out}, nil
}
