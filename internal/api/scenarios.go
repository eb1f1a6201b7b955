package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"

	"github.com/danielgtaylor/huma/v2"
)

// ScenarioBrief is a scenario in a list, with its newest finished outcome.
type ScenarioBrief struct {
	Name     string        `json:"name" doc:"Name of the scenario."`
	Cluster  string        `json:"cluster" doc:"Its cluster."`
	Workload string        `json:"workload" doc:"Its workload."`
	Revision int           `json:"revision" doc:"Newest revision."`
	Note     string        `json:"note" doc:"The comment at the head of its document."`
	Last     *OutcomeBrief `json:"last,omitempty" doc:"Newest finished outcome."`
	Current  bool          `json:"current" doc:"That outcome was computed from the newest revisions of everything."`
}

// Scenario is a scenario with what it builds on.
type Scenario struct {
	ScenarioBrief
	Spec      document.ScenarioSpec `json:"spec" doc:"The design, defaults filled in."`
	Templates []TemplateBrief       `json:"templates" doc:"What its templates are."`
	Pools     []PoolBrief           `json:"pools" doc:"The cluster's pools under the scenario's limits."`
	Currency  string                `json:"currency" doc:"Currency of prices."`
	Faults    []document.Fault      `json:"faults" doc:"What keeps it from being simulated."`
}

// TemplateBrief is a template in a few words.
type TemplateBrief struct {
	Name   string   `json:"name" doc:"Name of the template."`
	Offers []string `json:"offers" doc:"Words it offers."`
	CPU    string   `json:"cpu" doc:"CPU that one agent requests."`
	Memory string   `json:"memory" doc:"Memory that one agent requests."`
}

// PoolBrief is a pool in a few words.
type PoolBrief struct {
	Name     string `json:"name" doc:"Name of the pool."`
	NodeType string `json:"nodeType" doc:"Type of its nodes."`
	CPU      string `json:"cpu" doc:"CPU of a node that agents can use."`
	Memory   string `json:"memory" doc:"Memory of a node that agents can use."`
	Price    string `json:"price" doc:"Price of a node."`
	Min      int    `json:"min" doc:"Fewest nodes."`
	Max      int    `json:"max" doc:"Most nodes."`
}

func (s *server) scenarioOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "list-scenarios", Method: http.MethodGet, Path: "/api/v1/scenarios", Summary: "List scenarios with their newest outcomes", Tags: []string{"scenarios"},
	}, s.listScenarios)
	huma.Register(api, huma.Operation{
		OperationID: "get-scenario", Method: http.MethodGet, Path: "/api/v1/scenarios/{name}", Summary: "Get a scenario with what it builds on",
		Description: "The ETag is that of its document.", Tags: []string{"scenarios"},
	}, s.getScenario)
}

// ScenarioPage is a page of scenarios.
type ScenarioPage struct {
	Items []ScenarioBrief `json:"items" doc:"Scenarios by name."`
	Next  string          `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

func (s *server) listScenarios(ctx context.Context, in *struct {
	Cursor string `query:"cursor" maxLength:"63" doc:"Where to go on."`
},
) (*struct{ Body ScenarioPage }, error) {
	after := ""
	if in.Cursor != "" {
		after = document.KindScenario
	}
	list, err := s.Store.List(ctx, document.KindScenario, after, in.Cursor, pageSize+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	last, err := s.Store.LastDone(ctx)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := ScenarioPage{Items: []ScenarioBrief{}}
	if len(list) > pageSize {
		list = list[:pageSize]
		page.Next = list[pageSize-1].Name
	}
	pinned, err := s.Queue.Library.PinAll(ctx, list)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	for i, h := range list {
		page.Items = append(page.Items, briefly(h, &pinned[i], last))
	}
	return &struct{ Body ScenarioPage }{page}, nil
}

// briefly describes a scenario.
func briefly(h store.Head, p *runs.Pinned, last map[string]store.Outcome) ScenarioBrief {
	b := ScenarioBrief{Name: h.Name, Revision: h.Number}
	if p.Scenario == nil { // not readable any more
		return b
	}
	spec := &p.Scenario.Value.(*document.Scenario).Spec
	b.Cluster, b.Workload, b.Note = spec.Cluster, spec.Workload, p.Scenario.Note()
	if o, ok := last[h.Name]; ok {
		brief := briefOf(o, 1)
		b.Last = &brief
		b.Current = len(p.Faults) == 0 && same(p.Inputs, brief.Inputs)
	}
	return b
}

// same reports whether two outcomes' inputs are the same but for run settings.
func same(a, b store.Inputs) bool {
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
	Body Scenario
}, error,
) {
	what := "scenario " + in.Name
	h, err := s.Store.Get(ctx, document.KindScenario, in.Name, 0)
	if err != nil {
		return nil, s.answer(err, what)
	}
	last, err := s.Store.LastDone(ctx)
	if err != nil {
		return nil, s.answer(err, what)
	}
	all, err := s.Queue.Library.PinAll(ctx, []store.Head{h})
	if err != nil {
		return nil, s.answer(err, what)
	}
	pinned := &all[0]
	if pinned.Scenario == nil {
		return nil, huma.Error409Conflict("the stored document can no longer be read; put it again")
	}
	out := Scenario{ScenarioBrief: briefly(h, pinned, last), Faults: []document.Fault{}, Templates: []TemplateBrief{}, Pools: []PoolBrief{}}
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
		Body Scenario
	}{etag(h.Number), out}, nil
}

// describe adds what a scenario's inputs come to.
func (s *server) describe(ctx context.Context, in store.Inputs, out *Scenario) (document.Faults, error) {
	w, faults, err := s.Queue.Library.Design(ctx, in)
	if err != nil || len(faults) > 0 {
		return faults, err
	}
	out.Currency = w.Currency
	brief := func(t template.Agent) TemplateBrief {
		return TemplateBrief{t.Name, t.Offers, t.Request.CPU.String(), t.Request.Memory.Short()}
	}
	for _, t := range w.Templates {
		out.Templates = append(out.Templates, brief(t.Agent))
	}
	for _, p := range w.Pools {
		out.Pools = append(out.Pools, PoolBrief{p.Name, p.Type, p.Room.CPU.String(), p.Room.Memory.Short(), p.Price.String(), p.Min, p.Max})
	}
	return nil, nil
}

// OutcomeBrief is an outcome without its result.
type OutcomeBrief struct {
	WorkBrief
	Digest  string       `json:"digest,omitempty" doc:"sha256 of the result."`
	Inputs  store.Inputs `json:"inputs" doc:"Exactly what it was computed from."`
	Summary *runs.Gist   `json:"summary,omitempty" doc:"Main figures, once it is done."`
}

func briefOf(o store.Outcome, progress float64) OutcomeBrief {
	work, in := workOf(o, progress)
	b := OutcomeBrief{WorkBrief: work, Digest: o.Digest, Inputs: in}
	var sum runs.Gist
	if o.State == store.Done && json.Unmarshal([]byte(o.Summary), &sum) == nil {
		b.Summary = &sum
	}
	return b
}
