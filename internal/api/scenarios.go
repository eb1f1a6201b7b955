package api

import (
	"context"
	"errors"
	"net/http"

	"tachyphor/core/document"
	"tachyphor/core/world"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) scenarioOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "list-scenarios", Method: http.MethodGet, Path: "/api/v1/scenarios",
		Summary: "List scenarios with their newest outcomes", Tags: []string{"scenarios"},
	}, s.listScenarios)
	huma.Register(api, huma.Operation{
		OperationID: "get-scenario", Method: http.MethodGet, Path: "/api/v1/scenarios/{name}", Summary: "Get a scenario with what it builds on",
		Description: "The ETag is that of its document.", Tags: []string{"scenarios"},
	}, s.getScenario)
}

func (s *server) listScenarios(ctx context.Context, in *struct {
	Cursor string `query:"cursor" maxLength:"63" doc:"Where to go on."`
},
) (*struct{ Body wire.ScenarioPage }, error) {
	after := ""
	if in.Cursor != "" {
		after = document.KindScenario
	}
	list, err := s.Store.List(ctx, document.KindScenario, after, in.Cursor, pageSize+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := wire.ScenarioPage{Items: []wire.ScenarioBrief{}}
	if len(list) > pageSize {
		list = list[:pageSize]
		page.Next = list[pageSize-1].Name
	}
	names := make([]string, len(list))
	for i, h := range list {
		names[i] = h.Name
	}
	last, err := s.Store.LastDone(ctx, work.Simulation.Name, names...)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	pinned, err := s.Queue.Library.PinAll(ctx, list)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	for i, h := range list {
		page.Items = append(page.Items, s.briefly(h, &pinned[i], last))
	}
	return &struct{ Body wire.ScenarioPage }{page}, nil
}

// briefly describes a scenario.
func (s *server) briefly(h store.Head, p *library.Pinned, last map[string]store.Work) wire.ScenarioBrief {
	b := wire.ScenarioBrief{Name: h.Name, Revision: h.Number}
	if p.Scenario == nil { // not readable any more
		return b
	}
	spec := &p.Scenario.Value.(*document.Scenario).Spec
	b.Cluster, b.Workload, b.Note = spec.Cluster, spec.Workload, p.Scenario.Note()
	if o, ok := last[h.Name]; ok {
		brief := inBrief(s.Queue, o)
		b.Last = &brief
		b.Current = len(p.Faults) == 0 && same(p.Inputs, brief.Simulation.Inputs)
	}
	return b
}

// same reports whether two outcomes' inputs are the same but for run settings.
func same(a, b wire.Inputs) bool {
	if len(a.Documents) != len(b.Documents) || a.Recording != b.Recording {
		return false
	}
	for i := range a.Documents {
		if a.Documents[i] != b.Documents[i] {
			return false
		}
	}
	return true
}

func (s *server) getScenario(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the scenario."`
}) (*struct {
	ETag string `header:"ETag"`
	Body wire.Scenario
}, error,
) {
	what := "scenario " + in.Name
	h, err := s.Store.Get(ctx, document.KindScenario, in.Name, 0)
	if err != nil {
		return nil, s.answer(err, what)
	}
	last, err := s.Store.LastDone(ctx, work.Simulation.Name, in.Name)
	if err != nil {
		return nil, s.answer(err, what)
	}
	all, err := s.Queue.Library.PinAll(ctx, []store.Head{h})
	if err != nil {
		return nil, s.answer(err, what)
	}
	pinned := &all[0]
	if pinned.Scenario == nil {
		return nil, unreadable()
	}
	out := wire.Scenario{
		ScenarioBrief: s.briefly(h, pinned, last), Faults: []document.Fault{}, Templates: []wire.TemplateBrief{},
		Pools: []wire.PoolBrief{},
	}
	out.Spec = pinned.Scenario.Value.(*document.Scenario).Spec
	faults := pinned.Faults
	if len(faults) == 0 {
		faults, err = s.describe(ctx, pinned.Inputs, &out)
		if err != nil && !errors.Is(err, store.ErrNotFound) {
			return nil, s.answer(err, what)
		}
	}
	out.Faults = append(out.Faults, faults...)
	return &struct {
		ETag string `header:"ETag"`
		Body wire.Scenario
	}{etag(h.Number), out}, nil
}

// describe adds what a scenario's inputs come to.
func (s *server) describe(ctx context.Context, in wire.Inputs, out *wire.Scenario) (document.Faults, error) {
	w, faults, err := s.Queue.Library.Design(ctx, in)
	if err != nil || len(faults) > 0 {
		return faults, err
	}
	out.Templates, out.Pools = madeOf(w)
	out.Currency = w.Currency
	return nil, nil
}

// madeOf tells in brief what a world is made of.
func madeOf(w *world.World) ([]wire.TemplateBrief, []wire.PoolBrief) {
	templates, pools := []wire.TemplateBrief{}, []wire.PoolBrief{}
	for _, t := range w.Templates {
		templates = append(templates, wire.TemplateBrief{
			Name: t.Name, Offers: t.Offers, CPU: t.Request.CPU.String(), Memory: t.Request.Memory.Short(),
		})
	}
	for _, p := range w.Pools {
		pools = append(pools, wire.PoolBrief{
			Name: p.Name, NodeType: p.Type, CPU: p.Room.CPU.String(), Memory: p.Room.Memory.Short(),
			Price: p.Price.String(), Min: p.Min, Max: p.Max,
		})
	}
	return templates, pools
}
