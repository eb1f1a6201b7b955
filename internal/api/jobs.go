package api

import (
	"context"
	"fmt"
	"io"
	"math"
	"net/http"

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
		OperationID: "export-outcome", Method: http.MethodGet, Path: "/api/v1/outcomes/{id}/export",
		Summary: "Export jobs or time lines as a file", Tags: tags,
		Responses: map[string]*huma.Response{"200": {Description: "The file.", Content: map[string]*huma.MediaType{
			table.CSV.MediaType(): {}, table.JSONLines.MediaType(): {}, table.ParquetFile.MediaType(): {},
		}}},
	}, s.export)
}

func (s *server) listJobs(ctx context.Context, in *struct {
	WorkPath
	Cursor int `query:"cursor" minimum:"0" maximum:"100000000" doc:"Where to go on: the number of jobs before."`
	Limit  int `query:"limit" minimum:"1" maximum:"1000" default:"50" doc:"Most entries."`
},
) (*struct{ Body wire.JobPage }, error) {
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
