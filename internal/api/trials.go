package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	"tachyphor/internal/kube"
	"tachyphor/internal/store"
	"tachyphor/internal/trials"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// TrialPath names a trial in an address.
type TrialPath struct {
	ID uint64 `path:"id" doc:"Number of the trial."`
}

func (p TrialPath) what() string { return fmt.Sprintf("trial %d", p.ID) }

func (s *server) trialOf(t store.Trial) (wire.Trial, int) {
	said, seen := s.Trials.Report(t)
	out := wire.Trial{
		ID: t.ID, Kind: t.Kind, Template: t.Template, Context: t.Context, State: string(t.State), Error: t.Error,
		Asked: t.Asked, By: t.By, Checks: said.Checks, Agent: said.Rehearsal,
	}
	if out.Checks == nil {
		out.Checks = []wire.Check{}
	}
	if t.Ended != nil {
		out.Seconds = seconds(t.Asked, *t.Ended)
	}
	return out, seen
}

func (s *server) trialOperations(api huma.API) {
	tags := []string{"trials"}
	huma.Register(api, huma.Operation{
		OperationID: "list-connections", Method: http.MethodGet, Path: "/api/v1/connections",
		Summary: "List the clusters that the service can reach", Tags: tags,
	}, func(context.Context, *struct{}) (*struct{ Body wire.Connections }, error) {
		out := wire.Connections{Contexts: []string{}}
		names, err := s.Trials.Contexts()
		if err == nil && len(names) == 0 {
			err = kube.ErrNoCluster
		}
		if err != nil {
			out.Why = err.Error()
		}
		out.Contexts = append(out.Contexts, names...)
		return &struct{ Body wire.Connections }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "try", Method: http.MethodPost, Path: "/api/v1/trials", Summary: "Begin a preflight or a rehearsal", Tags: tags,
		DefaultStatus: http.StatusAccepted,
		Description:   "A rehearsal makes one agent with a harmless job and takes it away again.",
	}, s.try)
	huma.Register(api, huma.Operation{
		OperationID: "list-trials", Method: http.MethodGet, Path: "/api/v1/trials", Summary: "List trials, newest first", Tags: tags,
	}, func(ctx context.Context, in *struct {
		Template string `query:"template" maxLength:"63" doc:"Only of this template."`
	},
	) (*struct{ Body wire.TrialList }, error) {
		list, err := s.Store.ListTrials(ctx, in.Template, pageSize)
		if err != nil {
			return nil, s.answer(err, "list")
		}
		out := wire.TrialList{Items: []wire.Trial{}}
		for _, t := range list {
			x, _ := s.trialOf(t)
			out.Items = append(out.Items, x)
		}
		return &struct{ Body wire.TrialList }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-trial", Method: http.MethodGet, Path: "/api/v1/trials/{id}", Summary: "Get a trial", Tags: tags,
	}, func(ctx context.Context, in *TrialPath) (*struct{ Body wire.Trial }, error) {
		t, err := s.Store.GetTrial(ctx, in.ID)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		out, _ := s.trialOf(t)
		return &struct{ Body wire.Trial }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "cancel-trial", Method: http.MethodPost, Path: "/api/v1/trials/{id}/cancel",
		Summary: "End a trial; what it made is taken away", Tags: tags, DefaultStatus: http.StatusAccepted,
	}, func(ctx context.Context, in *TrialPath) (*struct{ Body wire.Trial }, error) {
		if err := s.Trials.Cancel(ctx, in.ID); err != nil {
			return nil, s.answer(err, in.what())
		}
		t, err := s.Store.GetTrial(ctx, in.ID)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		out, _ := s.trialOf(t)
		return &struct{ Body wire.Trial }{out}, nil
	})
	sse.Register(api, huma.Operation{
		OperationID: "watch-trial", Method: http.MethodGet, Path: "/api/v1/trials/{id}/progress",
		Summary: "Watch a trial, as server-sent events", Tags: tags,
	}, map[string]any{"progress": wire.Trial{}}, s.watchTrial)
}

func (s *server) try(ctx context.Context, in *struct {
	Body struct {
		Kind     string `json:"kind" enum:"preflight,rehearsal" doc:"What to try."`
		Template string `json:"template" minLength:"1" maxLength:"63" doc:"Stored template."`
		Scenario string `json:"scenario,omitempty" maxLength:"63" doc:"Scenario that gives the kit its ceilings; absent: the first that uses the template."`
		Context  string `json:"context,omitempty" maxLength:"255" doc:"Cluster; absent: the service's usual one."`
	}
},
) (*accepted[wire.Trial], error) {
	b := in.Body
	t, err := s.Trials.Ask(ctx, b.Kind, b.Template, b.Scenario, b.Context, who(ctx))
	switch {
	case trials.Refused(err):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case errors.Is(err, store.ErrBusy):
		return nil, huma.Error429TooManyRequests("several trials are running already; wait for one to end, or end it")
	case err != nil:
		return nil, s.answer(err, "template "+b.Template)
	}
	out, _ := s.trialOf(t)
	return &accepted[wire.Trial]{fmt.Sprintf("/api/v1/trials/%d", t.ID), out}, nil
}

func (s *server) watchTrial(ctx context.Context, in *TrialPath, send sse.Sender) {
	last, first := 0, true
	s.trials.follow(ctx, in.ID, func(t store.Trial, there bool) bool {
		if !there {
			_ = send.Data(wire.Trial{ID: in.ID, State: string(wire.Failed), Error: "there is no " + in.what(), Checks: []wire.Check{}})
			return true
		}
		out, seen := s.trialOf(t)
		if (first || seen != last) && (seen >= 0 || t.State.Over()) {
			if send.Data(out) != nil {
				return true
			}
			last, first = seen, false
		}
		return t.State.Over()
	})
}
