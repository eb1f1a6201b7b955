package api

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"time"

	"tachyphor/internal/brief"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// written is a brief with its type, and that it may fetch and run nothing.
type written struct {
	ContentType string `header:"Content-Type"`
	Policy      string `header:"Content-Security-Policy"`
	Body        []byte
}

// briefMedia are the types of what a brief may be written as.
var briefMedia = map[string]string{"markdown": "text/markdown; charset=utf-8", "html": "text/html; charset=utf-8"}

func (s *server) briefOperations(api huma.API) {
	content := map[string]*huma.MediaType{}
	for _, m := range briefMedia {
		content[m] = &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString}}
	}
	huma.Register(api, huma.Operation{
		OperationID: "write-brief", Method: http.MethodGet, Path: "/api/v1/brief", Summary: "Write up what was found, for people who were not there",
		Description: "Of an exploration, a weighing, or one to six outcomes: question, answer, costs, how sure, what it rests on, the change, " +
			"what to watch; as Markdown, or as one HTML file without scripts and with nothing beside it.",
		Tags: []string{"briefs"}, Responses: map[string]*huma.Response{"200": {Description: "The brief.", Content: content}},
	}, s.brief)
}

func (s *server) brief(ctx context.Context, in *struct {
	IDs  []uint64 `query:"ids" required:"true" doc:"Number of an exploration or of a weighing, or of up to six outcomes; those are held against the first."`
	Form string   `query:"form" enum:"html,markdown" default:"html" doc:"What it is written as."`
},
) (*written, error) {
	if len(in.IDs) == 0 || len(in.IDs) > mostCompared {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("ids: give one to %d numbers, as in ids=3,5", mostCompared))
	}
	b, err := s.briefOf(ctx, in.IDs)
	if err != nil {
		return nil, err
	}
	var out bytes.Buffer
	if err := brief.Write(&out, in.Form, b); err != nil {
		return nil, s.answer(err, "brief")
	}
	return &written{briefMedia[in.Form], "default-src 'none'; style-src 'unsafe-inline'", out.Bytes()}, nil
}

func (s *server) briefOf(ctx context.Context, ids []uint64) (*brief.Brief, error) {
	first, err := s.Store.GetWork(ctx, everyKind, ids[0])
	if err != nil {
		return nil, s.answer(err, fmt.Sprintf("work %d", ids[0]))
	}
	if len(ids) > 1 && first.Kind != work.Simulation.Name {
		return nil, huma.Error422UnprocessableEntity("several numbers are for outcomes alone; give one")
	}
	about, err := s.about(ctx, first)
	if err != nil {
		return nil, err
	}
	switch first.Kind {
	case work.Exploring.Name:
		if first.State != wire.Done {
			return nil, explorations.notOver(first)
		}
		a, err := s.Queue.Explored(ctx, first.ID)
		if err == nil {
			about.Diff, err = brief.Changed(about.Named, a.Patch)
		}
		if err != nil {
			return nil, s.answer(err, explorations.what(first.ID))
		}
		return brief.OfExploration(a, about), nil
	case work.Weighing.Name:
		if first.State != wire.Done {
			return nil, weighings.notOver(first)
		}
		o, err := s.weighed(ctx, first.ID)
		if err != nil {
			return nil, err
		}
		if about.Diff, err = brief.ChangedTo(o, about.Named.Scenario); err != nil {
			return nil, s.answer(err, weighings.what(first.ID))
		}
		return brief.OfWeighing(o, about), nil
	case work.Simulation.Name:
		if about.Diff, err = brief.Changed(about.Named, inputsOf(first).Changes); err != nil {
			return nil, s.answer(err, outcomes.what(first.ID))
		}
		results, _, comparison, err := s.compared(ctx, ids)
		if err != nil {
			return nil, err
		}
		if len(ids) == 1 {
			return brief.OfOutcomes(results, nil, about), nil
		}
		return brief.OfOutcomes(results, &comparison, about), nil
	}
	return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("work %d is a %s; a brief is of an exploration, a weighing or outcomes", first.ID, first.Kind))
}

// about is what work is about: the documents as they were, without what was changed in them.
func (s *server) about(ctx context.Context, o store.Work) (brief.About, error) {
	in := inputsOf(o)
	in.Changes = nil
	about := brief.About{Now: time.Now()}
	if len(in.Documents) == 0 {
		return about, nil
	}
	input, faults, err := s.Queue.Library.Input(ctx, in, false)
	if err != nil {
		return about, s.answer(err, "documents")
	}
	if len(faults) > 0 {
		return about, refused(faults)
	}
	about.Named = input.Named
	for _, r := range in.Documents {
		about.Revisions = append(about.Revisions, fmt.Sprintf("%s %s, revision %d", r.Kind, r.Name, r.Revision))
	}
	return about, nil
}
