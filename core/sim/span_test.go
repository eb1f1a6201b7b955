package sim_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// The span of a recorded workload is the log's own where the scenario names none, and
// never goes on for long after its last job; what is left out is said.
func TestSpanFollowsTheLog(t *testing.T) {
	hours := func(n ...int) string {
		csv := "id,submitted,class\n"
		for i, h := range n {
			csv += fmt.Sprintf("j%d,%d,k\n", i, 3600*h)
		}
		return csv
	}
	for _, c := range []struct {
		name, run, jobs string
		span            units.Duration
		note            string // in what is said; empty: nothing is
	}{
		{"four weeks", "", hours(0, 300, 27*24), 28 * units.Day, ""},
		{"a working week", "", hours(0, 5*24-4), 7 * units.Day, ""},
		{"ten days", "", hours(0, 9*24+5), 10 * units.Day, ""},
		{"an afternoon", "", hours(0, 4), 5 * units.Hour, ""},
		{"a quarter of a year", "", hours(0, 20*24, 50*24, 89*24), 35 * units.Day, "2 of the log's 4 jobs come after a span of 35d, the most that is taken where run.span is absent, and are left out; the log covers 91d."},
		{"its first week", "span: 7d", hours(0, 24, 200, 300, 600), 7 * units.Day, "3 of the log's 5 jobs come after the span of 7d and are left out; the log covers 28d."},
		{"far beyond it", "span: 60d", hours(0, 27*24), 28 * units.Day, "The log's last job comes after 27.0 d of the span of 60d. What follows has no demand and would dilute every figure a month: the run ends after 28d."},
		{"over a weekend", "span: 7d", hours(0, 4*24+18), 7 * units.Day, ""},
		{"as long as it is", "span: 28d", hours(0, 27*24+23), 28 * units.Day, ""},
	} {
		b := bench{jobs: c.jobs}
		text := strings.Replace(b.text(), "run: {span: 4h, repeats: 1}", "run: {repeats: 1, "+c.run+"}", 1)
		w, err := worlds.Parse(text, c.jobs)
		if err != nil {
			t.Fatalf("%s: %v", c.name, err)
		}
		if w.Plan.Span != c.span {
			t.Errorf("%s: the span is %v, want %v", c.name, w.Plan.Span, c.span)
		}
		if got := strings.Join(w.Notes, " "); got != c.note {
			t.Errorf("%s: %q, want %q", c.name, got, c.note)
		}
		if _, err := sim.Run(w, 1, 0, nil); err != nil {
			t.Error(err)
		}
	}
	text := strings.Replace(bench{}.text(), "run: {span: 4h, repeats: 1}", "run: {repeats: 1, warmup: 30d}", 1)
	if _, err := worlds.Parse(text, hours(0, 24)); err == nil || !strings.Contains(err.Error(), "spec.run.warmup") {
		t.Errorf("a warm-up beyond the log: %v", err)
	}
	// A made workload has a week.
	made := strings.Replace(text, "jobs: {file: jobs.csv}", "", 1)
	made = strings.Replace(made, "work: 100s}", `work: 100s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 1}]}}`, 1)
	if w, err := worlds.Parse(strings.Replace(made, "warmup: 30d", "warmup: 1d", 1), ""); err != nil || w.Plan.Span != units.Week || len(w.Notes) > 0 {
		t.Errorf("%v, %v", w, err)
	}
}

// The bill of a log is the same a month whatever span beyond it is asked for.
func TestSpanDoesNotDiluteTheBill(t *testing.T) {
	csv := "id,submitted,class\n"
	for i := range 28 * 24 {
		csv += fmt.Sprintf("j%d,%d,k\n", i, 3600*i)
	}
	node := map[string]units.Duration{}
	for _, run := range []string{"", "span: 28d", "span: 60d"} {
		b := bench{pools: "[{name: p, nodeType: n, max: 1, boot: 60s}]", scenario: "  nodes: {growth: {shrinkAfter: 1m}}", agents: "reuse: never"}
		w, err := worlds.Parse(strings.Replace(b.text(), "run: {span: 4h, repeats: 1}", "run: {repeats: 1, "+run+"}", 1), csv)
		if err != nil {
			t.Fatal(err)
		}
		trace, err := sim.Run(w, 1, 0, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range trace.Nodes {
			node[run] += n.Billed
		}
		node[run] = units.Duration(float64(node[run]) / float64(w.Plan.Span) * float64(units.Month))
	}
	if node[""] != node["span: 28d"] || node["span: 60d"] != node[""] || node[""] == 0 {
		t.Errorf("node time a month: %v", node)
	}
}
