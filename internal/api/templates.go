package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/pmezard/go-difflib/difflib"
)

func (s *server) templateOperations(api huma.API) {
	tags := []string{"templates"}
	huma.Register(api, huma.Operation{
		OperationID: "list-templates", Method: http.MethodGet, Path: "/api/v1/templates", Summary: "List templates with their findings",
		Tags: tags,
	}, s.listTemplates)
	huma.Register(api, huma.Operation{
		OperationID: "get-template", Method: http.MethodGet, Path: "/api/v1/templates/{name}",
		Summary:     "Get a template with what can be said of it",
		Description: "The ETag is that of its document.", Tags: tags,
	}, s.getTemplate)
	huma.Register(api, huma.Operation{
		OperationID: "check", Method: http.MethodPost, Path: "/api/v1/check", Summary: "Review templates without storing them",
		Description: "The body is a stream of YAML or JSON: templates, or objects that hold one, with whatever else bears on " +
			"them. What is stored stands around them.",
		Tags: tags, MaxBodyBytes: document.MaxBytes + 1,
	}, s.check)
	huma.Register(api, huma.Operation{
		OperationID: "mend", Method: http.MethodPost, Path: "/api/v1/mend",
		Summary:     "Make changes in the text of a template and see the difference",
		Description: "Nothing is stored. Comments and layout stay.", Tags: tags, MaxBodyBytes: document.MaxBytes + 64<<10,
	}, s.mend)
	huma.Register(api, huma.Operation{
		OperationID: "match", Method: http.MethodGet, Path: "/api/v1/match", Summary: "Which template each class of a workload gets", Tags: tags,
	}, s.match)
	huma.Register(api, huma.Operation{
		OperationID: "render", Method: http.MethodGet, Path: "/api/v1/manifests", Summary: "Manifests: templates, pods, the access kit",
		Tags: tags,
	}, s.render)
	huma.Register(api, huma.Operation{
		OperationID: "draft", Method: http.MethodPost, Path: "/api/v1/drafts", Summary: "Write a first template from answers", Tags: tags,
	}, s.draft)
}

// reviewed says what can be said of one template on a shelf.
func reviewed(shelf *review.Shelf, d *document.Document, text bool) wire.Reviewed {
	r := wire.Reviewed{
		Name: d.Name, File: d.File, From: d.Lift.From, Left: d.Lift.Left, Portrait: shelf.Portray(d),
		Findings: shelf.Check(d), Uses: []string{},
	}
	if r.Left == nil {
		r.Left = []string{}
	}
	if r.Findings == nil {
		r.Findings = []review.Finding{}
	}
	for _, w := range r.Portrait.Gets {
		r.Uses = append(r.Uses, w.Scenario)
	}
	if text {
		r.Text = d.Text
	}
	return r
}

func (s *server) listTemplates(ctx context.Context, in *struct {
	Text   string `query:"text" maxLength:"63" doc:"Only those with this in their names or among the words that they offer."`
	By     string `query:"by" enum:"name,findings,cpu,memory,hour,uses" default:"name" doc:"What they are sorted by: their names, how many findings there are, what one agent requests, what an hour of one costs where it costs least (those that fit nowhere come last), how many scenarios use them."`
	Down   bool   `query:"down" doc:"The largest, or last, first."`
	Cursor string `query:"cursor" maxLength:"63" doc:"Where to go on."`
},
) (*struct{ Body wire.TemplatePage }, error) {
	from, err := cursorOf(in.Cursor)
	if err != nil {
		return nil, err
	}
	shelf, err := s.Queue.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return nil, s.answer(err, "list")
	}
	docs := slices.DeleteFunc(slices.Clone(shelf.OfKind(document.KindPodTemplate)), func(d *document.Document) bool {
		return !strings.Contains(d.Name, in.Text) && !slices.ContainsFunc(shelf.Offers(d), func(w string) bool { return strings.Contains(w, in.Text) })
	})
	if in.By != "name" { // the order of names is that of the shelf
		sortBy(docs, in.Down, func(d *document.Document) (float64, bool) { return templateNumber(shelf, d, in.By) })
	} else if in.Down {
		slices.Reverse(docs)
	}
	page := wire.TemplatePage{Items: []wire.Reviewed{}, All: len(docs)}
	docs, page.Next = pageOf(docs, from)
	for _, d := range docs {
		r := reviewed(shelf, d, false)
		r.Revision = max(shelf.Changes[d.Name].Revision, 1)
		page.Items = append(page.Items, r)
	}
	return &struct{ Body wire.TemplatePage }{page}, nil
}

// templateNumber is what templates are sorted by.
func templateNumber(shelf *review.Shelf, d *document.Document, by string) (x float64, ok bool) {
	if by == "findings" {
		return float64(len(shelf.Check(d))), true
	}
	p := shelf.Portray(d)
	if by == "uses" {
		return float64(len(p.Gets)), true
	}
	return p.Number(by)
}

func (s *server) getTemplate(ctx context.Context, in *struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the template."`
}) (*struct {
	ETag string `header:"ETag"`
	Body wire.Reviewed
}, error,
) {
	h, err := s.Store.Get(ctx, document.KindPodTemplate, in.Name, 0)
	if err != nil {
		return nil, s.answer(err, "template "+in.Name)
	}
	shelf, err := s.Queue.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return nil, s.answer(err, "template "+in.Name)
	}
	d := shelf.Find(document.KindPodTemplate, in.Name)
	if d == nil {
		return nil, unreadable()
	}
	r := reviewed(shelf, d, true)
	r.Revision = h.Number
	return &struct {
		ETag string `header:"ETag"`
		Body wire.Reviewed
	}{etag(h.Number), r}, nil
}

func (s *server) check(ctx context.Context, in *struct {
	File    string `query:"file" maxLength:"200" doc:"Name to show in findings and faults."`
	RawBody []byte `contentType:"application/yaml"`
},
) (*struct{ Body wire.ReviewedList }, error) {
	reading := document.Read(in.File, in.RawBody)
	if len(reading.Faults) > 0 {
		return nil, refused(reading.Faults)
	}
	shelf, err := s.Queue.Library.Shelf(ctx, reading)
	if err != nil {
		return nil, s.answer(err, "check")
	}
	out := wire.ReviewedList{Items: []wire.Reviewed{}}
	for _, d := range reading.Documents {
		if d.Kind == document.KindPodTemplate {
			out.Items = append(out.Items, reviewed(shelf, d, true))
		}
	}
	return &struct{ Body wire.ReviewedList }{out}, nil
}

func (s *server) mend(_ context.Context, in *struct {
	Body struct {
		Text  string          `json:"text" doc:"Text of one template, or of an object that holds one."`
		Edits []document.Edit `json:"edits" maxItems:"500" doc:"Changes of the template, as findings have them."`
	}
},
) (*struct{ Body wire.Mended }, error) {
	docs, faults := document.Parse("", []byte(in.Body.Text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	if len(docs) != 1 {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("%d documents in the text; expected one", len(docs)))
	}
	text, err := document.Mend([]byte(in.Body.Text), map[*document.Document][]document.Edit{docs[0]: in.Body.Edits})
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	diff, err := unified(in.Body.Text, string(text), "before", "after")
	if err != nil {
		return nil, s.answer(err, "difference")
	}
	return &struct{ Body wire.Mended }{wire.Mended{Text: string(text), Diff: diff}}, nil
}

// unified returns the difference of two texts; empty when they are the same.
func unified(a, b, from, to string) (string, error) {
	if a == b {
		return "", nil
	}
	return difflib.GetUnifiedDiffString(difflib.UnifiedDiff{
		A: difflib.SplitLines(a), B: difflib.SplitLines(b), Context: 3, FromFile: from,
		ToFile: to,
	})
}

func (s *server) match(ctx context.Context, in *struct {
	Scenario string `query:"scenario" required:"true" maxLength:"63" doc:"Scenario whose templates count, in its order."`
	Workload string `query:"workload" maxLength:"63" doc:"Workload; absent: the scenario's own."`
},
) (*struct{ Body review.Matches }, error) {
	shelf, err := s.Queue.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return nil, s.answer(err, "match")
	}
	scenario := shelf.Find(document.KindScenario, in.Scenario)
	if scenario == nil {
		return nil, s.answer(store.ErrNotFound, "scenario "+in.Scenario)
	}
	if in.Workload == "" {
		in.Workload = scenario.Value.(*document.Scenario).Spec.Workload
	}
	workload := shelf.Find(document.KindWorkload, in.Workload)
	if workload == nil {
		return nil, s.answer(store.ErrNotFound, "workload "+in.Workload)
	}
	return &struct{ Body review.Matches }{shelf.Match(workload, scenario)}, nil
}

// templates returns the named templates and the shelf that they stand on.
func (s *server) templates(ctx context.Context, names []string) (*review.Shelf, []*document.Document, error) {
	shelf, err := s.Queue.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return nil, nil, s.answer(err, "templates")
	}
	var docs []*document.Document
	for _, name := range names {
		d := shelf.Find(document.KindPodTemplate, name)
		if d == nil {
			return nil, nil, s.answer(store.ErrNotFound, "template "+name)
		}
		docs = append(docs, d)
	}
	return shelf, docs, nil
}

func (s *server) render(ctx context.Context, in *struct {
	Templates []string `query:"templates" required:"true" minItems:"1" maxItems:"100" doc:"Names of the templates."`
	Scenario  string   `query:"scenario" maxLength:"63" doc:"Scenario that gives ceilings and the cluster; absent: no quota."`
	Parts     []string `query:"parts" enum:"template,pod,kit" doc:"What to render; absent: templates and kit."`
},
) (*struct{ Body kit.Rendered }, error) {
	shelf, docs, err := s.templates(ctx, in.Templates)
	if err != nil {
		return nil, err
	}
	if in.Scenario != "" && shelf.Find(document.KindScenario, in.Scenario) == nil {
		return nil, s.answer(store.ErrNotFound, "scenario "+in.Scenario)
	}
	out, err := kit.Render(shelf, docs, in.Scenario, in.Parts)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	return &struct{ Body kit.Rendered }{out}, nil
}

func (s *server) draft(_ context.Context, in *struct{ Body template.Answers }) (*struct{ Body wire.Draft }, error) {
	for i, w := range in.Body.Offers {
		in.Body.Offers[i] = strings.TrimSpace(w)
	}
	text, wrong := in.Body.Draft()
	if len(wrong) > 0 {
		errs := make([]error, len(wrong))
		for i, w := range wrong {
			errs[i] = detailed{Message: w.Reason, Location: "body." + w.Field}
		}
		return nil, huma.NewError(http.StatusUnprocessableEntity, "some answers need another look", errs...)
	}
	return &struct{ Body wire.Draft }{wire.Draft{Text: text}}, nil
}
