package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"tachyphor/internal/kube"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var trials = told{
	kinds: work.Names(&work.Preflight, &work.Rehearsal), name: "trial",
	adds: func(q *work.Queue, w store.Work, b *wire.WorkBrief) {
		var said work.Report
		q.Checkpoint(w, &said)
		var t work.Tried
		_ = json.Unmarshal([]byte(w.Question), &t) // ours; empty if it cannot be read
		b.Trial = &wire.TrialBrief{Context: t.Context, Checks: said.Checks, Agent: said.Rehearsal}
		if said.Checks == nil {
			b.Trial.Checks = []wire.Check{}
		}
	},
}

func (s *server) trialOperations(api huma.API) {
	tags := []string{"trials"}
	huma.Register(api, huma.Operation{
		OperationID: "list-connections", Method: http.MethodGet, Path: "/api/v1/connections",
		Summary: "List the clusters that the service can reach", Tags: tags,
	}, func(context.Context, *struct{}) (*struct{ Body wire.Connections }, error) {
		out := wire.Connections{Contexts: []string{}}
		names, err := s.Queue.Contexts()
		if err == nil && len(names) == 0 {
			err = kube.ErrNoCluster
		}
		if err != nil {
			out.Why = err.Error()
		}
		out.Shards = s.Queue.Reaches()
		out.Contexts = append(out.Contexts, names...)
		return &struct{ Body wire.Connections }{out}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "try", Method: http.MethodPost, Path: "/api/v1/trials", Summary: "Begin a preflight or a rehearsal", Tags: tags,
		DefaultStatus: http.StatusAccepted,
		Description:   "A rehearsal makes one agent with a harmless job and removes it again.",
	}, s.try)
}

func (s *server) try(ctx context.Context, in *struct{ Body wire.TryOut }) (*accepted, error) {
	b, kind := in.Body, &work.Preflight
	if b.Kind == work.Rehearsal.Name {
		kind = &work.Rehearsal
	}
	w, err := s.Queue.Try(ctx, kind, who(ctx), work.Tried{Template: b.Template, Scenario: b.Scenario, Context: b.Context, Risky: b.Risky})
	var refusal work.Refusal
	switch {
	case errors.As(err, &refusal):
		return nil, huma.Error422UnprocessableEntity(err.Error())
	case errors.Is(err, store.ErrBusy):
		return nil, huma.Error429TooManyRequests("several trials are running already; wait for one to end, or end it")
	case err != nil:
		return nil, s.answer(err, "template "+b.Template)
	}
	return s.accept(w), nil
}
