package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/shelf"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) whyOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "why", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/why", Summary: "Why a number of an outcome is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in.", Tags: []string{"outcomes"},
	}, s.why)
}

func (s *server) why(ctx context.Context, in *struct {
	WorkPath
	Of string `query:"of" required:"true" maxLength:"400" doc:"The number, as in group/class/lint/p95, cause/boot or bill/pool/burst."`
},
) (*struct{ Body wire.WhyNumber }, error) {
	o, result, err := s.done(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	why, ok := result.WhyOf(in.Of)
	if !ok {
		return nil, huma.Error404NotFound(outcomes.what(in.ID) + " has no number " + in.Of + "; its numbers are group/BY/NAME/FIGURE, cause/CAUSE and bill/...")
	}
	inputs := inputsOf(o)
	out := wire.WhyNumber{Why: why, Seed: result.Seed, Engine: result.Engine, Recording: inputs.Recording, Changed: len(inputs.Changes) > 0, Documents: []wire.WhyDocument{}}
	stored, err := s.Store.Revisions(ctx, inputs.Documents)
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	names := make([]shelf.Name, len(inputs.Documents))
	for i, r := range inputs.Documents {
		names[i] = shelf.Name{Kind: r.Kind, Name: r.Name}
	}
	newest, err := s.Store.Newest(ctx, names)
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	for _, r := range inputs.Documents {
		d := wire.WhyDocument{Ref: r}
		for _, h := range stored {
			if h.Kind == r.Kind && h.Name == r.Name && h.Number == r.Revision {
				d.Stored = h.At.UTC()
			}
		}
		for _, h := range newest {
			if h.Kind == r.Kind && h.Name == r.Name {
				d.Newest = h.Number
			}
		}
		out.Documents = append(out.Documents, d)
	}
	docs, err := s.Queue.Library.Pinned(ctx, inputs)
	if errors.As(err, new(document.Faults)) { // of an earlier version of the program
		return &struct{ Body wire.WhyNumber }{out}, nil
	}
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	for _, d := range docs {
		cluster, ok := d.Value.(*document.Cluster)
		if !ok {
			continue
		}
		for _, f := range doubt.Facts(&cluster.Spec, nil, time.Now()) {
			out.Facts++
			if f.Known == doubt.Measured {
				out.Measured++
			}
		}
	}
	return &struct{ Body wire.WhyNumber }{out}, nil
}
