package console

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/test/logs"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// Someone with an export of their job system: what it says is understood but for a word,
// which is told; a column is told otherwise; the week and the classes are looked at; and it
// is stored.
func TestLearn(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("l"))
	q.must(q.p.Until(`location.pathname === "/learn"`))
	jobs := logs.Make(5, time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC), 14)
	data := bytes.ReplaceAll(logs.Export(jobs), []byte(";CUT\n"), []byte(";WOBBLY\n"))
	file := filepath.Join(t.TempDir(), "Export of September.csv")
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}
	q.must(q.p.Upload("#log", file))
	q.see("#refused")
	q.must(q.p.Type("#zone", "Europe/Oslo"))
	q.must(q.p.Press("\t"))
	q.reads("#columns", "Queued")
	q.reads("#refused", `what does "WOBBLY" mean`)
	q.reads("#columns", "Queued", "D.M.YYYY hh:mm:ss", "[arm-cross,cxx,linux]")
	q.must(q.p.Type("#words", "wobbly=cut"))
	q.must(q.p.Press("\t"))
	q.reads("#jobs", "jobs from 2026-09-07")
	q.reads("main", "cut: they come as recorded", "hull-firmware", "arm-cross cxx linux", "log-normal", "semicolons", "at most")
	q.must(q.p.Choose(`[aria-label="what Runner Tags says"]`, ""))
	q.must(q.p.Until(`!document.querySelector("main").innerText.includes("arm-cross cxx linux")`))
	q.must(q.p.Choose(`[aria-label="what Runner Tags says"]`, "wants"))
	q.reads("main", "arm-cross cxx linux")
	q.must(q.p.Type("#name", "september"))
	q.click("#store")
	q.reads(`[role="status"]`, "september is stored as revision 1")
	d, err := c.Get(context.Background(), document.KindWorkload, "september", 0)
	if err != nil || !strings.Contains(d.Text, "hull-firmware") || !strings.Contains(d.Text, "zone: Europe/Oslo") {
		t.Errorf("%v %s", err, d.Text)
	}
	q.quiet()
}

// What a cluster's facts are known from, and which template each class of a workload gets,
// stand on pages of their own.
func TestClusterAndDemand(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	d, err := c.Get(context.Background(), document.KindCluster, "brinewell-north", 0)
	if err != nil {
		t.Fatal(err)
	}
	text := strings.Replace(d.Text, "  currency: EUR", "  currency: EUR\n  measured: [{fact: pools.burst.boot, value: 85s, at: 2026-01-02T00:00:00Z, count: 41, low: 80s, "+
		"high: 92s, spread: [61s, 75s, 85s, 99s, 130s], how: from asking to ready}, {fact: nodeTypes.octo-64, value: as it is, at: 2026-11-02T00:00:00Z, how: capacity}]", 1)
	if _, err := c.Put(context.Background(), "", []byte(text), false); err != nil {
		t.Fatal(err)
	}
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo("/scenarios/weekday-lean")
	q.click(`a[href="/clusters/brinewell-north"]`)
	q.reads("main", "of 14 are measured and not old", "pools.burst.boot", "old", "from asking to ready", "never measured", "42.5 s to 2 min 50 s",
		"Measured besides", "nodeTypes.octo-64")
	q.see(`svg[aria-label^="Measured: 61 s, 75 s, 85 s, 99 s, 2 min 10 s"]`)
	q.see(`svg[aria-label$="Nothing was measured."]`)
	q.goTo("/scenarios/weekday-lean")
	q.click(`a[href="/workloads/week-38"]`)
	q.reads("main", "9,623 recorded jobs", "at most 229 an hour", "none: compile-wide lacks arm-corss", "small-steady", "templates of")
	q.must(q.p.Choose("#scenario", "fixed-six"))
	q.must(q.p.Until(`location.search.includes("scenario=fixed-six")`))
	w, err := c.Get(context.Background(), document.KindWorkload, "week-38", 0)
	if err != nil {
		t.Fatal(err)
	}
	text = strings.Replace(w.Text, "{name: hull-firmware, ", "{name: hull-firmware, ended: {jobs: 400, failed: 31, cut: 2}, ", 1)
	if _, err := c.Put(context.Background(), "", []byte(text), false); err != nil {
		t.Fatal(err)
	}
	q.goTo("/workloads/week-38")
	q.reads("main", "cut short", "31 (7.8 %)", "2 (0.5 %)")
	q.goTo("/outcomes/1")
	q.click("#doubt")
	q.reads("main", "Measure", "if it were", "no sure change", "repeats on the same draws", "Nothing hangs on")
	q.click("#pulls")
	q.unfold()
	q.reads("main", "of it waiting for images", "wide:2026.9 (2.3 GB) weighed nothing", "images part of what nodes boot from", "How long agents lived")
	for _, name := range []string{"bad-day", "rolled-out"} {
		b, err := os.ReadFile("../../demo/needs/" + name + ".yaml")
		if err != nil {
			t.Fatal(err)
		}
		if _, err := c.Put(context.Background(), "", b, false); err != nil {
			t.Fatal(err)
		}
		asked, err := c.Simulate(context.Background(), name, wire.Run{})
		if err != nil {
			t.Fatal(err)
		}
		q.goTo(fmt.Sprint("/outcomes/", asked.ID))
		q.reads("#happened", map[string]string{
			"bad-day": "the controller is away (an update)", "rolled-out": "small-steady becomes small-steady-next, idle agents are taken away",
		}[name])
	}
	cached, err := c.Simulate(context.Background(), "cached", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	q.goTo(fmt.Sprint("/outcomes/", cached.ID))
	q.unfold()
	q.reads("main", "Most read workspaces", "out of date for")
	q.goTo("/workloads/nothing")
	q.reads(`[role="alert"]`, "there is no workload nothing")
	q.quietBut("404")
}
