package outcome_test

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/table"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// billed is a world of one node of 4 CPU and 16 GiB at 3.6 an hour for an hour, and
// agents of half of it, or of a quarter by memory alone.
const billed = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 3.6/h}, {name: m, cpu: 2, memory: 32Gi, price: 5/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}, {name: q, nodeType: m, max: 1}]
  images: [{name: "i:1", size: 1}]
  fee: 1/h
  agents: {fee: 0.36/h}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [x], work: 900s, cores: 2, memory: 8Gi, limit: 20m}, {name: late, wants: [x], work: 30m, cores: 2, memory: 8Gi, limit: 10m}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, reuse: never, ceiling: 1}}]
  run: {span: 1h, repeats: 1}
`

func money(nano units.Money) units.Sum[units.Money] { return units.SumOf(nano) }

func TestBillByHand(t *testing.T) {
	w, err := worlds.Parse(billed+worlds.Template("t", "x", "2", "8Gi", "i:1"), "id,submitted,class\na,0,k\nb,0,k\nc,2000,late\n")
	if err != nil {
		t.Fatal(err)
	}
	o, trace := simulate(t, w, 1)
	s := o.Samples[0]
	if paid := outcome.Paid(trace); paid != s.Cost.TotalNano {
		t.Errorf("%v is paid, the bill is %v", paid, s.Cost.TotalNano)
	}
	// The node costs 3.6. a and b hold half of it for a quarter of the hour each,
	// 0.45 each; c for 600 s, which ends badly but is work of its agent: 0.3.
	if costs := outcome.JobCosts(trace); !slices.Equal(costs, []int64{450_000_000, 450_000_000, 300_000_000}) {
		t.Errorf("jobs cost %v", costs)
	}
	if u := s.Cost.Pools[0].Uses; u[sim.UseWork] != money(1_200_000_000) || u[sim.UseEmpty].Plus(u[sim.UseStranded]) != money(2_400_000_000) {
		t.Errorf("uses %v", u)
	}
	// Agents are there for 2400 s at 0.36 an hour.
	parts := map[string]units.Sum[units.Money]{}
	for _, p := range s.Cost.Parts {
		parts[p.Part] = p.Nano
	}
	if parts[outcome.PartFee] != money(1_000_000_000) || parts[outcome.PartAgents] != money(240_000_000) ||
		s.Cost.TotalNano != money(4_840_000_000) {
		t.Errorf("parts %v, total %v", parts, s.Cost.TotalNano)
	}
	// The work that was done: 2 · 900 s of 2 cores, a core-hour, and at most 4 GiB-hours.
	// On n alone 1/4 h, 0.9; on m alone 1/2 h, 2.5; mixed it is no cheaper. And the fee.
	if got := s.Cost.FloorNano; got != money(1_900_000_000) {
		t.Errorf("floor %v, want 1.9", got)
	}
	if all := o.Groups[0]; all.Failed.Mean != 1 || s.Groups[0].Results[sim.TimedOut] != 1 || all.Unfinished.Mean != 0 {
		t.Errorf("results %v", s.Groups[0].Results)
	}
}

// b waits 900 s at the ceiling for a. With one agent more it waits for nothing, and
// the licence is paid for no longer.
func TestOneMoreByHand(t *testing.T) {
	w, err := worlds.Parse(billed+worlds.Template("t", "x", "2", "8Gi", "i:1"), "id,submitted,class\na,0,k\nb,0,k\n")
	if err != nil {
		t.Fatal(err)
	}
	o, _ := simulate(t, w, 2)
	if len(o.Limits) != 1 {
		t.Fatalf("%+v", o.Limits)
	}
	l := o.Limits[0]
	if l.Cause != "ceiling" || l.Name != "t" || l.Jobs != 1 || l.Hours != 0.25 || l.JobHours != 0.25 {
		t.Errorf("%+v", l)
	}
	if m := l.More; m == nil || m.MeanDelayNs != 0 || m.LessNs != 450e9 || m.MetHours != 0.25 || m.CostNano.Sign() != 0 ||
		m.What != "agent of t" {
		t.Errorf("%+v", l.More)
	}
}

// Blocks give back the rows that went in, from anywhere, and damaged ones an error.
func TestBlocks(t *testing.T) {
	w, err := worlds.Demo("spot-night")
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	rows := outcome.NewRower(trace)
	block, err := rows.Block(100, 600)
	if err != nil {
		t.Fatal(err)
	}
	got, err := outcome.ReadBlock(block, 250, 60)
	if err != nil || len(got) != 60 {
		t.Fatalf("%d rows, %v", len(got), err)
	}
	for i, r := range got {
		if want := rows.Row(350 + i); r != want {
			t.Fatalf("row %d:\n got %+v\nwant %+v", 350+i, r, want)
		}
	}
	if got, err := outcome.ReadBlock(block, 480, 60); err != nil || len(got) != 20 {
		t.Errorf("at the end %d rows, %v", len(got), err)
	}
	for _, bad := range [][]byte{nil, []byte("PAR1"), block[:len(block)/2]} {
		if _, err := outcome.ReadBlock(bad, 0, 1); err == nil {
			t.Error("a damaged block is read")
		}
	}
	if _, err := table.NewSheet[outcome.JobRow](nil, "xlsx"); err == nil || !strings.Contains(err.Error(), "csv, jsonl or parquet") {
		t.Error(err)
	}
	// An empty export still names its columns.
	var out bytes.Buffer
	sheet, err := table.NewSheet[outcome.JobRow](&out, table.CSV)
	if err != nil || sheet.Close() != nil {
		t.Fatal(err)
	}
	if head, err := csv.NewReader(&out).Read(); err != nil || head[0] != "id" || len(head) != 31 {
		t.Errorf("%v, %v", head, err)
	}
}

// What went wrong is told, and an explanation says how a job that was cut short
// fared.
func TestTroublesAreTold(t *testing.T) {
	w, err := worlds.Demo("spot-night")
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats = 2
	o, trace := simulate(t, w, 2)
	told := map[string]float64{}
	for _, x := range o.Troubles {
		told[x.Key] = x.Count.Mean
	}
	if told["out-of-memory"] == 0 || told["taken-back"] == 0 || told["spot-taken"] == 0 || o.Groups[0].Wrong.Mean == 0 {
		t.Errorf("%v", told)
	}
	failed, again := 0, 0
	for j, r := range trace.Records {
		switch {
		case r.Result == sim.OutOfMemory:
			failed++
			e := outcome.Explain(trace, j)
			if !strings.Contains(e.Summary, "failed for good: out-of-memory") ||
				!strings.Contains(e.Summary, "attempts were cut short") && !strings.Contains(e.Summary, "One attempt was") {
				t.Errorf("%s", e.Summary)
			}
		case r.Lost > 0 && r.Result == sim.Succeeded:
			again++
			e := outcome.Explain(trace, j)
			if !slices.ContainsFunc(e.Stays, func(s outcome.Stay) bool { return s.Cause == "lost" && strings.Contains(s.Text, "burst") }) {
				t.Errorf("%+v", e.Stays)
			}
		}
	}
	if failed == 0 || again == 0 {
		t.Errorf("%d failed, %d ran again", failed, again)
	}
	if o.Cache == nil || o.Cache.Found.Mean < 0.5 || o.Cache.UpGB.Mean <= 0 {
		t.Errorf("%+v", o.Cache)
	}
}

// A job that waited for an agent whose job was saving is told so.
func TestSavesThatHoldOthersUp(t *testing.T) {
	w, err := worlds.Demo("cached-naive")
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	for j := range trace.Records {
		e := outcome.Explain(trace, j)
		if slices.ContainsFunc(e.Stays, func(s outcome.Stay) bool {
			return s.Phase == "held" && strings.Contains(s.Text, "came free when") && strings.Contains(s.Text, "whose save had taken")
		}) {
			return
		}
	}
	t.Error("no job is told that it waited for a save")
}
