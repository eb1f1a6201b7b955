package api

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) whyOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "why", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/why", Summary: "Why a number of an outcome is what it is",
		Description: "What it is, how it is made, how sure it is, and which documents and facts went in. Of metric/KEY, with the keys of " +
			"compare, also how it differs from another outcome's.", Tags: []string{"outcomes"},
	}, s.why)
}

func (s *server) why(ctx context.Context, in *struct {
	WorkPath
	Of      string `query:"of" required:"true" maxLength:"400" doc:"The number, as in group/class/lint/p95, cause/boot, bill/pool/burst or metric/delay-p95."`
	Against uint64 `query:"against" doc:"With metric/KEY: another outcome, from which the difference is taken."`
},
) (*struct{ Body wire.WhyNumber }, error) {
	o, result, err := s.done(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	var why outcome.Why
	ok := false
	var other []wire.Ref // that went into the other outcome alone
	inputs := inputsOf(o)
	if key, compared := strings.CutPrefix(in.Of, "metric/"); compared {
		ids := []uint64{in.ID}
		if in.Against != 0 {
			ids = []uint64{in.Against, in.ID}
		}
		results, works, c, err := s.compared(ctx, ids)
		if err != nil {
			return nil, err
		}
		why, ok = c.WhyOf(results, key, len(ids)-1)
		if in.Against != 0 {
			for _, r := range inputsOf(works[0]).Documents {
				if !slices.Contains(inputs.Documents, r) {
					other = append(other, r)
				}
			}
		}
	} else if in.Against != 0 {
		return nil, huma.Error422UnprocessableEntity("against: only a number metric/KEY is compared; leave it out, or ask for one of those")
	} else {
		why, ok = result.WhyOf(in.Of)
	}
	if !ok {
		return nil, huma.Error404NotFound(outcomes.what(in.ID) + " has no number " + in.Of + "; its numbers are group/BY/NAME/FIGURE, cause/CAUSE, bill/... and metric/KEY")
	}
	out := wire.WhyNumber{
		Why: why, Seed: result.Seed, Engine: result.Engine, Recording: inputs.Recording, Changed: len(inputs.Changes) > 0, Documents: []wire.WhyDocument{},
		Other: other,
	}
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
