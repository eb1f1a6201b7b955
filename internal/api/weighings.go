package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var weighings = told{kinds: work.Names(&work.Weighing), name: "weighing", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	in := inputsOf(o)
	b.Weighing = &wire.WeighingBrief{}
	if in.Weigh != nil {
		b.Weighing.Ask = *in.Weigh
	}
	for _, r := range in.Documents {
		if r.Kind == document.KindScenario {
			b.Weighing.Revision = r.Revision
		}
	}
	var gist wire.WeighGist
	if o.State == wire.Done && json.Unmarshal([]byte(o.Gist), &gist) == nil {
		b.Weighing.Headline, b.Weighing.Best = gist.Headline, gist.Best
	}
}}

func (s *server) weighingOperations(api huma.API) {
	tags := []string{"weighings"}
	huma.Register(api, huma.Operation{
		OperationID: "weigh", Method: http.MethodPost, Path: "/api/v1/weighings", Summary: "Weigh a scenario's cache plans against none",
		Description: "Every plan is simulated over the whole workload. The work is taken on and done even if the service stops in " +
			"between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.weigh)
	huma.Register(api, huma.Operation{
		OperationID: "get-weighing", Method: http.MethodGet, Path: "/api/v1/weighings/{id}", Summary: "Get a weighing", Tags: tags,
	}, s.getWeighing)
}

func (s *server) weigh(ctx context.Context, in *struct {
	Body struct {
		Scenario string `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
		weigh.Ask
	}
},
) (*accepted, error) {
	o, faults, err := s.Queue.Weigh(ctx, in.Body.Scenario, who(ctx), in.Body.Ask)
	switch {
	case errors.Is(err, weigh.ErrAsk):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case err != nil:
		return nil, s.answer(err, "scenario "+in.Body.Scenario)
	case len(faults) > 0:
		return nil, refused(faults)
	}
	return s.accept(o), nil
}

func (s *server) getWeighing(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptWeighing }, error) {
	o, err := weighings.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	out := wire.KeptWeighing{WorkBrief: inBrief(s.Queue, o)}
	if o.State == wire.Done {
		if out.Result, err = s.weighed(ctx, in.ID); err != nil {
			return nil, err
		}
	}
	return &struct{ Body wire.KeptWeighing }{out}, nil
}

// weighed is the result of a finished weighing.
func (s *server) weighed(ctx context.Context, id uint64) (*weigh.Weighing, error) {
	result, err := work.ResultOf[weigh.Weighing](ctx, s.Queue, id)
	if err != nil {
		return nil, s.answer(err, weighings.what(id))
	}
	return result, nil
}
