package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"tachyphor/core/document"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func fromHead(h store.Head, text bool) wire.Document {
	d := wire.Document{Kind: h.Kind, Name: h.Name, Revision: h.Number, Digest: h.Digest, Stored: h.At, By: h.By}
	if text {
		d.Text = h.Text
	}
	return d
}

// unreadable says that a stored document is none by today's rules.
func unreadable() error {
	return huma.Error409Conflict("the stored document can no longer be read; put it again")
}

// storedAs says what was done with a document.
func storedAs(d *document.Document, number int, change store.Change) wire.Stored {
	out := wire.Stored{Kind: d.Kind, Name: d.Name, Revision: number, Change: string(change), Left: d.Lift.Left}
	if d.Lift.From != d.Kind {
		out.From = d.Lift.From
	}
	return out
}

type documentOutput struct {
	ETag string `header:"ETag"`
	Body wire.Document
}

type storedOutput struct {
	ETag string `header:"ETag"`
	Body wire.Stored
}

// etag names a revision for If-Match.
func etag(revision int) string { return `"r` + strconv.Itoa(revision) + `"` }

// ifMatch reads an If-Match header: 0 when absent, −1 for one that no revision has.
func ifMatch(header string) (int, error) {
	if header == "" || header == "*" {
		return 0, nil
	}
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimPrefix(header, `"r`), `"`))
	if err != nil || n < 1 {
		return 0, huma.Error400BadRequest("If-Match must be an ETag of this document, as in " + etag(3))
	}
	return n, nil
}

// DocumentPath names a document in an address.
type DocumentPath struct {
	Kind string `path:"kind" enum:"PodTemplate,Cluster,Workload,Scenario,Sweep" doc:"Kind of the document."`
	Name string `path:"name" maxLength:"63" doc:"Name of the document."`
}

func (p DocumentPath) what() string { return p.Kind + " " + p.Name }

func (s *server) documentOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "list-documents", Method: http.MethodGet, Path: "/api/v1/documents", Summary: "List documents", Tags: []string{"documents"},
	}, s.listDocuments)
	huma.Register(api, huma.Operation{
		OperationID: "put-documents", Method: http.MethodPost, Path: "/api/v1/documents", Summary: "Store documents, all or none",
		Description: "The body is a stream of documents in YAML or JSON. With any fault nothing is stored and every fault is reported.",
		Tags:        []string{"documents"}, MaxBodyBytes: document.MaxBytes + 1,
	}, s.putDocuments)
	huma.Register(api, huma.Operation{
		OperationID: "get-document", Method: http.MethodGet, Path: "/api/v1/documents/{kind}/{name}", Summary: "Get a document",
		Tags: []string{"documents"},
	}, s.getDocument)
	huma.Register(api, huma.Operation{
		OperationID: "put-document", Method: http.MethodPut, Path: "/api/v1/documents/{kind}/{name}", Summary: "Store one document",
		Tags: []string{"documents"}, MaxBodyBytes: document.MaxBytes + 1,
	}, s.putDocument)
	huma.Register(api, huma.Operation{
		OperationID: "edit-document", Method: http.MethodPatch, Path: "/api/v1/documents/{kind}/{name}", Summary: "Change fields of a document",
		Description: "A JSON Patch (RFC 6902) with add, replace, remove, and move of an entry of a list to another place in it. Comments and layout stay.", Tags: []string{"documents"},
	}, s.editDocument)
	huma.Register(api, huma.Operation{
		OperationID: "drop-document", Method: http.MethodDelete, Path: "/api/v1/documents/{kind}/{name}", Summary: "Delete a document",
		Description: "Its revisions stay, so that outcomes can still be explained.", Tags: []string{"documents"},
		DefaultStatus: http.StatusNoContent,
	}, s.dropDocument)
	huma.Register(api, huma.Operation{
		OperationID: "list-revisions", Method: http.MethodGet, Path: "/api/v1/documents/{kind}/{name}/revisions",
		Summary: "List a document's revisions, newest first", Tags: []string{"documents"},
	}, s.listRevisions)
	huma.Register(api, huma.Operation{
		OperationID: "diff-document", Method: http.MethodGet, Path: "/api/v1/documents/{kind}/{name}/diff",
		Summary: "Difference of two revisions, as a unified diff", Tags: []string{"documents"},
	}, s.diffDocument)
	huma.Register(api, huma.Operation{
		OperationID: "get-schema", Method: http.MethodGet, Path: "/api/v1/schemas/{kind}", Summary: "JSON Schema of a kind",
		Tags: []string{"documents"},
	}, func(_ context.Context, in *struct {
		Kind string `path:"kind" doc:"Kind of document."`
	},
	) (*struct{ Body json.RawMessage }, error) {
		kind, _ := document.FindKind(in.Kind)
		schema, ok := document.Schema(kind)
		if !ok {
			return nil, huma.Error404NotFound("there is no kind " + in.Kind + "; there are " + strings.Join(document.Kinds(), ", "))
		}
		return &struct{ Body json.RawMessage }{schema}, nil
	})
}

func (s *server) listDocuments(ctx context.Context, in *struct {
	Kind   string `query:"kind" doc:"Only this kind."`
	Cursor string `query:"cursor" maxLength:"200" doc:"Where to go on."`
	Limit  int    `query:"limit" minimum:"1" maximum:"100" default:"100" doc:"Most entries."`
},
) (*struct{ Body wire.DocumentPage }, error) {
	afterKind, afterName, _ := strings.Cut(in.Cursor, "/")
	list, err := s.Store.List(ctx, in.Kind, afterKind, afterName, in.Limit+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := wire.DocumentPage{Items: []wire.Document{}}
	for i, h := range list {
		if i == in.Limit {
			page.Next = list[i-1].Kind + "/" + list[i-1].Name
			break
		}
		page.Items = append(page.Items, fromHead(h, false))
	}
	return &struct{ Body wire.DocumentPage }{page}, nil
}

func (s *server) putDocuments(ctx context.Context, in *struct {
	File    string `query:"file" maxLength:"200" doc:"Name to show in faults."`
	DryRun  bool   `query:"dryRun" doc:"Check only."`
	RawBody []byte `contentType:"application/yaml"`
},
) (*struct{ Body wire.StoredList }, error) {
	read := document.ReadDocuments(in.File, in.RawBody)
	docs, faults := read.Documents, read.Faults
	more, err := s.recordingsThere(ctx, docs)
	if err != nil {
		return nil, s.answer(err, "recording")
	}
	if faults = append(faults, more...); len(faults) > 0 {
		return nil, refused(faults)
	}
	out := &struct{ Body wire.StoredList }{wire.StoredList{Items: []wire.Stored{}}}
	for _, o := range read.Others {
		out.Body.Passed = append(out.Body.Passed, o.String())
	}
	if in.DryRun {
		return out, nil
	}
	if out.Body.Items, err = s.storeAll(ctx, docs, 0); err != nil {
		return nil, s.answer(err, "document")
	}
	return out, nil
}

// storeAll stores documents, all or none; at a revision as in store.Draft.
func (s *server) storeAll(ctx context.Context, docs []*document.Document, revision int) ([]wire.Stored, error) {
	drafts := make([]store.Draft, len(docs))
	for i, d := range docs {
		drafts[i] = store.Draft{Kind: d.Kind, Name: d.Name, Digest: d.Digest, Text: d.Text, IfRevision: revision}
	}
	numbers, changes, err := s.Store.PutAll(ctx, who(ctx), drafts)
	if err != nil {
		return nil, err
	}
	out := []wire.Stored{}
	for i, d := range docs {
		out = append(out, storedAs(d, numbers[i], changes[i]))
	}
	return out, nil
}

// recordingsThere faults workloads whose recorded jobs have not been stored.
func (s *server) recordingsThere(ctx context.Context, docs []*document.Document) (document.Faults, error) {
	var faults document.Faults
	for _, d := range docs {
		w, ok := d.Value.(*document.Workload)
		if !ok || w.Spec.Jobs == nil {
			continue
		}
		if w.Spec.Jobs.Digest == "" {
			faults = append(faults, d.Fault("spec.jobs.digest", "nothing",
				"the recorded jobs must be stored first (POST /api/v1/recordings) and named here by their digest; `tachyphor put` does both"))
			continue
		}
		r, err := s.Queue.Library.Recording(ctx, w.Spec.Jobs)
		if errors.Is(err, store.ErrNotFound) {
			faults = append(faults, d.Fault("spec.jobs.digest", w.Spec.Jobs.Digest,
				"no recording has this digest; store the file first (POST /api/v1/recordings)"))
			continue
		}
		if err != nil {
			return nil, err
		}
		_, bad := r.Bind(&w.Spec)
		for _, b := range bad {
			faults = append(faults, d.Fault("spec.jobs", "recorded job on "+b.String(), "mend the row, or the workload's classes"))
		}
	}
	return faults, nil
}

func (s *server) getDocument(ctx context.Context, in *struct {
	DocumentPath
	Revision int `query:"revision" minimum:"0" doc:"Revision; absent: the newest."`
},
) (*documentOutput, error) {
	h, err := s.Store.Get(ctx, in.Kind, in.Name, in.Revision)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	return &documentOutput{etag(h.Number), fromHead(h, true)}, nil
}

func (s *server) putDocument(ctx context.Context, in *struct {
	DocumentPath
	IfMatch     string `header:"If-Match" doc:"ETag of the revision that the change is based on; the write is refused when there is a newer one."`
	IfNoneMatch string `header:"If-None-Match" enum:"*" doc:"*: only if there is none yet."`
	RawBody     []byte `contentType:"application/yaml"`
},
) (*storedOutput, error) {
	expect, err := ifMatch(in.IfMatch)
	if err != nil {
		return nil, err
	}
	if in.IfNoneMatch == "*" {
		expect = -1
	}
	return s.store(ctx, in.DocumentPath, string(in.RawBody), expect)
}

// store checks and stores the text of one document at an address.
func (s *server) store(ctx context.Context, at DocumentPath, text string, expect int) (*storedOutput, error) {
	docs, faults := document.Parse("", []byte(text))
	if len(faults) == 0 && (len(docs) != 1 || docs[0].Kind != at.Kind || docs[0].Name != at.Name) {
		return nil, huma.Error422UnprocessableEntity("the body must be one document, the " + at.what() + " of the address")
	}
	more, err := s.recordingsThere(ctx, docs)
	if err != nil {
		return nil, s.answer(err, "recording")
	}
	if faults = append(faults, more...); len(faults) > 0 {
		return nil, refused(faults)
	}
	d := docs[0]
	numbers, changes, err := s.Store.PutAll(ctx, who(ctx),
		[]store.Draft{{Kind: d.Kind, Name: d.Name, Digest: d.Digest, Text: d.Text, IfRevision: expect}})
	if err != nil {
		return nil, s.answer(err, at.what())
	}
	return &storedOutput{etag(numbers[0]), storedAs(d, numbers[0], changes[0])}, nil
}

func (s *server) editDocument(ctx context.Context, in *struct {
	DocumentPath
	IfMatch string          `header:"If-Match" doc:"ETag of the revision that the change is based on."`
	Body    []document.Edit `contentType:"application/json-patch+json" maxItems:"500"`
},
) (*storedOutput, error) {
	expect, err := ifMatch(in.IfMatch)
	if err != nil {
		return nil, err
	}
	h, err := s.Store.Get(ctx, in.Kind, in.Name, 0)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	if expect == 0 {
		expect = h.Number // what the edits are made in must still be the newest when they are stored
	}
	if expect != h.Number {
		return nil, s.answer(store.ErrConflict, in.what())
	}
	text, err := document.Apply(h.Text, in.Body)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	return s.store(ctx, in.DocumentPath, text, expect)
}

func (s *server) dropDocument(ctx context.Context, in *struct {
	DocumentPath
	IfMatch string `header:"If-Match" doc:"ETag of the revision that is meant."`
},
) (*struct{}, error) {
	expect, err := ifMatch(in.IfMatch)
	if err != nil {
		return nil, err
	}
	return nil, s.answer(s.Store.Drop(ctx, in.Kind, in.Name, expect), in.what())
}

func (s *server) listRevisions(ctx context.Context, in *struct {
	DocumentPath
	Cursor int `query:"cursor" minimum:"0" doc:"Where to go on."`
},
) (*struct{ Body wire.RevisionPage }, error) {
	list, err := s.Store.History(ctx, in.Kind, in.Name, in.Cursor, pageSize+1)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	page := wire.RevisionPage{Items: []wire.Document{}}
	for i, h := range list {
		if i == pageSize {
			page.Next = list[i-1].Number
			break
		}
		page.Items = append(page.Items, fromHead(h, false))
	}
	return &struct{ Body wire.RevisionPage }{page}, nil
}

func (s *server) diffDocument(ctx context.Context, in *struct {
	DocumentPath
	From int `query:"from" required:"true" minimum:"1" doc:"Older revision."`
	To   int `query:"to" required:"true" minimum:"1" doc:"Newer revision."`
},
) (*struct{ Body wire.Diff }, error) {
	var texts [2]string
	for i, n := range []int{in.From, in.To} {
		h, err := s.Store.Get(ctx, in.Kind, in.Name, n)
		if err != nil {
			return nil, s.answer(err, in.what()+" revision "+strconv.Itoa(n))
		}
		texts[i] = h.Text
	}
	text, err := unified(texts[0], texts[1], in.what()+" revision "+strconv.Itoa(in.From), in.what()+" revision "+strconv.Itoa(in.To))
	if err != nil {
		return nil, s.answer(err, "difference")
	}
	return &struct{ Body wire.Diff }{wire.Diff{Text: text}}, nil
}

// maxRecording bounds a file of recorded jobs.
const maxRecording = 512 << 20

func (s *server) recordingOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "put-recording", Method: http.MethodPost, Path: "/api/v1/recordings", Summary: "Store recorded jobs",
		Description: "The body is CSV, a header that names columns and then one job a row, JSON Lines, one object a line, or Parquet.",
		Tags:        []string{"documents"},
		RequestBody: &huma.RequestBody{
			Required: true,
			Content:  map[string]*huma.MediaType{"text/csv": {Schema: &huma.Schema{Type: "string", Format: "binary"}}},
		},
	}, func(ctx context.Context, in *struct {
		Columns []string `query:"columns" maxItems:"20" doc:"The file's own names of columns, as ours=theirs."`
		SkipBad bool     `query:"skipBad" doc:"Take the good rows and leave the bad ones out."`
		sent
	},
	) (*struct{ Body wire.Recording }, error) {
		columns := map[string]string{}
		for _, pair := range in.Columns {
			ours, theirs, ok := strings.Cut(pair, "=")
			if !ok {
				return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("columns: %q is not a pair ours=theirs, as in submitted=queued_at", pair))
			}
			columns[ours] = theirs
		}
		digest, r, err := s.Queue.Library.Keep(ctx, in.body, columns, in.SkipBad)
		if lost := notWhole(err, tooLong); lost != nil {
			return nil, lost
		}
		if bad := (library.BadRecording{}); errors.As(err, &bad) {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		if err != nil {
			return nil, s.answer(err, "recording")
		}
		return &struct{ Body wire.Recording }{wire.Recording{Digest: digest, Jobs: r.Len(), Bad: r.Bads}}, nil
	})
	huma.Register(api, huma.Operation{
		OperationID: "get-recording", Method: http.MethodGet, Path: "/api/v1/recordings/{digest}", Summary: "Whether a recording is stored",
		Tags: []string{"documents"},
	}, func(ctx context.Context, in *struct {
		Digest string `path:"digest" pattern:"^[0-9a-f]{64}$" doc:"sha256 of the file."`
	},
	) (*struct{ Body wire.Recording }, error) {
		jobs, err := s.Store.HasRecording(ctx, in.Digest)
		if err != nil {
			return nil, s.answer(err, "recording "+in.Digest)
		}
		return &struct{ Body wire.Recording }{wire.Recording{Digest: in.Digest, Jobs: jobs}}, nil
	})
}
