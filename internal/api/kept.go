package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// held are tables in the words of people.
var held = map[string]string{
	"blocks": "jobs of outcomes", "results": "results", "work": "outcomes and other work", "pieces": "recordings", "recordings": "heads of recordings",
	"tried": "runs of explorations", "revisions": "documents", "documents": "heads of documents", "runs": "usage", "intakes": "intakes of usage",
	"live_runs": "live records", "heard": "messages of live records", "deeds": "audit", "tokens": "tokens and sessions", "people": "people",
	"followed": "followed scenarios", "nights": "days of followed scenarios", "notices": "events to be told", "table_versions": "steps of the tables",
}

func (s *server) recordOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "get-kept", Method: http.MethodGet, Path: "/api/v1/kept", Summary: "Show what is kept and how much, what is deleted soon, and the state of backups",
		Tags: []string{"records"},
	}, s.getKept)
	huma.Register(api, huma.Operation{
		OperationID: "back-up", Method: http.MethodGet, Path: "/api/v1/backup", Summary: "A backup of all records, of one moment",
		Description: "An answer that breaks off is not a backup: a whole one ends with its digests. `tachyphor restore` reads it.",
		Tags:        []string{"records"},
		Responses: map[string]*huma.Response{"200": {
			Description: "The file.", Content: map[string]*huma.MediaType{"application/zip": {Schema: &huma.Schema{Type: "string", Format: "binary"}}},
		}},
	}, s.backUp)
	huma.Register(api, huma.Operation{
		OperationID: "keep-work", Method: http.MethodPatch, Path: "/api/v1/work/{id}", Summary: "Name or pin work, so that its result is kept",
		Tags: []string{"work"},
	}, func(ctx context.Context, in *struct {
		WorkOfKind
		Body wire.KeepWork
	},
	) (*struct{ Body wire.WorkBrief }, error) {
		o, err := s.Store.KeepWork(ctx, in.names(), in.ID, in.Body.Called, in.Body.Pinned)
		if err != nil {
			return nil, s.answer(err, in.what())
		}
		return &struct{ Body wire.WorkBrief }{s.toldTo(ctx, o)}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "drop-recording", Method: http.MethodDelete, Path: "/api/v1/recordings/{digest}", Summary: "Drop a recording that nothing names",
		Tags: []string{"documents"}, DefaultStatus: http.StatusNoContent,
	}, func(ctx context.Context, in *struct {
		Digest string `path:"digest" pattern:"^[0-9a-f]{64}$" doc:"Digest of the recording."`
	},
	) (*struct{}, error) {
		err := s.Store.DropRecording(ctx, in.Digest)
		var named store.InUse
		if errors.As(err, &named) {
			return nil, huma.Error409Conflict("the recording is named by " + named.By + "; drop or change that first")
		}
		return nil, s.answer(err, "recording "+in.Digest)
	})
}

func (s *server) getKept(ctx context.Context, in *struct {
	Days int `query:"days" minimum:"0" maximum:"400" default:"7" doc:"What goes within so many days."`
},
) (*struct{ Body wire.Kept }, error) {
	sizes, err := s.Store.Sizes(ctx)
	if err != nil {
		return nil, s.answer(err, "sizes")
	}
	going, err := s.Store.WillGo(ctx, s.Retention, time.Now().UTC().AddDate(0, 0, in.Days), work.Names(&work.Preflight, &work.Rehearsal))
	if err != nil {
		return nil, s.answer(err, "what goes")
	}
	out := wire.Kept{Tables: []wire.KeptTable{}, Going: []wire.Going{}, Backups: s.Backups()}
	for _, x := range sizes {
		name := held[x.Table]
		if name == "" {
			name = x.Table
		}
		out.Bytes += x.Bytes
		out.Tables = append(out.Tables, wire.KeptTable{Name: name, Rows: x.Rows, Bytes: x.Bytes})
	}
	for _, x := range []struct {
		kind string
		long time.Duration
	}{
		{"outcomes", s.Retention.Outcomes},
		{"trials", s.Retention.Trials},
		{"revisions", s.Retention.Revisions},
		{"recordings", s.Retention.Recordings},
		{"audit", s.Retention.Audit},
		{"live", s.LiveAge},
	} {
		out.Terms = append(out.Terms, wire.KeptTerm{Kind: x.kind, Days: int(x.long / (24 * time.Hour))})
	}
	for _, g := range going {
		if g.IDs == nil {
			g.IDs = []uint64{}
		}
		out.Going = append(out.Going, wire.Going{Kind: g.Kind, Count: g.Count, Bytes: g.Bytes, IDs: g.IDs})
	}
	return &struct{ Body wire.Kept }{out}, nil
}

func (s *server) backUp(ctx context.Context, _ *struct{}) (*huma.StreamResponse, error) {
	if err := s.Store.Note(ctx, done(callerOf(ctx).deed("back-up", "all records"))); err != nil {
		return nil, s.answer(err, "backup")
	}
	return &huma.StreamResponse{Body: func(h huma.Context) {
		h.SetHeader("Content-Type", "application/zip")
		h.SetHeader("Content-Disposition", `attachment; filename="tachyphor.backup"`)
		if err := s.Backup(h.Context(), h.BodyWriter()); err != nil {
			s.Log.Error("a backup was cut short", "error", err)
			brokeOff(h.Context())
		}
	}}, nil
}

// done is a deed that was.
func done(d store.Deed) store.Deed {
	d.Result = store.Done
	return d
}
