package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/sizing"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// maxUsage bounds what usage is sent at once.
const maxUsage = 256 << 20

// UsagePath names a template in an address.
type UsagePath struct {
	Template string `path:"template" maxLength:"63" doc:"Name of the template."`
}

func (p UsagePath) what() string { return "usage of template " + p.Template }

// intakesShown is how many times of taking in usage are told.
const intakesShown = 20

func (s *server) usageOperations(api huma.API) {
	tags := []string{"sizing"}
	huma.Register(api, huma.Operation{
		OperationID: "put-usage", Method: http.MethodPost, Path: "/api/v1/usage/{template}", Summary: "Store what agents of a template used",
		Description: "The body is CSV or Parquet, one sample a row, or answers of Prometheus to range queries over the metrics of " +
			"containers. Runs that are known already take the place of what is known where they tell more, so that the same may be sent again.",
		Tags: tags, MaxBodyBytes: maxUsage, BodyReadTimeout: 5 * time.Minute,
	}, s.putUsage)
	huma.Register(api, huma.Operation{
		OperationID: "get-usage", Method: http.MethodGet, Path: "/api/v1/usage/{template}", Summary: "What is known of usage", Tags: tags,
	}, s.getUsage)
	huma.Register(api, huma.Operation{
		OperationID: "drop-usage", Method: http.MethodDelete, Path: "/api/v1/usage/{template}", Summary: "Forget usage", Tags: tags,
	}, func(ctx context.Context, in *UsagePath) (*struct{}, error) {
		return nil, s.answer(s.Store.DropRuns(ctx, in.Template), in.what())
	})
	huma.Register(api, huma.Operation{
		OperationID: "size", Method: http.MethodGet, Path: "/api/v1/size/{template}", Summary: "Size a template from what its agents used",
		Description: "Requests of CPU, memory and disk with all they rest on: bounds and how sure they are, the stretch and cost " +
			"of each request of CPU, what classes used, whether to split, and the changes of the template.",
		Tags: tags,
	}, s.size)
}

func (s *server) putUsage(ctx context.Context, in *struct {
	UsagePath
	Source  string `query:"source" maxLength:"200" doc:"Where it comes from, as a file's name."`
	Jobs    string `query:"jobs" pattern:"^([0-9a-f]{64})?$" doc:"Digest of a stored job log with the column pod, to tell which job each run was."`
	RawBody []byte `contentType:"text/csv"`
},
) (*struct{ Body sizing.Taken }, error) {
	d, err := s.templateOf(ctx, in.Template)
	if err != nil {
		return nil, err
	}
	agent, faults := template.Read(d)
	if agent.Container == "" {
		return nil, refused(faults)
	}
	if in.Jobs != "" {
		if _, err := s.Store.HasRecording(ctx, in.Jobs); err != nil {
			return nil, s.answer(err, "job log "+in.Jobs)
		}
	}
	t, err := s.Queue.Library.TakeUsage(ctx, store.Intake{Template: in.Template, Source: in.Source, By: who(ctx)}, agent.Container,
		in.RawBody, in.Jobs)
	var bad library.BadUsage
	if errors.As(err, &bad) {
		return nil, huma.Error422UnprocessableEntity(bad.Error())
	}
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	return &struct{ Body sizing.Taken }{t}, nil
}

// templateOf returns a stored template.
func (s *server) templateOf(ctx context.Context, name string) (*document.Document, error) {
	h, err := s.Store.Get(ctx, document.KindPodTemplate, name, 0)
	if err != nil {
		return nil, s.answer(err, "template "+name)
	}
	docs, faults := document.Parse(name, []byte(h.Text))
	if len(faults) > 0 {
		return nil, refused(faults)
	}
	return docs[0], nil
}

func (s *server) getUsage(ctx context.Context, in *UsagePath) (*struct{ Body wire.Usage }, error) {
	if _, err := s.Store.Get(ctx, document.KindPodTemplate, in.Template, 0); err != nil {
		return nil, s.answer(err, "template "+in.Template)
	}
	sum, err := s.Store.UsageOf(ctx, in.Template)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	out := wire.Usage{Template: in.Template, Classes: []wire.ClassOfUsage{}, Intakes: []wire.IntakeOfUsage{}}
	for i, c := range sum {
		if out.Runs == 0 || c.From < out.From {
			out.From = c.From
		}
		out.Runs, out.Killed, out.To = out.Runs+c.Runs, out.Killed+c.Killed, max(out.To, c.Until)
		out.Classes = append(out.Classes, wire.ClassOfUsage{Class: sum[i].Class, Runs: c.Runs})
	}
	list, err := s.Store.Intakes(ctx, in.Template, intakesShown)
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	for _, x := range list {
		report := new(sizing.Taken)
		_ = json.Unmarshal([]byte(x.Report), report) // ours; empty if it cannot be read
		out.Intakes = append(out.Intakes, wire.IntakeOfUsage{At: x.At, By: x.By, Source: x.Source, Report: report})
	}
	return &struct{ Body wire.Usage }{out}, nil
}

// SizeQuestion says how a template is sized.
type SizeQuestion struct {
	UsagePath
	Class    string  `query:"class" maxLength:"120" doc:"Only runs of this class."`
	Share    float64 `query:"share" minimum:"0.5" maximum:"0.9999" default:"0.99" doc:"Share of runs that must stay within memory and disk."`
	Sure     float64 `query:"sure" minimum:"0.5" maximum:"0.9999" default:"0.95" doc:"Confidence in that."`
	HalfLife string  `query:"halfLife" maxLength:"20" default:"30d" doc:"Age at which a run counts half as much; 0s: all count alike."`
	Stretch  float64 `query:"stretch" minimum:"1" maximum:"10" default:"1.1" doc:"How many times as long work may take on a full node."`
	Cluster  string  `query:"cluster" maxLength:"63" doc:"Cluster; absent: the only one that is stored."`
	Pool     string  `query:"pool" maxLength:"63" doc:"Pool on whose nodes it is weighed; absent: the one that takes its agents and can have most nodes."`
}

func (s *server) size(ctx context.Context, in *SizeQuestion) (*struct{ Body *sizing.Advice }, error) {
	advice, err := s.advice(ctx, in)
	if err != nil {
		return nil, err
	}
	return &struct{ Body *sizing.Advice }{advice}, nil
}

// advice sizes a template from what its agents used.
func (s *server) advice(ctx context.Context, in *SizeQuestion) (*sizing.Advice, error) {
	half, err := units.ParseDuration(in.HalfLife)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity("halfLife: " + err.Error())
	}
	h, err := s.Store.Get(ctx, document.KindPodTemplate, in.Template, 0)
	if err != nil {
		return nil, s.answer(err, "template "+in.Template)
	}
	shelf, err := s.Queue.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return nil, s.answer(err, in.what())
	}
	d := shelf.Find(document.KindPodTemplate, in.Template)
	if d == nil {
		return nil, unreadable()
	}
	facts, err := shelf.Facts(in.Cluster)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	q := sizing.Question{
		Template: d, Cluster: facts, Pool: in.Pool, Class: in.Class, Stretch: in.Stretch, Now: float64(shelf.Now.UnixNano()) / 1e9,
		Wish: sizing.Wish{Share: in.Share, Sure: in.Sure, HalfLife: half},
	}
	advice, err := s.Queue.Library.Size(ctx, q)
	switch {
	case errors.Is(err, sizing.ErrNoRuns) && in.Class != "":
		return nil, huma.Error404NotFound("no runs of class " + in.Class + " are known for template " + in.Template)
	case errors.Is(err, sizing.ErrNoRuns):
		return nil, huma.Error404NotFound("nothing is known yet of what agents of " + in.Template +
			" used; store samples with `tachyphor observe " + in.Template + " FILE`")
	case errors.Is(err, library.ErrStored):
		return nil, s.answer(err, in.what())
	case err != nil:
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	advice.Revision = h.Number
	return advice, nil
}
