package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"

	"github.com/danielgtaylor/huma/v2"
)

// WeighingBrief is a weighing in a few words.
type WeighingBrief struct {
	WorkBrief
	Revision int       `json:"revision" doc:"Revision of the scenario that was weighed."`
	Ask      weigh.Ask `json:"ask" doc:"What was asked."`
	Headline string    `json:"headline,omitempty" doc:"The answer in a sentence, once it is done."`
	Best     string    `json:"best,omitempty" doc:"Key of the plan to have, once it is done."`
}

// KeptWeighing is a weighing with its result.
type KeptWeighing struct {
	WeighingBrief
	Result *weigh.Weighing `json:"result,omitempty" doc:"The result, once it is done."`
}

var weighings = longWork[WeighingBrief]{store.Weighing, "weighing", "weighing", briefOfWeighing}

// briefOfWeighing tells long work as a weighing.
func briefOfWeighing(o store.Outcome, progress float64) WeighingBrief {
	work, in := workOf(o, progress)
	out := WeighingBrief{WorkBrief: work}
	if in.Weigh != nil {
		out.Ask = *in.Weigh
	}
	for _, r := range in.Documents {
		if r.Kind == document.KindScenario {
			out.Revision = r.Revision
		}
	}
	var gist runs.WeighGist
	if o.State == store.Done && json.Unmarshal([]byte(o.Summary), &gist) == nil {
		out.Headline, out.Best = gist.Headline, gist.Best
	}
	return out
}

func (s *server) weighingOperations(api huma.API) {
	weighings.operations(s, api)
	tags := []string{"weighings"}
	huma.Register(api, huma.Operation{
		OperationID: "weigh", Method: http.MethodPost, Path: "/api/v1/weighings", Summary: "Weigh a scenario's cache plans against none",
		Description: "Every plan is simulated over the whole workload. The work is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags:        tags, DefaultStatus: http.StatusAccepted,
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
) (*accepted[WeighingBrief], error) {
	o, faults, err := s.Queue.AskWeighing(ctx, in.Body.Scenario, who(ctx), in.Body.Ask)
	switch {
	case errors.Is(err, weigh.ErrAsk):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case err != nil:
		return nil, s.answer(err, "scenario "+in.Body.Scenario)
	case len(faults) > 0:
		return nil, refused(faults)
	}
	return weighings.accept(o), nil
}

func (s *server) getWeighing(ctx context.Context, in *WorkPath) (*struct{ Body KeptWeighing }, error) {
	o, err := s.Store.GetOutcome(ctx, store.Weighing, in.ID)
	if err != nil {
		return nil, s.answer(err, weighings.what(in.ID))
	}
	out := KeptWeighing{WeighingBrief: briefOfWeighing(o, s.Queue.Progress(o))}
	if o.State == store.Done {
		raw, err := s.Queue.Result(ctx, in.ID)
		if err != nil {
			return nil, s.answer(err, weighings.what(in.ID))
		}
		out.Result = new(weigh.Weighing)
		if err := json.Unmarshal(raw, out.Result); err != nil {
			return nil, s.answer(err, weighings.what(in.ID))
		}
	}
	return &struct{ Body KeptWeighing }{out}, nil
}
