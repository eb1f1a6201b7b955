package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/world"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Texts of scenarios while they are written: nothing here stores anything.
func (s *server) textOperations(api huma.API) {
	tags := []string{"scenarios"}
	huma.Register(api, huma.Operation{
		OperationID: "write-scenario", Method: http.MethodPost, Path: "/api/v1/scenarios/{name}/text", Tags: tags,
		Summary:      "Change the text of a scenario, and see what it comes to",
		Description:  "Nothing is stored. Faults are part of the answer, each at its field; edits that cannot be made are refused.",
		MaxBodyBytes: document.MaxBytes + 1,
	}, s.writeScenario)
	huma.Register(api, huma.Operation{
		OperationID: "glance", Method: http.MethodPost, Path: "/api/v1/scenarios/{name}/glance", Tags: tags,
		Summary:      "Run one repeat of a text of a scenario, beside the same of what is stored",
		Description:  "Nothing is stored, and there are no intervals: for those simulate it. At most ten seconds.",
		MaxBodyBytes: document.MaxBytes + 1,
	}, s.glance)
}

// TextPath names a scenario in an address that need not be stored.
type TextPath struct {
	Name string `path:"name" maxLength:"63" doc:"Name of the scenario; it need not be stored."`
}

func (s *server) writeScenario(ctx context.Context, in *struct {
	TextPath
	Body struct {
		Text  string          `json:"text,omitempty" doc:"The text so far; absent: as it is stored."`
		Edits []document.Edit `json:"edits,omitempty" maxItems:"100" doc:"Changes to make in it first; what is to be removed need not be there."`
	}
},
) (*struct{ Body wire.ScenarioText }, error) {
	stored, err := s.storedScenario(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	out := wire.ScenarioText{
		Text: in.Body.Text, Faults: []document.Fault{}, Differences: []document.Difference{}, Sentences: []string{},
		Templates: []wire.TemplateBrief{}, Pools: []wire.PoolBrief{}, Classes: []string{}, Images: []string{},
	}
	if out.Text == "" {
		if stored == nil {
			return nil, huma.Error404NotFound("there is no scenario " + in.Name + "; send a text")
		}
		out.Text = stored.Text
	}
	for _, e := range in.Body.Edits { // what is to be emptied may be so already
		text, err := document.Apply(out.Text, []document.Edit{e})
		if errors.Is(err, document.ErrNotThere) {
			continue
		}
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		out.Text = text
	}
	out.Written, _ = document.AsWritten(out.Text)
	d, faults := readScenario(out.Text)
	if d == nil {
		out.Faults = faults
		return &struct{ Body wire.ScenarioText }{out}, nil
	}
	out.Spec = &d.Value.(*document.Scenario).Spec
	if d.Name != in.Name {
		out.Faults = append(out.Faults, d.Fault("metadata.name", d.Name, "expected "+in.Name+", under which it is written here; to have it under "+
			"another name, make a new scenario from it"))
	}
	if stored != nil {
		if out.Differences, err = document.Differences(stored, d); err != nil {
			return nil, s.answer(err, "difference")
		}
		for _, x := range out.Differences {
			out.Sentences = append(out.Sentences, x.String())
		}
	}
	p, err := s.Queue.Library.PinText(ctx, d)
	if err != nil {
		return nil, s.answer(err, "scenario "+in.Name)
	}
	out.Faults = append(out.Faults, p.Faults...)
	if len(p.Faults) == 0 {
		if faults, err = s.describeText(ctx, p, &out); err != nil {
			return nil, s.answer(err, "scenario "+in.Name)
		}
		out.Faults = append(out.Faults, faults...)
	}
	if out.Since, err = s.sinceOutcome(ctx, p); err != nil {
		return nil, s.answer(err, "scenario "+in.Name)
	}
	return &struct{ Body wire.ScenarioText }{out}, nil
}

// storedScenario returns the newest revision of a scenario; nil: there is none, or it cannot be read any more.
func (s *server) storedScenario(ctx context.Context, name string) (*document.Document, error) {
	h, err := s.Store.Get(ctx, document.KindScenario, name, 0)
	if errors.Is(err, store.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, s.answer(err, "scenario "+name)
	}
	docs, err := s.Queue.Library.Read(ctx, []store.Head{h})
	if err != nil {
		return nil, s.answer(err, "scenario "+name)
	}
	return docs[0], nil
}

// readScenario reads a text that is to hold one scenario; nil, and why it does not.
func readScenario(text string) (*document.Document, document.Faults) {
	docs, faults := document.Parse("", []byte(text))
	if len(faults) > 0 {
		return nil, faults
	}
	if len(docs) != 1 || docs[0].Kind != document.KindScenario {
		return nil, document.Faults{{Found: counted(len(docs), "document"), Expected: "expected one Scenario alone"}}
	}
	return docs[0], nil
}

// describeText adds what is known of what a scenario names.
func (s *server) describeText(ctx context.Context, p library.Pinned, out *wire.ScenarioText) (document.Faults, error) {
	input, faults, err := s.Queue.Library.InputOf(ctx, p, false)
	if err != nil || len(faults) > 0 {
		return faults, err
	}
	for _, c := range input.Workload.Value.(*document.Workload).Spec.Classes {
		out.Classes = append(out.Classes, c.Name)
	}
	for _, i := range input.Cluster.Value.(*document.Cluster).Spec.Images {
		out.Images = append(out.Images, i.Name)
	}
	w, faults := world.Assemble(input)
	if len(faults) > 0 {
		return faults, nil
	}
	out.Templates, out.Pools = madeOf(w)
	out.Currency = w.Currency
	return nil, nil
}

// sinceOutcome tells what changed since the newest outcome of a scenario.
func (s *server) sinceOutcome(ctx context.Context, p library.Pinned) (*wire.SinceOutcome, error) {
	last, err := s.Store.LastDone(ctx, work.Simulation.Name, p.Scenario.Name)
	if err != nil {
		return nil, err
	}
	o, ok := last[p.Scenario.Name]
	if !ok {
		return nil, nil
	}
	in := inputsOf(o)
	out := &wire.SinceOutcome{Outcome: o.ID, Sentences: []string{}}
	was, err := s.Queue.Library.Pinned(ctx, in)
	if errors.As(err, new(document.Faults)) { // of an earlier version of the program
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	differences, err := document.Differences(was[0], p.Scenario)
	if err != nil {
		return nil, err
	}
	for _, x := range differences {
		out.Sentences = append(out.Sentences, x.String())
	}
	for _, now := range p.Inputs.Documents[1:] {
		for _, then := range in.Documents[1:] {
			if then.Kind == now.Kind && then.Name == now.Name && then.Revision != now.Revision {
				out.Sentences = append(out.Sentences, fmt.Sprintf("%s %s is revision %d, was %d", now.Kind, now.Name, now.Revision, then.Revision))
			}
		}
	}
	return out, nil
}

func (s *server) glance(ctx context.Context, in *struct {
	TextPath
	Body struct {
		Text string `json:"text" minLength:"1" doc:"The text of the scenario."`
	}
},
) (*struct{ Body wire.Glance }, error) {
	began := time.Now()
	d, faults := readScenario(in.Body.Text)
	if d == nil {
		return nil, refused(faults)
	}
	var out wire.Glance
	now, err := s.glanced(ctx, d)
	if err != nil {
		return nil, err
	}
	out.Now = now
	stored, err := s.storedScenario(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	if stored != nil && stored.Digest != d.Digest {
		if was, err := s.glanced(ctx, stored); err == nil { // what cannot be run is no reason to say nothing of the text
			out.Was = &was
		}
	}
	out.TookMs = float64(time.Since(began).Microseconds()) / 1000
	return &struct{ Body wire.Glance }{out}, nil
}

// statusGone is written for who has hung up: nobody reads it but the log.
const statusGone = 499

// glanced runs the first repeat of a scenario at hand.
func (s *server) glanced(ctx context.Context, d *document.Document) (wire.Gist, error) {
	p, err := s.Queue.Library.PinText(ctx, d)
	if err != nil {
		return wire.Gist{}, s.answer(err, "scenario "+d.Name)
	}
	if len(p.Faults) > 0 {
		return wire.Gist{}, refused(p.Faults)
	}
	g, faults, err := s.Queue.Glance(ctx, p)
	if ctx.Err() != nil { // something else is typed by now
		return g, huma.NewError(statusGone, "nobody is waiting for it any more")
	}
	if errors.Is(err, work.ErrTooLong) {
		return g, huma.Error422UnprocessableEntity(err.Error())
	}
	if err != nil {
		return g, s.answer(err, "scenario "+d.Name)
	}
	if len(faults) > 0 {
		return g, refused(faults)
	}
	return g, nil
}
