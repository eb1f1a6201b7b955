package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/template"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var outcomes = told{kinds: work.Names(&work.Simulation), name: "outcome", adds: func(_ *work.Queue, o store.Work, b *wire.WorkBrief) {
	b.Simulation = &wire.SimulationBrief{Digest: o.Digest, Inputs: inputsOf(o)}
	var sum wire.Gist
	if o.State == wire.Done && json.Unmarshal([]byte(o.Gist), &sum) == nil {
		b.Simulation.Summary = &sum
	}
}}

func (s *server) outcomeOperations(api huma.API) {
	tags := []string{"outcomes"}
	huma.Register(api, huma.Operation{
		OperationID: "simulate", Method: http.MethodPost, Path: "/api/v1/outcomes", Summary: "Simulate a scenario",
		Description: "The simulation is taken on and done even if the service stops in between. Watch it at the address that Location gives.",
		Tags:        tags, DefaultStatus: http.StatusAccepted,
	}, s.simulate)
	huma.Register(api, huma.Operation{
		OperationID: "get-outcome", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}", Summary: "Get an outcome", Tags: tags,
	}, s.getOutcome)
	huma.Register(api, huma.Operation{
		OperationID: "explain-job", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/jobs/{job}",
		Summary: "Explain one job of the first repeat", Tags: tags,
	}, s.explainJob)
	huma.Register(api, huma.Operation{
		OperationID: "compare", Method: http.MethodGet, Path: "/api/v1/compare", Summary: "Compare outcomes", Tags: tags,
	}, s.compare)
}

func (s *server) simulate(ctx context.Context, in *struct {
	Body struct {
		Scenario string `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
		wire.Run
	}
},
) (*accepted, error) {
	o, faults, err := s.Queue.Simulate(ctx, in.Body.Scenario, who(ctx), in.Body.Run)
	if errors.Is(err, shelf.ErrChanges) {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	if err != nil {
		return nil, s.answer(err, "scenario "+in.Body.Scenario)
	}
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	return s.accept(o), nil
}

// load returns an outcome and, once it is done, its result.
func (s *server) load(ctx context.Context, id uint64) (store.Work, *outcome.Outcome, error) {
	o, err := s.Store.GetWork(ctx, outcomes.kinds, id)
	if err != nil || o.State != wire.Done {
		return o, nil, err
	}
	result, err := s.Queue.Outcome(ctx, id)
	return o, result, err
}

func (s *server) getOutcome(ctx context.Context, in *struct {
	WorkPath
	Samples bool `query:"samples" doc:"With the exact figures of each repeat."`
},
) (*struct{ Body wire.KeptOutcome }, error) {
	o, result, err := s.load(ctx, in.ID)
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	if result != nil && !in.Samples {
		result.Samples, result.Alike = nil, nil
	}
	return &struct{ Body wire.KeptOutcome }{wire.KeptOutcome{WorkBrief: inBrief(s.Queue, o), Result: result}}, nil
}

// done returns a finished outcome, or why it is none.
func (s *server) done(ctx context.Context, id uint64) (store.Work, *outcome.Outcome, error) {
	o, result, err := s.load(ctx, id)
	if err != nil {
		return o, nil, s.answer(err, outcomes.what(id))
	}
	if result == nil {
		return o, nil, outcomes.notOver(o)
	}
	return o, result, nil
}

func (s *server) explainJob(ctx context.Context, in *struct {
	WorkPath
	Job string `path:"job" maxLength:"200" doc:"Id of the job."`
},
) (*struct{ Body outcome.Explanation }, error) {
	o, result, err := s.done(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if result.Engine != outcome.Engine {
		return nil, huma.Error409Conflict("the outcome is of an earlier engine; simulate the scenario again to have its jobs explained")
	}
	t, err := s.Queue.Trace(ctx, o)
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	j, ok := t.Jobs.Find(in.Job)
	if !ok {
		return nil, huma.Error404NotFound(outcomes.what(in.ID) + " has no job " + in.Job + "; its slowest jobs are listed with it")
	}
	return &struct{ Body outcome.Explanation }{outcome.Explain(t, j)}, nil
}

// mostCompared is how many outcomes may be held beside each other.
const mostCompared = 6

func (s *server) compare(ctx context.Context, in *struct {
	IDs []uint64 `query:"ids" required:"true" doc:"Numbers of two to six outcomes; differences are against the first."`
},
) (*struct{ Body wire.ComparedOutcomes }, error) {
	if len(in.IDs) < 2 || len(in.IDs) > mostCompared {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("ids: give two to %d outcomes, as in ids=3,5", mostCompared))
	}
	results, works, comparison, err := s.compared(ctx, in.IDs)
	if err != nil {
		return nil, err
	}
	out := wire.ComparedOutcomes{Comparison: comparison}
	for i, o := range works {
		out.Outcomes = append(out.Outcomes, wire.Compared{WorkBrief: inBrief(s.Queue, o), Groups: results[i].Groups})
	}
	return &struct{ Body wire.ComparedOutcomes }{out}, nil
}

// compared holds finished outcomes beside each other.
func (s *server) compared(ctx context.Context, ids []uint64) (results []*outcome.Outcome, works []store.Work, c outcome.Comparison, err error) {
	var (
		designs [][]byte
		demands []string
	)
	for _, id := range ids {
		o, result, err := s.done(ctx, id)
		if err != nil {
			return nil, nil, c, err
		}
		inputs := inputsOf(o)
		design, demand, err := s.designOf(ctx, inputs)
		if err != nil {
			return nil, nil, c, s.answer(err, "outcome's documents")
		}
		if result.Engine != outcome.Engine {
			return nil, nil, c, huma.Error409Conflict(fmt.Sprintf("outcome %d is of an earlier engine, whose figures mean other things; "+
				"simulate %s again", id, result.Scenario))
		}
		if len(inputs.Changes) > 0 {
			result.Scenario += ", changed"
		}
		results, works, designs, demands = append(results, result), append(works, o), append(designs, design), append(demands, demand)
	}
	return results, works, outcome.Compare(results, designs, demands), nil
}

// designOf returns the scenario that was simulated as JSON, with what the agents of
// its templates request, and what names its
// jobs.
func (s *server) designOf(ctx context.Context, in wire.Inputs) (design []byte, demand string, err error) {
	var jobs []string
	requests := map[string]template.Request{}
	var scenario any
	docs, err := s.Queue.Library.Pinned(ctx, in)
	if err != nil {
		return nil, "", err
	}
	for _, d := range docs {
		switch d.Kind {
		case document.KindWorkload:
			jobs = append(jobs, d.Digest)
		case document.KindScenario:
			scenario = d.Value // with defaults filled in
		case document.KindPodTemplate:
			agent, _ := template.Read(d)
			requests[d.Name] = agent.Request
		}
	}
	if design, err = json.Marshal(scenario); err != nil {
		return nil, "", err
	}
	var fields map[string]any
	if err = json.Unmarshal(design, &fields); err != nil || fields == nil {
		return design, "", err
	}
	if spec, ok := fields["spec"].(map[string]any); ok {
		spec["requests"] = requests
	}
	if design, err = json.Marshal(fields); err != nil {
		return nil, "", err
	}
	return design, strings.Join(append(jobs, in.Recording), " "), nil
}
