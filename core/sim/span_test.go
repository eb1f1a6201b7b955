package sim_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

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
		{
			"a quarter of a year", "", hours(0, 20*24, 50*24, 89*24), 35 * units.Day,
			"2 of the log's 4 jobs come after a span of 35d, the most that is taken where run.span is absent, and are left out; the log covers 91d.",
		},
		{
			"its first week", "span: 7d", hours(0, 24, 200, 300, 600), 7 * units.Day,
			"3 of the log's 5 jobs come after the span of 7d and are left out; the log covers 28d.",
		},
		{
			"far beyond it", "span: 60d", hours(0, 27*24), 28 * units.Day,
			"The log's last job comes after 27.0 d of the span of 60d. What follows has no demand and would dilute every figure a " +
				"month: the run ends after 28d.",
		},
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
	if _, err := worlds.Parse(text, hours(0, 4)); err == nil || !strings.Contains(err.Error(), "spec.run.warmup") {
		t.Errorf("a warm-up beyond a log of some hours: %v", err)
	}
	// A made workload has a week.
	made := strings.Replace(text, "jobs: {file: jobs.csv}", "", 1)
	made = strings.Replace(made, "work: 100s}", `work: 100s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 1}]}}`, 1)
	if w, err := worlds.Parse(strings.Replace(made, "warmup: 30d", "warmup: 1d", 1), ""); err != nil || w.Plan.Span != 8*units.Day ||
		len(w.Notes) > 0 {
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

// The span is counted whole whatever the warm-up: its nodes by the hours of their calendar,
// all its jobs and no other, whether the log is a week, some days or weeks, or made.
func TestWarmupComesBeforeTheSpan(t *testing.T) {
	for _, c := range []struct {
		days int
		span string
	}{{7, ""}, {14, ""}, {3, ""}, {14, "span: 7d"}, {0, "span: 7d"}} {
		var csv string
		for i := range c.days * 24 { // one at half past each hour
			if i == 0 {
				csv = "id,submitted,class\n"
			}
			csv += fmt.Sprintf("j%d,%d,k\n", i, 3600*i+1800)
		}
		for _, warm := range []units.Duration{0, units.Hour, 6 * units.Hour, 30 * units.Hour, 8 * units.Day} {
			b := bench{
				pools:    "[{name: p, nodeType: n, max: 3, boot: 1ms}]",
				scenario: `  nodes: {growth: {shrinkAfter: 0s, scan: 1ms}, pools: {p: {calendar: [{when: "Mon 00:00-06:00", min: 2}, {when: "Sun 12:00-24:00", min: 1}]}}}`,
				agents:   "floor: 0, reuse: never", classes: "[{name: k, wants: [never], work: 100s}]",
			}
			text := strings.Replace(b.text(), "run: {span: 4h, repeats: 1}", "run: {repeats: 1, warmup: "+warm.String()+", "+c.span+"}", 1)
			if c.days == 0 {
				text = strings.Replace(text, "jobs: {file: jobs.csv}", "", 1)
				text = strings.Replace(text, "work: 100s}", `work: 100s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 1}]}}`, 1)
			}
			w, err := worlds.Parse(text, csv)
			if err != nil {
				t.Fatal(err)
			}
			trace, err := sim.Run(w, 1, 0, nil)
			if err != nil {
				t.Fatal(err)
			}
			weeks := int((w.Plan.Span - warm + 6*units.Day) / units.Week)
			want := units.Duration(12*weeks) * units.Hour
			if c.days != 3 {
				want += units.Duration(12*weeks) * units.Hour // the Sunday
			}
			var got units.Duration
			for _, n := range trace.Nodes {
				got += n.Billed
			}
			if d := got - want; d < -units.Second || d > units.Second {
				t.Errorf("%d days, %s, warm-up %v: nodes of %v within the span, want %v", c.days, c.span, warm, got, want)
			}
			var hours [24]int
			for _, j := range trace.Jobs.List {
				if j.Submitted >= warm && j.Submitted < w.Plan.Span {
					hours[w.Start.Add(time.Duration(j.Submitted)).Hour()]++
				}
			}
			if days := int((w.Plan.Span - warm) / units.Day); c.days > 0 && (slices.Max(hours[:]) != days || slices.Min(hours[:]) != days) {
				t.Errorf("warm-up %v: jobs by hour %v", warm, hours)
			}
		}
	}
}
