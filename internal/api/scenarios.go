package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strings"

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
	Text   string `query:"text" maxLength:"63" doc:"Only those with this in their names."`
	By     string `query:"by" enum:"name,mean,p95,wrong,cost,outcome" default:"name" doc:"What they are sorted by: their names, or what their newest outcomes say; those without one come last."`
	Down   bool   `query:"down" doc:"The largest, or last, first."`
	Cursor string `query:"cursor" maxLength:"63" doc:"Where to go on."`
},
) (*struct{ Body wire.ScenarioPage }, error) {
	from, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	list, last, err := s.sortedScenarios(ctx, in.Text, in.By, in.Down)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := wire.ScenarioPage{Items: []wire.ScenarioBrief{}, All: len(list)}
	list, page.Next = pageOf(list, from)
	if in.By == "name" {
		if last, err = s.Store.LastDone(ctx, work.Simulation.Name, namesOf(list)...); err != nil {
			return nil, s.answer(err, "list")
		}
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

func namesOf(list []store.Head) []string {
	names := make([]string, len(list))
	for i, h := range list {
		names[i] = h.Name
	}
	return names
}

// mostScenarios bounds how many are sorted.
const mostScenarios = 20_000

// sortedScenarios lists all scenarios with a text in their names, in an order; with their newest outcomes where that is by
// these.
func (s *server) sortedScenarios(ctx context.Context, text, by string, down bool) ([]store.Head, map[string]store.Work, error) {
	list, err := s.Store.List(ctx, document.KindScenario, "", "", mostScenarios)
	if err != nil {
		return nil, nil, err
	}
	list = slices.DeleteFunc(list, func(h store.Head) bool { return !strings.Contains(h.Name, text) })
	if by == "name" {
		if down {
			slices.Reverse(list)
		}
		return list, nil, nil
	}
	last, err := s.Store.LastDone(ctx, work.Simulation.Name, namesOf(list)...)
	if err != nil {
		return nil, nil, err
	}
	says := make(map[string]float64, len(last))
	for name, o := range last {
		if x, ok := gistNumber(o, by); ok {
			says[name] = x
		}
	}
	sortBy(list, down, func(h store.Head) (float64, bool) {
		x, ok := says[h.Name]
		return x, ok
	})
	return list, last, nil
}

// gistNumber is what a finished simulation says of something that scenarios are sorted by.
func gistNumber(o store.Work, by string) (x float64, ok bool) {
	var g wire.Gist
	if json.Unmarshal([]byte(o.Gist), &g) != nil {
		return 0, false
	}
	switch by {
	case "mean":
		return g.MeanDelayNs, true
	case "p95":
		if g.P95DelayNs == nil {
			return 0, false
		}
		return *g.P95DelayNs, true
	case "wrong":
		return g.Wrong, true
	case "cost":
		return g.CostPerMonth, true
	}
	return float64(o.ID), true
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
