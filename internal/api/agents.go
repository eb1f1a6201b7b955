package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) agentOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "list-agents", Method: http.MethodGet, Path: "/api/v1/live/agents", Summary: "List the agents in a cluster, as they stand now",
		Description: "They are followed from when they are first asked for until a minute after they are asked for last.", Tags: []string{"live"},
	}, s.agents)
	huma.Register(api, huma.Operation{
		OperationID: "usual", Method: http.MethodGet, Path: "/api/v1/scenarios/{name}/usual", Summary: "Get what is usual for every hour of the week in a scenario",
		Description: "Jobs that wait, agents and nodes: the middle, and that between which they are nine times in ten, over 20 runs.", Tags: []string{"scenarios"},
	}, func(ctx context.Context, in *struct {
		Name string `path:"name" maxLength:"63" doc:"Name of the scenario."`
	},
	) (*struct{ Body wire.Usual }, error) {
		u, err := s.Queue.Usual(ctx, in.Name)
		if err != nil {
			return nil, s.answer(err, "scenario "+in.Name)
		}
		return &struct{ Body wire.Usual }{wire.Usual{UsualWeek: *u, Hour: u.Zone.MinuteOfWeek(time.Now()) / 60}}, nil
	})
}

func (s *server) agents(ctx context.Context, in *struct {
	Namespace string `query:"namespace" required:"true" minLength:"1" maxLength:"63" pattern:"^[a-z0-9]([-a-z0-9]*[a-z0-9])?$" doc:"Namespace."`
	Template  string `query:"template" maxLength:"63" doc:"Only agents of this template."`
	Context   string `query:"context" maxLength:"255" doc:"Cluster; absent: the service's usual one."`
	Limit     int    `query:"limit" minimum:"1" maximum:"500" default:"50" doc:"Most entries; counts are of all."`
},
) (*struct{ Body wire.Watched }, error) {
	w, err := s.Queue.Watched(ctx, in.Context, in.Namespace, in.Template, in.Limit)
	var refusal work.Refusal
	switch {
	case errors.As(err, &refusal):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case errors.Is(err, store.ErrBusy):
		return nil, huma.Error429TooManyRequests("several namespaces are looked at already; close a page, and try again in a minute")
	case err != nil:
		return nil, s.answer(err, "agents")
	}
	return &struct{ Body wire.Watched }{w}, nil
}
