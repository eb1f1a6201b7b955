package api

import (
	"context"
	"fmt"
	"io"
	"math"
	"net/http"
	"slices"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/table"
	"tachyphor/internal/store"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) jobOperations(api huma.API) {
	tags := []string{"outcomes"}
	huma.Register(api, huma.Operation{
		OperationID: "list-jobs", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/jobs",
		Summary: "List the jobs of an outcome's first repeat", Tags: tags,
	}, s.listJobs)
	huma.Register(api, huma.Operation{
		OperationID: "part", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/part",
		Summary: "What became of some jobs of an outcome's first repeat", Description: "By when they came, and what they are. Figures are of one repeat.", Tags: tags,
	}, s.part)
	huma.Register(api, huma.Operation{
		OperationID: "export-outcome", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/export",
		Summary: "Export jobs or time lines as a file", Tags: tags,
		Responses: map[string]*huma.Response{"200": {Description: "The file.", Content: map[string]*huma.MediaType{
			table.CSV.MediaType(): {}, table.JSONLines.MediaType(): {}, table.ParquetFile.MediaType(): {},
		}}},
	}, s.export)
}

// WhichJobs says which jobs of an outcome are meant.
type WhichJobs struct {
	From     time.Time `query:"from" doc:"Submitted from this on."`
	To       time.Time `query:"to" doc:"Submitted before this."`
	Class    string    `query:"class" maxLength:"200" doc:"Of this class."`
	Template string    `query:"template" maxLength:"63" doc:"On agents of this template; none: that no template fits."`
	Result   string    `query:"result" maxLength:"40" doc:"That ended so."`
	Cause    string    `query:"cause" maxLength:"60" doc:"That waited longest for this."`
	Text     string    `query:"text" maxLength:"200" doc:"With this in their ids."`
}

func (w WhichJobs) filter() outcome.Filter {
	return outcome.Filter{From: w.From, To: w.To, Class: w.Class, Template: w.Template, Result: w.Result, Cause: w.Cause, Text: w.Text}
}

// traced returns a finished outcome whose jobs can be looked at, or says why they cannot.
func (s *server) traced(ctx context.Context, id uint64) (store.Work, error) {
	o, result, err := s.done(ctx, id)
	if err != nil {
		return o, err
	}
	if result.Engine != outcome.Engine {
		return o, huma.Error409Conflict("the outcome is of an earlier engine: its jobs are listed in the order in which they came, and not filtered or " +
			"sorted; simulate the scenario again")
	}
	return o, nil
}

func (s *server) part(ctx context.Context, in *struct {
	WorkPath
	WhichJobs
},
) (*struct{ Body outcome.Slice }, error) {
	o, err := s.traced(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	l, err := s.Queue.Looker(ctx, o)
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	return &struct{ Body outcome.Slice }{l.Slice(in.filter())}, nil
}

func (s *server) listJobs(ctx context.Context, in *struct {
	WorkPath
	WhichJobs
	By     string `query:"by" enum:"submitted,id,class,template,result,cause,delay,lead,cost" default:"submitted" doc:"What they are sorted by."`
	Down   bool   `query:"down" doc:"The largest, or last, first."`
	Cursor int    `query:"cursor" minimum:"0" maximum:"100000000" doc:"Where to go on: the number of jobs before."`
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"50" doc:"Most entries."`
},
) (*struct{ Body wire.JobPage }, error) {
	if in.filter() != (outcome.Filter{}) || in.By != "submitted" || in.Down {
		return s.chosenJobs(ctx, in.ID, in.filter(), in.By, in.Down, in.Cursor, in.Limit)
	}
	o, err := outcomes.get(ctx, s, in.ID)
	if err != nil {
		return nil, err
	}
	jobs, err := s.storedJobs(ctx, o)
	if err != nil {
		return nil, err
	}
	page := wire.JobPage{Items: []outcome.JobRow{}, Jobs: jobs}
	err = s.Queue.Jobs(ctx, in.ID, in.Cursor, in.Limit, func(rows []outcome.JobRow) error {
		page.Items = append(page.Items, rows...)
		return nil
	})
	if err != nil {
		return nil, s.answer(err, outcomes.what(in.ID))
	}
	if next := in.Cursor + len(page.Items); next < jobs && len(page.Items) > 0 {
		page.Next = next
	}
	return &struct{ Body wire.JobPage }{page}, nil
}

// chosenJobs is a page of the jobs that a filter means, in an order.
func (s *server) chosenJobs(ctx context.Context, id uint64, f outcome.Filter, by string, down bool, from, limit int) (*struct{ Body wire.JobPage }, error) {
	o, err := s.traced(ctx, id)
	if err != nil {
		return nil, err
	}
	l, jobs, err := s.Queue.Chosen(ctx, o, f, by, down)
	if err != nil {
		return nil, s.answer(err, outcomes.what(id))
	}
	page := wire.JobPage{Items: []outcome.JobRow{}, Jobs: len(jobs)}
	for _, j := range jobs[min(from, len(jobs)):min(from+limit, len(jobs))] {
		page.Items = append(page.Items, l.Row(int(j)))
	}
	if next := from + len(page.Items); next < len(jobs) && len(page.Items) > 0 {
		page.Next = next
	}
	return &struct{ Body wire.JobPage }{page}, nil
}

// storedJobs counts the stored jobs of an outcome, or says why there are none.
func (s *server) storedJobs(ctx context.Context, o store.Work) (int, error) {
	if o.State != wire.Done {
		return 0, outcomes.notOver(o)
	}
	if o.Trimmed != nil {
		return 0, s.answer(store.ErrTrimmed, outcomes.what(o.ID))
	}
	blocks, jobs, err := s.Store.CountBlocks(ctx, o.ID)
	if err != nil {
		return 0, s.answer(err, outcomes.what(o.ID))
	}
	if blocks > 0 {
		return jobs, nil
	}
	// An outcome without a job has no block, nor has one that is older than blocks.
	_, result, err := s.done(ctx, o.ID)
	if err == nil && result.Engine < 2 {
		err = huma.Error409Conflict("the jobs of " + outcomes.what(o.ID) + " were not stored; simulate " + o.Subject + " again")
	}
	return 0, err
}

func (s *server) export(ctx context.Context, in *struct {
	WorkPath
	WhichJobs
	What string `query:"what" enum:"jobs,lines" default:"jobs" doc:"jobs: those of the first repeat; lines: quantities over time."`
	Form string `query:"form" enum:"csv,jsonl,parquet" default:"csv" doc:"File format."`
},
) (*huma.StreamResponse, error) {
	o, result, err := s.done(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if in.What == "jobs" {
		if _, err := s.storedJobs(ctx, o); err != nil {
			return nil, err
		}
	}
	form := table.Form(in.Form)
	return s.file(fmt.Sprintf("%s-%d-%s", result.Scenario, in.ID, in.What), form, func(ctx context.Context, out io.Writer) error {
		if f := in.filter(); in.What == "jobs" && f != (outcome.Filter{}) {
			return s.writeChosen(ctx, out, in.ID, f, form)
		}
		return s.writeExport(ctx, out, in.ID, in.What, form, result)
	}), nil
}

func (s *server) writeExport(ctx context.Context, out io.Writer, id uint64, what string, form table.Form, result *outcome.Outcome) error {
	if what == "lines" {
		sheet, err := table.NewSheet[outcome.LineRow](out, form)
		if err != nil {
			return err
		}
		if err := sheet.Write(result.LineRows()); err != nil {
			return err
		}
		return sheet.Close()
	}
	sheet, err := table.NewSheet[outcome.JobRow](out, form)
	if err != nil {
		return err
	}
	if err := s.Queue.Jobs(ctx, id, 0, math.MaxInt, sheet.Write); err != nil {
		return err
	}
	return sheet.Close()
}

// writeChosen writes the jobs that a filter means.
func (s *server) writeChosen(ctx context.Context, out io.Writer, id uint64, f outcome.Filter, form table.Form) error {
	o, err := s.traced(ctx, id)
	if err != nil {
		return err
	}
	l, jobs, err := s.Queue.Chosen(ctx, o, f, "submitted", false)
	if err != nil {
		return err
	}
	sheet, err := table.NewSheet[outcome.JobRow](out, form)
	if err != nil {
		return err
	}
	for part := range slices.Chunk(jobs, outcome.BlockJobs) {
		rows := make([]outcome.JobRow, len(part))
		for i, j := range part {
			rows[i] = l.Row(int(j))
		}
		if err := sheet.Write(rows); err != nil {
			return err
		}
	}
	return sheet.Close()
}
