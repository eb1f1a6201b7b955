package api

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"time"

	"tachyphor/core/live"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/internal/library"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

// Stretch names a part of the live records.
type Stretch struct {
	From    string `query:"from" maxLength:"40" doc:"Jobs that asked before are left out; a day such as 2026-09-14, or a time with its zone."`
	Until   string `query:"until" maxLength:"40" doc:"Jobs that asked from here on are left out."`
	Project string `query:"project" maxLength:"255" doc:"Only jobs of this project."`
}

func (x *Stretch) read() (out library.Stretch, err error) {
	out.Project = x.Project
	for _, m := range []struct {
		name, is string
		into     *time.Time
	}{{"from", x.From, &out.From}, {"until", x.Until, &out.Until}} {
		if m.is == "" {
			continue
		}
		if *m.into, err = moment(m.is); err != nil {
			return out, huma.Error422UnprocessableEntity(m.name + ": " + err.Error())
		}
	}
	return out, nil
}

// moment reads a day in UTC, or a time with its zone.
func moment(s string) (time.Time, error) {
	for _, form := range []string{time.RFC3339Nano, time.DateOnly} {
		if t, err := time.Parse(form, s); err == nil {
			return t.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is not a time; write a day such as 2026-09-14, or 2026-09-14T06:00:00Z", s)
}

func (s *server) liveOperations(api huma.API) {
	tags := []string{"live"}
	huma.Register(api, huma.Operation{
		OperationID: "live", Method: http.MethodGet, Path: "/api/v1/live", Summary: "Get how much is known of jobs that happened", Tags: tags,
	}, s.live)
	huma.Register(api, huma.Operation{
		OperationID: "list-live-jobs", Method: http.MethodGet, Path: "/api/v1/live/jobs", Summary: "List the newest jobs that happened",
		Description: "Of the newest 4,000 runs.", Tags: tags,
	}, s.liveJobs)
	huma.Register(api, huma.Operation{
		OperationID: "export-live", Method: http.MethodGet, Path: "/api/v1/live/log", Summary: "Export jobs that happened as a job log", Tags: tags,
		Responses: map[string]*huma.Response{"200": {Description: "The file.", Content: map[string]*huma.MediaType{
			table.CSV.MediaType(): {}, table.JSONLines.MediaType(): {}, table.ParquetFile.MediaType(): {},
		}}},
	}, s.liveLog)
	huma.Register(api, huma.Operation{
		OperationID: "cut-live", Method: http.MethodPost, Path: "/api/v1/live/cut", Summary: "Make a workload of jobs that happened",
		Description: "As from any job log; nothing is stored unless into is given.", Tags: tags,
	}, s.cutLive)
	huma.Register(api, huma.Operation{
		OperationID: "forget-live", Method: http.MethodDelete, Path: "/api/v1/live", Summary: "Delete jobs that happened", Tags: tags,
	}, func(ctx context.Context, in *struct {
		Before string `query:"before" required:"true" maxLength:"40" doc:"Those that came before; all: every one."`
	},
	) (*struct{ Body wire.Forgotten }, error) {
		var before time.Time
		if in.Before != "all" {
			var err error
			if before, err = moment(in.Before); err != nil {
				return nil, huma.Error422UnprocessableEntity("before: " + err.Error())
			}
		}
		n, err := s.Store.ForgetLive(ctx, before)
		if err != nil {
			return nil, s.answer(err, "live records")
		}
		return &struct{ Body wire.Forgotten }{wire.Forgotten{Runs: n}}, nil
	})
}

func (s *server) live(ctx context.Context, _ *struct{}) (*struct{ Body wire.Live }, error) {
	l, err := s.Store.LiveSum(ctx)
	if err != nil {
		return nil, s.answer(err, "live records")
	}
	queue, err := s.Queue.Library.LiveNow(ctx, time.Now())
	if err != nil {
		return nil, s.answer(err, "live records")
	}
	in, room := s.Intake.Sum(), s.Intake.Room()
	return &struct{ Body wire.Live }{wire.Live{
		Runs: l.Runs, Open: l.Open, Queue: queue, From: l.From, To: l.To, Messages: l.Messages, Heard: l.Heard,
		Counted: in.New, Known: in.Known, Other: in.Other, Turned: in.Turned, Days: int(room.Age / (24 * time.Hour)), Most: room.Runs,
	}}, nil
}

func (s *server) liveJobs(ctx context.Context, in *struct {
	Stretch
	State string `query:"state" enum:"waiting,running,ended,silent" doc:"Only jobs that are there."`
	Limit int    `query:"limit" minimum:"1" maximum:"1000" default:"50" doc:"Most entries."`
},
) (*struct{ Body wire.LiveJobs }, error) {
	which, err := in.read()
	if err != nil {
		return nil, err
	}
	now := time.Now()
	jobs, err := s.Queue.Library.NewestLive(ctx, which, live.State(in.State), in.Limit, now)
	if err != nil {
		return nil, s.answer(err, "live records")
	}
	out := wire.LiveJobs{Items: make([]wire.LiveJob, 0, len(jobs))}
	for i := range jobs {
		out.Items = append(out.Items, liveJob(&jobs[i], now))
	}
	return &struct{ Body wire.LiveJobs }{out}, nil
}

func liveJob(j *live.Job, now time.Time) wire.LiveJob {
	out := wire.LiveJob{Row: j.Row(), Source: j.Source, State: j.State}
	if w, known := j.Waited(now); known {
		out.WaitedNs = new(int64(w))
	}
	if took, known := j.Took(now); known {
		out.TookNs = new(int64(took))
	}
	return out
}

// stretched turns errors of a stretch of live records into answers.
func (s *server) stretched(err error) error {
	switch {
	case errors.Is(err, library.ErrTooLong), errors.Is(err, library.ErrNoJobs):
		return huma.Error422UnprocessableEntity(err.Error())
	case err != nil:
		return s.answer(err, "live records")
	}
	return nil
}

func (s *server) liveLog(ctx context.Context, in *struct {
	Stretch
	Form string `query:"form" enum:"csv,jsonl,parquet" default:"csv" doc:"File format."`
},
) (*huma.StreamResponse, error) {
	which, err := in.read()
	if err != nil {
		return nil, err
	}
	jobs, err := s.Queue.Library.Live(ctx, which, time.Now())
	if err != nil {
		return nil, s.stretched(err)
	}
	form := table.Form(in.Form)
	return s.file("live-jobs", form, func(_ context.Context, out io.Writer) error {
		sheet, err := table.NewSheet[live.Row](out, form)
		for i := 0; err == nil && i < len(jobs); i++ {
			err = sheet.Write([]live.Row{jobs[i].Row()})
		}
		if err != nil {
			return err
		}
		return sheet.Close()
	}), nil
}

func (s *server) cutLive(ctx context.Context, in *struct{ Body wire.Cut }) (*struct{ Body wire.LearnedJobs }, error) {
	zone := units.Zone{}
	if in.Body.Zone != "" {
		if err := zone.UnmarshalText([]byte(in.Body.Zone)); err != nil {
			return nil, huma.Error422UnprocessableEntity("zone: " + err.Error())
		}
	}
	done, err := s.learns(ctx)
	if err != nil {
		return nil, err
	}
	defer done()
	name := in.Body.Into
	if name == "" {
		name = "live"
	}
	which := library.Stretch{From: in.Body.From, Until: in.Body.Until, Project: in.Body.Project}
	got, err := s.Queue.Library.CutLive(ctx, which, name, zone, time.Now())
	if got == nil {
		return nil, s.stretched(err)
	}
	return s.learned(ctx, got, err, in.Body.Into != "")
}
