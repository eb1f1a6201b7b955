package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/shelf"
	"tachyphor/internal/brief"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

var explorations = told{kinds: work.Names(&work.Exploring), name: "exploration", adds: func(q *work.Queue, o store.Work, b *wire.WorkBrief) {
	in := inputsOf(o)
	b.Exploration = &wire.ExplorationBrief{Aims: []string{}}
	if e := in.Explore; e != nil {
		b.Exploration.Sweep, b.Exploration.Own, b.Exploration.Least, b.Exploration.Runs = e.Sweep, e.Own, e.Spec.Least, e.Spec.Budget.Runs
		b.Exploration.On = e.On
		b.Exploration.Aims = append(b.Exploration.Aims, e.Spec.Aims...)
	}
	var gist wire.ExploreGist
	if o.State == wire.Done && json.Unmarshal([]byte(o.Gist), &gist) == nil {
		b.Exploration.Sentence, b.Exploration.Today, b.Exploration.Pods = gist.Sentence, gist.Today, gist.Pods
	}
	if !o.State.Over() {
		var s explore.Standing
		if q.Checkpoint(o, &s); s.Phase != "" {
			b.Exploration.Standing = &s
		}
	}
}}

func (s *server) explorationOperations(api huma.API) {
	tags := []string{"explorations"}
	huma.Register(api, huma.Operation{
		OperationID: "explore", Method: http.MethodPost, Path: "/api/v1/explorations", Summary: "Try variants of a scenario",
		Description: "Of a stored Sweep, or of a scenario's own numbers. All variants are run on the same draws; those that are surely " +
			"worse get no more repeats; what is recommended is tried on fresh draws. Runs that are known are not run again. The work is " +
			"taken on and done even if the service stops in between; watch it at the address that Location gives.",
		Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.explore)
	huma.Register(api, huma.Operation{
		OperationID: "get-exploration", Method: http.MethodGet, Path: "/api/v1/explorations/{id}", Summary: "Get an exploration", Tags: tags,
	}, s.getExploration)
	huma.Register(api, huma.Operation{
		OperationID: "get-variant", Method: http.MethodGet, Path: "/api/v1/explorations/{id}/variants/{variant}",
		Summary: "Get what makes a variant of its scenario", Tags: tags,
	}, s.getVariant)
	huma.Register(api, huma.Operation{
		OperationID: "simulate-variant", Method: http.MethodPost, Path: "/api/v1/explorations/{id}/variants/{variant}/outcome",
		Summary: "Simulate a variant, of the revisions that were explored", Tags: tags, DefaultStatus: http.StatusAccepted,
	}, s.simulateVariant)
	huma.Register(api, huma.Operation{
		OperationID: "make-scenario", Method: http.MethodPost, Path: "/api/v1/explorations/{id}/variants/{variant}/scenario",
		Summary: "Store a variant as a scenario of its own", Tags: tags,
		Description: "What else it changes is stored beside it under names of its own, so that whatever uses those stays as it is.",
	}, s.makeScenario)
}

// VariantPath names a variant of an exploration in an address.
type VariantPath struct {
	WorkPath
	Variant int `path:"variant" minimum:"0" maximum:"1000000" doc:"Its place in the list of variants, from 0."`
}

func (s *server) explore(ctx context.Context, in *struct{ Body wire.Explore }) (*accepted, error) {
	if (in.Body.Scenario == "") == (in.Body.Sweep == "") {
		return nil, huma.Error422UnprocessableEntity("give a sweep or a scenario, one of the two")
	}
	if in.Body.On != nil && !callerOf(ctx).May.May(wire.Operator) {
		return nil, s.forbidden(ctx, "explore", "explorations", wire.Operator)
	}
	o, faults, err := s.Queue.Explore(ctx, who(ctx), in.Body)
	what := "scenario " + in.Body.Scenario
	if in.Body.Sweep != "" {
		what = "sweep " + in.Body.Sweep
	}
	if err := s.unexplored(faults, err, what); err != nil {
		return nil, err
	}
	return s.accept(o), nil
}

// unexplored says why something was not explored; nil: it was.
func (s *server) unexplored(faults document.Faults, err error, what string) error {
	switch {
	case errors.Is(err, work.ErrExplore):
		return huma.Error422UnprocessableEntity(strings.TrimPrefix(err.Error(), work.ErrExplore.Error()+": "))
	case err != nil:
		return s.answer(err, what)
	case len(faults) > 0:
		return refused(faults)
	}
	return nil
}

func (s *server) getExploration(ctx context.Context, in *WorkPath) (*struct{ Body wire.KeptExploration }, error) {
	o, err := explorations.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	out := wire.KeptExploration{WorkBrief: inBrief(s.Queue, o)}
	if o.State == wire.Done {
		if out.Result, err = s.Queue.Explored(ctx, in.ID); err != nil {
			return nil, s.answer(err, explorations.what(in.ID))
		}
	}
	return &struct{ Body wire.KeptExploration }{out}, nil
}

// explored returns an exploration that is done.
func (s *server) explored(ctx context.Context, id uint64) (store.Work, error) {
	o, err := explorations.get(ctx, s, id)
	if err == nil && o.State != wire.Done {
		err = explorations.notOver(o)
	}
	return o, err
}

// variant is a variant with the documents that it is made of.
func (s *server) variant(ctx context.Context, in *VariantPath) (*explore.Answer, shelf.Named, []document.Changes, error) {
	o, err := s.explored(ctx, in.ID)
	if err != nil {
		return nil, shelf.Named{}, nil, err
	}
	a, inputs, err := s.Queue.Variant(ctx, o, in.Variant)
	if err != nil {
		return nil, shelf.Named{}, nil, s.unexplored(nil, err, explorations.what(in.ID))
	}
	changes := inputs.Changes
	inputs.Changes = nil
	input, faults, err := s.Queue.Library.Input(ctx, inputs, false)
	return a, input.Named, changes, s.unexplored(faults, err, explorations.what(in.ID))
}

func (s *server) getVariant(ctx context.Context, in *VariantPath) (*struct{ Body wire.VariantChanges }, error) {
	a, named, changes, err := s.variant(ctx, in)
	if err != nil {
		return nil, err
	}
	out := wire.VariantChanges{Change: a.Variants[in.Variant].Change, Changes: changes}
	if out.Diff, err = brief.Changed(named, changes); err != nil {
		return nil, s.answer(err, explorations.what(in.ID))
	}
	if out.Own, err = explore.Own(named, changes, explore.BetterName(named.Scenario.Name)); err != nil {
		return nil, s.answer(err, explorations.what(in.ID))
	}
	return &struct{ Body wire.VariantChanges }{out}, nil
}

func (s *server) simulateVariant(ctx context.Context, in *VariantPath) (*accepted, error) {
	o, err := s.explored(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	sim, faults, err := s.Queue.SimulateVariant(ctx, o, in.Variant, who(ctx))
	if err := s.unexplored(faults, err, explorations.what(in.ID)); err != nil {
		return nil, err
	}
	return s.accept(sim), nil
}

func (s *server) makeScenario(ctx context.Context, in *struct {
	VariantPath
	Body wire.VariantOfItsOwn
},
) (*struct{ Body wire.StoredList }, error) {
	_, named, changes, err := s.variant(ctx, &in.VariantPath)
	if err != nil {
		return nil, err
	}
	text, err := explore.Own(named, changes, in.Body.Name)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	docs, faults := document.Parse(in.Body.Name, []byte(text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	items, err := s.storeAll(ctx, docs, -1) // none of them may be there
	if errors.Is(err, store.ErrConflict) {
		return nil, huma.Error409Conflict("there is a document of that name, or of one that goes with it; choose another name than " + in.Body.Name)
	}
	if err != nil {
		return nil, s.answer(err, "document")
	}
	return &struct{ Body wire.StoredList }{wire.StoredList{Items: items}}, nil
}
