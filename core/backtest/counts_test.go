package backtest_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"tachyphor/core/backtest"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// Agents, nodes and a bill of a run like the others are no further off than chance explains; others are.
func TestCountsAndBill(t *testing.T) {
	text, jobs, err := worlds.DemoText("weekday-lean")
	if err != nil {
		t.Fatal(err)
	}
	in, err := worlds.Read(text, jobs)
	if err != nil {
		t.Fatal(err)
	}
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w.AsTaken(), 9, 1000, nil)
	if err != nil {
		t.Fatal(err)
	}
	var csv strings.Builder
	csv.WriteString("at,agents,nodes\n")
	width := trace.Lines.Width
	for b := range trace.Lines.Waiting.Area {
		from := units.Duration(b) * width
		until := min(from+width, w.Plan.Span)
		sum := func(lines []sim.Line) (n float64) {
			for _, l := range lines {
				n += l.Area[b].Float() / float64(until-from)
			}
			return n
		}
		fmt.Fprintf(&csv, "%s,%.3f,%.3f\n", w.Start.Add(time.Duration(from+(until-from)/2)).Format(time.RFC3339), sum(trace.Lines.Agents[:]), sum(trace.Lines.Nodes))
	}
	seen, err := backtest.ReadCounts(strings.NewReader(csv.String()))
	if err != nil {
		t.Fatal(err)
	}
	paid := float64(units.AmountOf(outcome.Paid(trace)))
	try := func(times float64) *backtest.Backtest {
		var other []backtest.CountSeen
		for _, x := range seen {
			other = append(other, backtest.CountSeen{At: x.At, Agents: x.Agents, Nodes: new(*x.Nodes * times)})
		}
		q, err := backtest.Ask([]backtest.Design{{In: in}}, lived(t, in, 9), backtest.Options{Now: now, Seen: other, Paid: paid * times})
		if err != nil {
			t.Fatal(err)
		}
		b, err := q.Try(2, nil)
		if err != nil {
			t.Fatal(err)
		}
		askEvery(t, b)
		return b
	}
	b := try(1)
	if len(b.Counted) != 2 || b.Counted[0].What != "agents" || b.Counted[0].Off || b.Counted[1].Off || b.Counted[1].Records < 300 || len(b.Counted[1].Hours) != 168 || b.Paid == nil || b.Paid.Off {
		t.Errorf("a run like the others: %+v %+v", b.Counted, b.Paid)
	}
	b = try(1.3)
	if b.Counted[0].Off || !b.Counted[1].Off || !b.Paid.Off || b.Paid.Ratio > 0.85 || !strings.Contains(b.Paid.Says, "more than chance explains") || !strings.Contains(b.Counted[1].Says, "nodes were recorded where") {
		t.Errorf("a third more: %+v %+v", b.Counted, b.Paid)
	}
}

// What cannot be read is refused with its place.
func TestReadCounts(t *testing.T) {
	for text, says := range map[string]string{
		"":                                      "",
		"at\n1\n":                               "neither agents nor nodes",
		"at,agents\n":                           "no rows",
		"agents\n1\n":                           "at",
		"at,agents\nyesterday,1\n":              `"yesterday": expected a time`,
		"at,agents\n2026-09-14T06:00:00Z,-1\n":  `"-1": expected a number`,
		"at,nodes\n2026-09-14T06:00:00Z,NaN\n":  `"NaN": expected a number`,
		"at,nodes\n2026-09-14T06:00:00Z,1e99\n": "expected a number",
	} {
		if _, err := backtest.ReadCounts(strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%q: %v", text, err)
		}
	}
	got, err := backtest.ReadCounts(strings.NewReader("at,agents,nodes\n1789365600,3,\n2026-09-14T06:00:00Z,,2\n"))
	if err != nil || len(got) != 2 || *got[0].Agents != 3 || got[0].Nodes != nil || *got[1].Nodes != 2 || !got[0].At.Equal(got[1].At) {
		t.Errorf("%+v, %v", got, err)
	}
}
