package api

import (
	"context"
	"encoding/csv"
	"net/http"
	"strconv"
	"time"

	"tachyphor/core/table"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// auditAtOnce is how many lines of the audit a page has at most.
const auditAtOnce = 500

// WhichDeeds asks for some of the audit.
type WhichDeeds struct {
	Who    string    `query:"who" maxLength:"63" doc:"Only what this one did."`
	What   string    `query:"what" maxLength:"48" doc:"Only this operation, by its id."`
	Result string    `query:"result" enum:"done,refused" doc:"Only what was done, or refused."`
	From   time.Time `query:"from" doc:"Only from this moment on."`
	Until  time.Time `query:"until" doc:"Only before this moment."`
}

func (w WhichDeeds) which() store.Which {
	return store.Which{Who: w.Who, What: w.What, Result: w.Result, From: w.From, Until: w.Until}
}

func (s *server) auditOperations(api huma.API) {
	tags := []string{"people"}
	huma.Register(api, huma.Operation{
		OperationID: "list-deeds", Method: http.MethodGet, Path: "/api/v1/audit", Summary: "List who changed what, newest first", Tags: tags,
	}, s.listDeeds)
	huma.Register(api, huma.Operation{
		OperationID: "export-deeds", Method: http.MethodGet, Path: "/api/v1/audit/export", Summary: "Export who changed what as CSV, newest first", Tags: tags,
		Responses: map[string]*huma.Response{"200": {
			Description: "The file.", Content: map[string]*huma.MediaType{"text/csv": {Schema: &huma.Schema{Type: "string"}}},
		}},
	}, s.exportDeeds)
}

func deedOf(d store.Deed) wire.Deed {
	return wire.Deed{ID: d.ID, At: d.At, Who: d.Who, Role: d.Role, Via: d.Via, From: d.From, What: d.What, On: d.On, Result: d.Result, Said: d.Said}
}

func (s *server) listDeeds(ctx context.Context, in *struct {
	WhichDeeds
	Before uint64 `query:"before" doc:"Only lines before this one, as next gives it."`
	Limit  int    `query:"limit" minimum:"1" maximum:"500" default:"100" doc:"How many lines at most."`
},
) (*struct{ Body wire.Audit }, error) {
	w := in.which()
	w.Before = in.Before
	list, err := s.Store.Deeds(ctx, w, in.Limit+1)
	if err != nil {
		return nil, s.answer(err, "audit")
	}
	out := wire.Audit{Items: []wire.Deed{}}
	for i, d := range list {
		if i == in.Limit {
			out.Next = strconv.FormatUint(list[i-1].ID, 10)
			break
		}
		out.Items = append(out.Items, deedOf(d))
	}
	return &struct{ Body wire.Audit }{out}, nil
}

func (s *server) exportDeeds(_ context.Context, in *WhichDeeds) (*huma.StreamResponse, error) {
	return &huma.StreamResponse{Body: func(h huma.Context) {
		ctx := h.Context()
		h.SetHeader("Content-Type", "text/csv; charset=utf-8")
		h.SetHeader("Content-Disposition", `attachment; filename="audit.csv"`)
		w := csv.NewWriter(h.BodyWriter())
		_ = w.Write([]string{"id", "at", "who", "role", "via", "from", "what", "on", "result", "said"})
		for page := in.which(); ; {
			list, err := s.Store.Deeds(ctx, page, auditAtOnce)
			if err != nil {
				s.Log.Warn("the audit's export was cut short", "error", err)
				brokeOff(ctx)
				return
			}
			for _, d := range list {
				_ = w.Write([]string{
					strconv.FormatUint(d.ID, 10), d.At.Format(toMillis), table.Cell(d.Who), string(d.Role), table.Cell(d.Via), d.From, d.What, table.Cell(d.On), d.Result, table.Cell(d.Said),
				})
				page.Before = d.ID
			}
			w.Flush()
			if len(list) < auditAtOnce || w.Error() != nil || ctx.Err() != nil {
				return
			}
		}
	}}, nil
}
