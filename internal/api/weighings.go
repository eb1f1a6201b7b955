package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"

	"tachyphor/core/weigh"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// WeighingBrief is a weighing in a few words.
type WeighingBrief struct {
	ID       uint64    `json:"id" doc:"Number of the weighing."`
	Scenario string    `json:"scenario" doc:"Name of the scenario."`
	Revision int       `json:"revision" doc:"Revision of the scenario that was weighed."`
	State    string    `json:"state" enum:"queued,running,done,failed,cancelled" doc:"How far it has come."`
	Progress float64   `json:"progress" doc:"Share that is done, 0 to 1."`
	Error    string    `json:"error,omitempty" doc:"What went wrong, when it failed."`
	Asked    string    `json:"asked" doc:"When it was asked for."`
	By       string    `json:"by" doc:"Who asked."`
	Seconds  float64   `json:"seconds,omitempty" doc:"How long it took."`
	Ask      weigh.Ask `json:"ask" doc:"What was asked."`
	Headline string    `json:"headline,omitempty" doc:"The answer in a sentence, once it is done."`
	Best     string    `json:"best,omitempty" doc:"Key of the plan to have, once it is done."`
}

// KeptWeighing is a weighing with its result.
type KeptWeighing struct {
	WeighingBrief
	Result *weigh.Weighing `json:"result,omitempty" doc:"The result, once it is done."`
}

// WeighingPage is a page of weighings.
type WeighingPage struct {
	Items []WeighingBrief `json:"items" doc:"Weighings, newest first."`
	Next  uint64          `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// WeighingPath names a weighing in an address.
type WeighingPath struct {
	ID uint64 `path:"id" minimum:"1" doc:"Number of the weighing."`
}

func (p WeighingPath) what() string { return "weighing " + strconv.FormatUint(p.ID, 10) }

// briefOfWeighing tells long work as a weighing.
func briefOfWeighing(o store.Outcome, progress float64) WeighingBrief {
	b := briefOf(o, progress)
	out := WeighingBrief{ID: b.ID, Scenario: b.Scenario, State: b.State, Progress: b.Progress, Error: b.Error, Asked: b.Asked, By: b.By, Seconds: b.Seconds}
	if b.Inputs.Weigh != nil {
		out.Ask = *b.Inputs.Weigh
	}
	for _, r := range b.Inputs.Documents {
		if r.Kind == "Scenario" {
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
	tags := []string{"weighings"}
	huma.Register(api, huma.Operation{
		OperationID: "weigh", Method: http.MethodPost, Path: "/api/v1/weighings", Summary: "Weigh a scenario's cache plans against none",
		Description: "Every plan is simulated over the whole workload. The work is taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags:        tags, DefaultStatus: http.StatusAccepted,
	}, s.weigh)
	huma.Register(api, huma.Operation{
		OperationID: "list-weighings", Method: http.MethodGet, Path: "/api/v1/weighings", Summary: "List weighings, newest first", Tags: tags,
	}, func(ctx context.Context, in *struct {
		Scenario string `query:"scenario" maxLength:"63" doc:"Only of this scenario."`
		Cursor   uint64 `query:"cursor" doc:"Where to go on."`
		Limit    int    `query:"limit" minimum:"1" maximum:"100" default:"50" doc:"Most entries."`
	},
	) (*struct{ Body WeighingPage }, error) {
		list, err := s.Store.ListOutcomes(ctx, store.Weighing, in.Scenario, in.Cursor, in.Limit+1)
		if err != nil {
			return nil, s.answer(err, "list")
		}
		page := WeighingPage{Items: []WeighingBrief{}}
		for i, o := range list {
			if i == in.Limit {
				page.Next = list[i-1].ID
				break
			}
			page.Items = append(page.Items, briefOfWeighing(o, s.Queue.Progress(o)))
		}
		return &struct{ Body WeighingPage }{page}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-weighing", Method: http.MethodGet, Path: "/api/v1/weighings/{id}", Summary: "Get a weighing", Tags: tags,
	}, s.getWeighing)
	huma.Register(api, huma.Operation{
		OperationID: "cancel-weighing", Method: http.MethodPost, Path: "/api/v1/weighings/{id}/cancel", Summary: "Cancel a weighing", Tags: tags,
	}, func(ctx context.Context, in *WeighingPath) (*struct{ Body WeighingBrief }, error) {
		o, err := s.Queue.Cancel(ctx, store.Weighing, in.ID)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		return &struct{ Body WeighingBrief }{briefOfWeighing(o, s.Queue.Progress(o))}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "drop-weighing", Method: http.MethodDelete, Path: "/api/v1/weighings/{id}", Summary: "Take a weighing away that is over", Tags: tags,
	}, func(ctx context.Context, in *WeighingPath) (*struct{}, error) {
		err := s.Queue.Drop(ctx, store.Weighing, in.ID)
		if errors.Is(err, store.ErrConflict) {
			return nil, huma.Error409Conflict(in.what() + " is not over; cancel it first")
		}
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		return nil, nil
	})
	sse.Register(api, huma.Operation{
		OperationID: "watch-weighing", Method: http.MethodGet, Path: "/api/v1/weighings/{id}/progress", Summary: "Watch a weighing, as server-sent events", Tags: tags,
	}, map[string]any{"progress": WeighingBrief{}}, func(ctx context.Context, in *WeighingPath, send sse.Sender) {
		watchWork(ctx, s, store.Weighing, in.ID, in.what(), send, briefOfWeighing)
	})
}

func (s *server) weigh(ctx context.Context, in *struct {
	Body struct {
		Scenario string `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
		weigh.Ask
	}
}) (*struct {
	Location string `header:"Location"`
	Body     WeighingBrief
}, error,
) {
	o, faults, err := s.Queue.AskWeighing(ctx, in.Body.Scenario, who(ctx), in.Body.Ask)
	switch {
	case errors.Is(err, weigh.ErrAsk):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case err != nil:
		return nil, s.answer(err, "scenario "+in.Body.Scenario)
	case len(faults) > 0:
		return nil, refused(faults)
	}
	return &struct {
		Location string `header:"Location"`
		Body     WeighingBrief
	}{fmt.Sprintf("/api/v1/weighings/%d", o.ID), briefOfWeighing(o, 0)}, nil
}

func (s *server) getWeighing(ctx context.Context, in *WeighingPath) (*struct{ Body KeptWeighing }, error) {
	o, err := s.Store.GetOutcome(ctx, store.Weighing, in.ID)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	out := KeptWeighing{WeighingBrief: briefOfWeighing(o, s.Queue.Progress(o))}
	if o.State == store.Done {
		raw, err := s.Queue.Result(ctx, in.ID)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		out.Result = new(weigh.Weighing)
		if err := json.Unmarshal(raw, out.Result); err != nil {
			return nil, s.answer(err, in.what())
		}
	}
	return &struct{ Body KeptWeighing }{out}, nil
}
