package console

import (
	"bytes"
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/demo"
	"tachyphor/internal/standin/jobs"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// What happened, looked at, made a workload of, and held beside what was predicted; the fact that
// explains the difference is taken over.
func TestLiveAndBacktest(t *testing.T) {
	t.Parallel()
	s, c := running.StartWithCluster(t, demoWorld)
	ctx := context.Background()
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("v"))
	q.reads("main", "No jobs have been reported yet", "tachyphor token new collector")
	q.must(q.p.Type("#namespace", "slipway"))
	q.click("#follow")
	q.reads("#agents", "There are no agents in slipway", "brinewell-north")
	q.must(q.p.Choose("#beside", "weekday-lean"))
	q.reads("#counts", "usual")
	if _, err := c.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "compile-wide"}); err != nil {
		t.Fatal(err)
	}
	q.reads("#agents", "compile-wide-", "gone")
	list, err := jobs.Read(bytes.NewReader(demo.AsItWent))
	if err != nil {
		t.Fatal(err)
	}
	list = slices.DeleteFunc(list, func(h jobs.Happening) bool { return !h.Queued.Before(time.Date(2026, 9, 16, 0, 0, 0, 0, time.UTC)) }) // two days do
	if _, err := jobs.Send(ctx, list[:len(list)-5], jobs.Sending{Address: c.Address, Token: c.Token, As: jobs.AsEvents}); err != nil {
		t.Fatal(err)
	}
	q.reads("#sum", "runs from 2026-09-14", "Last heard") // by itself, after a while
	q.reads("#queue", "jobs waiting", "usual", "jobs running")
	q.must(q.p.Until(`document.querySelectorAll("main table tbody tr").length === 25`))
	q.must(q.p.Choose("#state", "silent"))
	q.must(q.p.Until(`[...document.querySelectorAll("main table tbody tr")].every((r) => r.innerText.includes("silent"))`))
	q.must(q.p.Type("#project", "tide-charts"))
	q.click("#cut")
	q.reads("#cut-says", "jobs of 1 class: tide-charts")
	q.must(q.p.Type("#name", "tides"))
	q.click("#cut")
	q.reads("#cut-says", "Stored: Workload tides")
	if d, err := c.Get(ctx, document.KindWorkload, "tides", 0); err != nil || strings.Contains(d.Text, "shore-desk") {
		t.Errorf("%v %s", err, d.Text)
	}

	q.must(q.p.Press("d"))
	q.see("main h2")
	q.must(q.p.Press("b"))
	q.must(q.p.Until(`location.pathname.startsWith("/backtest/")`))
	q.must(q.p.Choose("#scenario", "weekday-lean"))
	q.reads("main", "weekday-lean has not been compared", "--log export.csv")
	q.must(q.p.Choose("#source", "own"))
	q.click("#ask")
	q.reads("main", "The backtest failed", "does not say when its jobs started")
	q.must(q.p.Choose("#source", "live"))
	q.click("#ask")
	q.reads("#verdict", "It did not come true", "the simulation is nearer than both")
	q.reads("#cause", "pools.burst.boot would have come out nearest", "of the error", "more than chance")
	q.must(q.p.Until(`document.querySelectorAll("main canvas").length === 2`))
	q.reads("#groups", "start delay, 95 %", "off", "hull-firmware")
	q.reads("main", "Beside forecasts that know nothing of the design", "the same hour as it was last")
	q.answered("backtests", 60)
	q.click(`#cause [data-why="fact/pools.burst.boot/would"]`)
	q.reads("#why", "The value of pools.burst.boot with which the jobs would have come out nearest", "within these bounds in 95 of 100", "weekday-lean (Scenario), revision 1", "recorded jobs")
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!location.search.includes("why=")`))
	q.click("#take-over")
	q.reads("#cause [role=status]", "Stored: Cluster brinewell-north", "revision 2")
	d, err := c.Get(ctx, document.KindCluster, "brinewell-north", 0)
	if err != nil || !strings.Contains(d.Text, "fact: pools.burst.boot") {
		t.Errorf("%v %s", err, d.Text)
	}

	// Followed from then on, it drifts, for what was taken over came later; the Desk says so.
	q.must(q.p.Type("#follow-from", "09142026"))
	q.click("#follow")
	q.reads("#standing", "As predicted")
	q.must(q.p.Until(`document.querySelectorAll("#trail option").length > 2`))
	q.must(q.p.Until(`document.querySelectorAll("#nights canvas").length === 1`))
	q.must(q.p.Press("d"))
	q.reads("#happens", "weekday-lean", "As predicted")
	q.must(q.p.Press("a"))
	q.must(q.p.Until(`location.pathname.startsWith("/ahead/")`))
	q.must(q.p.Choose("#scenario", "weekday-lean"))
	q.must(q.p.Choose("#source", "own"))
	q.click("#ask")
	q.reads("#says", "In the week of 21 September about")
	q.reads("#queues", "Every day 02:00 to 03:00")
	q.must(q.p.Until(`document.querySelectorAll("main canvas").length === 4`))
	q.answered("forecasts", 22)
	q.click(`[data-why="delay/95"]`)
	q.reads("#why", "The start delay that 95 % of the week's jobs stay within", "24 weeks are drawn", "Nine in ten weeks", "week-38 (Workload), revision 1")
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!location.search.includes("why=")`))
	q.must(q.p.Choose("#source", "live"))
	q.must(q.p.Type("#week", "09152026"))
	q.click("#ask")
	q.reads("main", "The forecast failed", "no whole week")
	q.must(q.p.Press("b"))
	q.must(q.p.Until(`location.pathname.startsWith("/backtest/")`))
	q.must(q.p.Choose("#scenario", "weekday-lean"))
	q.click("#leave")
	q.see("#follow")
}
