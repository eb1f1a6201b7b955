package api

import (
	"context"
	"net/http"
	"strings"

	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// mostFound is how much of each kind is found.
const mostFound = 12

func (s *server) findOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "find", Method: http.MethodGet, Path: "/api/v1/find", Summary: "Find documents and work by a part of their names, or by number",
		Tags: []string{"documents"},
	}, func(ctx context.Context, in *struct {
		Text string `query:"text" required:"true" minLength:"1" maxLength:"120" doc:"What is looked for."`
	},
	) (*struct{ Body wire.Found }, error) {
		text := strings.TrimSpace(in.Text)
		out := wire.Found{Documents: []wire.FoundDocument{}, Work: []wire.WorkBrief{}}
		if text == "" {
			return &struct{ Body wire.Found }{out}, nil
		}
		docs, err := s.Store.FindDocuments(ctx, text, mostFound)
		if err != nil {
			return nil, s.answer(err, "search")
		}
		for _, h := range docs {
			out.Documents = append(out.Documents, wire.FoundDocument{Kind: h.Kind, Name: h.Name, Revision: h.Number})
		}
		work, err := s.Store.FindWork(ctx, everyKind, text, mostFound)
		if err != nil {
			return nil, s.answer(err, "search")
		}
		for _, w := range work {
			out.Work = append(out.Work, s.toldTo(ctx, w))
		}
		return &struct{ Body wire.Found }{out}, nil
	})
}
