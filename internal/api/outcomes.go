package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/template"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// KeptOutcome is an outcome with its result.
type KeptOutcome struct {
	OutcomeBrief
	Result *outcome.Outcome `json:"result,omitempty" doc:"The result, once it is done."`
}

// OutcomePage is a page of outcomes.
type OutcomePage struct {
	Items []OutcomeBrief `json:"items" doc:"Outcomes, newest first."`
	Next  uint64         `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// OutcomePath names an outcome in an address.
type OutcomePath struct {
	ID uint64 `path:"id" minimum:"1" doc:"Number of the outcome."`
}

func (p OutcomePath) what() string { return "outcome " + strconv.FormatUint(p.ID, 10) }

func (s *server) outcomeOperations(api huma.API) {
	tags := []string{"outcomes"}
	huma.Register(api, huma.Operation{
		OperationID: "simulate", Method: http.MethodPost, Path: "/api/v1/outcomes", Summary: "Simulate a scenario",
		Description: "The simulation is taken on and done even if the service stops in between. Watch it at the address that Location gives.",
		Tags:        tags, DefaultStatus: http.StatusAccepted,
	}, s.simulate)
	huma.Register(api, huma.Operation{
		OperationID: "list-outcomes", Method: http.MethodGet, Path: "/api/v1/outcomes", Summary: "List outcomes, newest first", Tags: tags,
	}, s.listOutcomes)
	huma.Register(api, huma.Operation{
		OperationID: "get-outcome", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}", Summary: "Get an outcome", Tags: tags,
	}, s.getOutcome)
	huma.Register(api, huma.Operation{
		OperationID: "cancel-outcome", Method: http.MethodPost, Path: "/api/v1/outcomes/{id}/cancel", Summary: "Cancel a simulation", Tags: tags,
	}, func(ctx context.Context, in *OutcomePath) (*struct{ Body OutcomeBrief }, error) {
		o, err := s.Queue.Cancel(ctx, store.Simulating, in.ID)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		return &struct{ Body OutcomeBrief }{briefOf(o, s.Queue.Progress(o))}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "drop-outcome", Method: http.MethodDelete, Path: "/api/v1/outcomes/{id}", Summary: "Take an outcome away that is over, with its jobs", Tags: tags,
	}, func(ctx context.Context, in *OutcomePath) (*struct{}, error) {
		err := s.Queue.Drop(ctx, store.Simulating, in.ID)
		if errors.Is(err, store.ErrConflict) {
			return nil, huma.Error409Conflict(in.what() + " is not over; cancel it first")
		}
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		return nil, nil
	})
	sse.Register(api, huma.Operation{
		OperationID: "watch-outcome", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/progress", Summary: "Watch a simulation, as server-sent events", Tags: tags,
	}, map[string]any{"progress": OutcomeBrief{}}, s.watchOutcome)
	huma.Register(api, huma.Operation{
		OperationID: "explain-job", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/jobs/{job}", Summary: "Explain one job of the first repeat", Tags: tags,
	}, s.explainJob)
	huma.Register(api, huma.Operation{
		OperationID: "compare", Method: http.MethodGet, Path: "/api/v1/compare", Summary: "Hold outcomes beside each other", Tags: tags,
	}, s.compare)
}

func (s *server) simulate(ctx context.Context, in *struct {
	Body struct {
		Scenario string          `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
		Seed     *uint64         `json:"seed,omitempty" doc:"Another seed than the scenario's."`
		Repeats  *int            `json:"repeats,omitempty" minimum:"1" maximum:"1000" doc:"Another number of repeats."`
		Changes  []store.Changes `json:"changes,omitempty" maxItems:"100" doc:"Changes to make first in documents that the scenario uses; what is stored stays as it is."`
	}
}) (*struct {
	Location string `header:"Location"`
	Body     OutcomeBrief
}, error,
) {
	o, faults, err := s.Queue.Ask(ctx, in.Body.Scenario, who(ctx), in.Body.Seed, in.Body.Repeats, in.Body.Changes)
	if errors.Is(err, runs.ErrChanges) {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	if err != nil {
		return nil, s.answer(err, "scenario "+in.Body.Scenario)
	}
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	return &struct {
		Location string `header:"Location"`
		Body     OutcomeBrief
	}{fmt.Sprintf("/api/v1/outcomes/%d", o.ID), briefOf(o, 0)}, nil
}

func (s *server) listOutcomes(ctx context.Context, in *struct {
	Scenario string `query:"scenario" maxLength:"63" doc:"Only of this scenario."`
	Cursor   uint64 `query:"cursor" doc:"Where to go on."`
	Limit    int    `query:"limit" minimum:"1" maximum:"100" default:"50" doc:"Most entries."`
},
) (*struct{ Body OutcomePage }, error) {
	list, err := s.Store.ListOutcomes(ctx, store.Simulating, in.Scenario, in.Cursor, in.Limit+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := OutcomePage{Items: []OutcomeBrief{}}
	for i, o := range list {
		if i == in.Limit {
			page.Next = list[i-1].ID
			break
		}
		page.Items = append(page.Items, briefOf(o, s.Queue.Progress(o)))
	}
	return &struct{ Body OutcomePage }{page}, nil
}

// load returns an outcome and, once it is done, its result.
func (s *server) load(ctx context.Context, id uint64) (store.Outcome, *outcome.Outcome, error) {
	o, err := s.Store.GetOutcome(ctx, store.Simulating, id)
	if err != nil || o.State != store.Done {
		return o, nil, err
	}
	raw, err := s.Queue.Result(ctx, id)
	if err != nil {
		return o, nil, err
	}
	result := new(outcome.Outcome)
	err = json.Unmarshal(raw, result)
	result.Fill()
	return o, result, err
}

func (s *server) getOutcome(ctx context.Context, in *struct {
	OutcomePath
	Samples bool `query:"samples" doc:"With the exact figures of each repeat."`
},
) (*struct{ Body KeptOutcome }, error) {
	o, result, err := s.load(ctx, in.ID)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	if result != nil && !in.Samples {
		result.Samples = nil
	}
	return &struct{ Body KeptOutcome }{KeptOutcome{briefOf(o, s.Queue.Progress(o)), result}}, nil
}

// watchEvery is how often progress is looked at for those who watch.
const watchEvery = 150 * time.Millisecond

func (s *server) watchOutcome(ctx context.Context, in *OutcomePath, send sse.Sender) {
	watchWork(ctx, s, store.Simulating, in.ID, in.what(), send, briefOf)
}

// watchWork sends what changes of long work until it is over.
func watchWork[T any](ctx context.Context, s *server, work store.Work, id uint64, what string, send sse.Sender, brief func(store.Outcome, float64) T) {
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	last, state := -1.0, store.State("")
	for {
		o, err := s.Store.GetOutcome(ctx, work, id)
		switch {
		case errors.Is(err, store.ErrNotFound):
			_ = send.Data(brief(store.Outcome{ID: id, State: store.Failed, Error: "there is no " + what}, 0))
			return
		case err == nil:
			if done := s.Queue.Progress(o); done != last || o.State != state {
				if send.Data(brief(o, done)) != nil {
					return
				}
				last, state = done, o.State
			}
			if o.State.Over() {
				return
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// done returns a finished outcome, or why it is none.
func (s *server) done(ctx context.Context, p OutcomePath) (store.Outcome, *outcome.Outcome, error) {
	o, result, err := s.load(ctx, p.ID)
	if err != nil {
		return o, nil, s.answer(err, p.what())
	}
	if result == nil {
		return o, nil, notOver(p, o)
	}
	return o, result, nil
}

// notOver says that an outcome has no result to look into.
func notOver(p OutcomePath, o store.Outcome) error {
	return huma.Error409Conflict(p.what() + " is " + string(o.State) + "; only a finished one can be looked into")
}

func (s *server) explainJob(ctx context.Context, in *struct {
	OutcomePath
	Job string `path:"job" maxLength:"200" doc:"Id of the job."`
},
) (*struct{ Body outcome.Explanation }, error) {
	o, result, err := s.done(ctx, in.OutcomePath)
	if err != nil {
		return nil, err
	}
	if result.Engine != outcome.Engine {
		return nil, huma.Error409Conflict("the outcome is of an earlier engine; simulate the scenario again to have its jobs explained")
	}
	t, err := s.Queue.Trace(ctx, o)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	j, ok := t.Jobs.Find(in.Job)
	if !ok {
		return nil, huma.Error404NotFound(in.what() + " has no job " + in.Job + "; its slowest jobs are listed with it")
	}
	return &struct{ Body outcome.Explanation }{outcome.Explain(t, j)}, nil
}

// mostCompared is how many outcomes may be held beside each other.
const mostCompared = 6

func (s *server) compare(ctx context.Context, in *struct {
	IDs []uint64 `query:"ids" required:"true" doc:"Numbers of two to six outcomes; differences are against the first."`
},
) (*struct{ Body ComparedOutcomes }, error) {
	if len(in.IDs) < 2 || len(in.IDs) > mostCompared {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("ids: give two to %d outcomes, as in ids=3,5", mostCompared))
	}
	var (
		results []*outcome.Outcome
		designs [][]byte
		demands []string
		out     ComparedOutcomes
	)
	for _, id := range in.IDs {
		o, result, err := s.done(ctx, OutcomePath{id})
		if err != nil {
			return nil, err
		}
		brief := briefOf(o, 1)
		design, demand, err := s.designOf(ctx, brief.Inputs)
		if err != nil {
			return nil, s.answer(err, "outcome's documents")
		}
		if result.Engine != outcome.Engine {
			return nil, huma.Error409Conflict(fmt.Sprintf("outcome %d is of an earlier engine, whose figures mean other things; simulate %s again", id, result.Scenario))
		}
		if len(brief.Inputs.Changes) > 0 {
			result.Scenario += ", changed"
		}
		results, designs, demands = append(results, result), append(designs, design), append(demands, demand)
		out.Outcomes = append(out.Outcomes, Compared{brief, result.Groups})
	}
	out.Comparison = outcome.Compare(results, designs, demands)
	return &struct{ Body ComparedOutcomes }{out}, nil
}

// ComparedOutcomes holds outcomes beside each other, with what pictures need.
type ComparedOutcomes struct {
	outcome.Comparison
	Outcomes []Compared `json:"outcomes" doc:"The outcomes, in order."`
}

// Compared is one outcome of a comparison.
type Compared struct {
	OutcomeBrief
	Groups []outcome.Group `json:"groups" doc:"How its jobs fared."`
}

// designOf returns the scenario that was simulated as JSON, with what the agents of
// its templates request, and what names its
// jobs.
func (s *server) designOf(ctx context.Context, in store.Inputs) (design []byte, demand string, err error) {
	var jobs []string
	requests := map[string]template.Request{}
	var scenario any
	for _, r := range in.Documents {
		switch r.Kind {
		case document.KindWorkload:
			h, err := s.Store.Get(ctx, r.Kind, r.Name, r.Revision)
			if err != nil {
				return nil, "", err
			}
			jobs = append(jobs, h.Digest)
		case document.KindScenario, document.KindPodTemplate:
			d, err := s.Queue.Library.Changed(ctx, r, in)
			if err != nil {
				return nil, "", err
			}
			if r.Kind == document.KindScenario {
				scenario = d.Value // with defaults filled in
				continue
			}
			agent, _ := template.Read(d)
			requests[r.Name] = agent.Request
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
