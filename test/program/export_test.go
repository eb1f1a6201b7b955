package program

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/outcome"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/test/running"
	"tachyphor/wire"

	"github.com/parquet-go/parquet-go"
)

// The stored jobs of an outcome: page by page, as files in every format, and the
// same as what the outcome says of them.
func TestJobsAreStoredAndExported(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	ctx := context.Background()
	loadDemo(t, s)
	o, err := c.Simulate(ctx, "cached", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if end, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil || end.State != "done" {
		t.Fatalf("%+v, %v", end, err)
	}
	var rows []outcome.JobRow
	for from, more := 0, true; more; {
		page, err := c.Jobs(ctx, o.ID, from, 1000)
		if err != nil {
			t.Fatal(err)
		}
		rows = append(rows, page.Items...)
		from, more = page.Next, page.Next > 0
	}
	full, err := c.Outcome(ctx, o.ID, true)
	if err != nil {
		t.Fatal(err)
	}
	agree(t, rows, full.Result)
	// A page in the middle, over the edge of a block.
	page, err := c.Jobs(ctx, o.ID, outcome.BlockJobs-3, 7)
	if err != nil || !slices.Equal(page.Items, rows[outcome.BlockJobs-3:outcome.BlockJobs+4]) {
		t.Errorf("page over a block's edge: %d rows, %v", len(page.Items), err)
	}
	files(t, c, o.ID, rows)
	if _, err := c.Jobs(ctx, 99, 0, 10); !client.IsStatus(err, 404) {
		t.Errorf("jobs of no outcome: %v", err)
	}
	var out bytes.Buffer
	if err := c.Export(ctx, o.ID, "lines", "csv", &out); err != nil {
		t.Fatal(err)
	}
	lines, err := csv.NewReader(&out).ReadAll()
	if want := full.Result.LineRows(); err != nil || len(lines) != len(want)+1 ||
		strings.Join(lines[0], ",") != "from,quantity,name,unit,value" {
		t.Errorf("%d lines, %v", len(lines), err)
	}
}

// agree holds the rows against the sums of the first repeat.
func agree(t *testing.T, rows []outcome.JobRow, o *outcome.Outcome) {
	t.Helper()
	var lead units.Sum[units.Duration]
	var cost units.Sum[units.Money]
	ended := 0
	warmup := o.Start.Add(6 * 3600e9)
	for _, r := range rows {
		if r.Submitted.Before(warmup) {
			continue
		}
		cost.Add(units.Money(r.CostNano))
		if r.LeadNs < 0 {
			continue
		}
		if sum := r.HeldNs + r.PlacingNs + r.NodeNs + r.ImageNs + r.SetupNs + r.JoinNs + r.RestoreNs + r.WorkNs + r.SaveNs + r.WipeNs; sum !=
			r.LeadNs {
			t.Fatalf("job %s: phases %d, lead time %d", r.ID, sum, r.LeadNs)
		}
		lead.Add(units.Duration(r.LeadNs))
		ended++
	}
	first := &o.Samples[0]
	if all := &first.Groups[0]; lead != all.LeadNs || ended != all.Ended || cost != all.CostNano || cost.Compare(first.Cost.JobsNano) > 0 {
		t.Errorf("rows: lead %v, %d ended, cost %v; the outcome says %v, %d, %v of %v", lead, ended, cost, all.LeadNs, all.Ended,
			all.CostNano, first.Cost.JobsNano)
	}
}

// files holds the jobs' files against the rows.
func files(t *testing.T, c *client.Client, id uint64, rows []outcome.JobRow) {
	t.Helper()
	for _, form := range table.Forms {
		var out bytes.Buffer
		if err := c.Export(context.Background(), id, "jobs", string(form), &out); err != nil {
			t.Fatal(err)
		}
		var got []outcome.JobRow
		var err error
		switch form {
		case table.ParquetFile:
			got, err = parquet.Read[outcome.JobRow](bytes.NewReader(out.Bytes()), int64(out.Len()))
			for i := range got {
				got[i].Submitted = got[i].Submitted.UTC()
			}
		case table.JSONLines:
			for d := json.NewDecoder(&out); d.More(); {
				var r outcome.JobRow
				if err = d.Decode(&r); err != nil {
					break
				}
				got = append(got, r)
			}
		case table.CSV:
			var table [][]string
			table, err = csv.NewReader(&out).ReadAll()
			at := slices.Index(table[0], "lead_ns")
			for i, line := range table[1:] {
				if line[0] != rows[i].ID || line[at] != strconv.FormatInt(rows[i].LeadNs, 10) {
					t.Fatalf("line %d: %v", i+2, line)
				}
			}
			got = rows[:len(table)-1]
		}
		if err != nil || !slices.Equal(got, rows) {
			t.Errorf("%s: %d rows of %d, %v", form, len(got), len(rows), err)
		}
	}
}

func TestExportOnTheCommandLine(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	running.Serve(t, state, nil)
	putDemo(t, nil, state)
	if r := command(t, state, "export", "cached"); r.status != 1 || !strings.Contains(r.err, "tachyphor simulate cached") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "simulate", "cached", "--repeats", "1",
		"-q"); r.status != 0 || !strings.Contains(r.out, "workspace cache") || !strings.Contains(r.out, "floor under it") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "export", "cached"); r.status != 0 || strings.Count(r.out, "\n") != 9657 ||
		!strings.HasPrefix(r.out, "id,class,") {
		t.Errorf("status %d, %.80s, %s", r.status, r.out, r.err)
	}
	file := filepath.Join(t.TempDir(), "lines.parquet")
	if r := command(t, state, "export", "1", "--lines", "-f", file); r.status != 0 || r.out != "" {
		t.Errorf("%+v", r)
	}
	if rows, err := parquet.ReadFile[outcome.LineRow](file); err != nil || len(rows) < 1000 || rows[0].Quantity != "waiting" {
		t.Errorf("%d lines, %v", len(rows), err)
	}
	if r := command(t, state, "drop", "outcome", "1"); r.status != 0 || !strings.Contains(r.err, "outcome 1 dropped") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "get", "outcomes", "1"); r.status != 1 || !strings.Contains(r.err, "no outcome 1") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drop", "outcome", "one"); r.status != 2 {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "export", "1", "-f", filepath.Join(t.TempDir(), "no", "such", "folder.csv")); r.status == 0 {
		t.Errorf("%+v", r)
	}
}
