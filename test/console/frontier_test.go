package console

import (
	"context"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/test/running"
)

// few is a sweep of the demo that is soon over.
const few = `apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: few}
spec:
  scenario: weekday-lean
  knobs:
    - {name: spare by day, at: Scenario/spec/templates/compile-wide/agents/calendar/0/spare, values: [2, 4, 6]}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [3m, 6m]}
    - {name: floor by day, at: Scenario/spec/templates/small-steady/agents/calendar/0/floor, values: [3, 8]}
  budget: {runs: 60}
`

// two are as few variants as can be.
const two = `apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: two}
spec:
  scenario: weekday-lean
  knobs:
    - {name: spare by day, at: Scenario/spec/templates/compile-wide/agents/calendar/0/spare, values: [2, 6]}
`

// Someone who asks what to have: aims put together by picking, the answer in a sentence, the
// variants in a picture, one of them opened, made a scenario and seen as an outcome.
func TestFrontier(t *testing.T) {
	t.Parallel()
	s, c := running.StartWithCluster(t, demoWorld)
	ctx := context.Background()
	day := strings.Replace(mustGet(t, c, "weekday-lean"), "span: 2d", "span: 1d", 1)
	if _, err := c.Put(ctx, "few.yaml", []byte(few+"---\n"+two+"---\n"+day), false); err != nil {
		t.Fatal(err)
	}
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("f"))
	q.must(q.p.Until(`location.pathname.startsWith("/frontier/")`))
	q.reads("main", "Nothing has been explored", "tachyphor improve")
	q.must(q.p.Choose("#scenario", "weekday-lean"))
	q.must(q.p.Until(`location.pathname === "/frontier/weekday-lean"`))
	q.reads("#aims", "95 % of all jobs start within 2m", "bill at most 3500 a month") // those of the scenario
	q.must(q.p.Choose(`[aria-label="unit of time"]`, "m"))
	q.must(q.p.Type(`[aria-label="time"]`, "2"))
	q.must(q.p.Until(`document.querySelector("#add-aim").disabled`)) // it is there already
	q.click(`button[aria-label^="take away"]`)
	q.click(`button[aria-label^="take away"]`)
	q.reads("#aims", "nothing else than the scenario's own")
	q.must(q.p.Choose(`[aria-label="unit of time"]`, "s"))
	q.must(q.p.Choose("#sweep", "few"))
	q.must(q.p.Type(`[aria-label="time"]`, "no"))
	q.must(q.p.Until(`document.querySelector("#add-aim").disabled`))
	q.must(q.p.Type(`[aria-label="time"]`, "30"))
	q.click("#add-aim")
	q.must(q.p.Choose(`[aria-label="kind of aim"]`, "bill"))
	q.must(q.p.Type(`[aria-label="amount"]`, "4400"))
	q.click("#add-aim")
	q.must(q.p.Choose(`[aria-label="kind of aim"]`, "mean"))
	q.must(q.p.Choose(`[aria-label="whose jobs"]`, "hull-firmware"))
	q.must(q.p.Choose(`[aria-label="unit of time"]`, "m"))
	q.click("#add-aim")
	q.reads("#aims", "95 % of all jobs start within 30s", "bill at most 4400 a month", "mean start delay of hull-firmware at most 30m")
	q.must(q.p.Until(`!document.querySelector("#across")`)) // there is one workload
	q.must(q.p.Choose("#on", "brinewell-north"))
	q.click("#explore")
	q.must(q.p.Until(`location.search.includes("id=")`))
	q.see("#sentence")
	q.reads("main", "No pods came: no block of its runs was worth 1 h 00 min of one core")
	q.reads("#sentence", "Have spare by day", "it keeps all 3 aims", "sure at 95 %, tried on", "a year")
	q.must(q.p.Until(`document.querySelectorAll("main canvas").length === 1`))
	q.reads("#chosen", "Recommended", "draws that took no part in choosing", "today", "a year", "95 % of all jobs start within 30s: kept")
	q.click(`#chosen [data-why="recommended/delay"]`)
	q.reads("#why", "With what is recommended, the start delay that 95 % of jobs that start stay within", "draws that took no part in choosing", "weekday-lean (Scenario), revision 2", "with changes made in them first")
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!location.search.includes("why=")`))
	q.reads("#ladder", "as it is", "spare by day")
	q.reads("#further", "shrinkAfter")
	q.reads("#staying", "off outside Mon-Fri 07:00-19:00", "always on", "recommended", "with agents off they wait until then")
	q.reads("#matters", "of the bill")
	q.click("#difference")
	q.reads("[data-diff]", "+")
	q.click("#all")
	q.must(q.p.Until(`location.search.includes("all=yes") && document.querySelectorAll("#table tbody tr").length === 12`))
	// Another variant is opened; that is a part of the address.
	q.must(q.p.Until(`(() => { const b = [...document.querySelectorAll("#table tbody button")].find((b) => b.textContent === "as it is"); b?.click(); return !!b; })()`))
	q.must(q.p.Until(`location.search.includes("v=0")`))
	q.reads("#chosen", "As it is", "The scenario weekday-lean as it is.", "missed")
	q.goTo("/frontier/weekday-lean")
	q.must(q.p.Type("#own-name", "weekday-lean"))
	q.click("#make")
	q.reads(`#chosen [role="alert"]`, "choose another name")
	q.must(q.p.Type("#own-name", "leaner"))
	q.click("#make")
	q.reads(`#chosen [role="status"]`, "Stored: Scenario leaner")
	d, err := c.Get(ctx, document.KindScenario, "leaner", 0)
	if err != nil || strings.Contains(d.Text, "spare: 2}") {
		t.Errorf("%v %s", err, d.Text)
	}
	q.click("#open-variant")
	q.must(q.p.Until(`location.pathname.startsWith("/outcomes/")`))
	q.reads("main", "weekday-lean")
	q.goTo("/frontier/weekday-lean")
	q.click("#margin")
	q.reads("#holds", "95 % of all jobs start within 30s\" is missed today", "it would be kept with 0.", "node prices")
	// What the scenario has by itself is asked beside; one that cannot be kept says so.
	q.goTo("/frontier/weekday-lean")
	q.must(q.p.Choose(`[aria-label="kind of aim"]`, "bill"))
	q.must(q.p.Type(`[aria-label="amount"]`, "1"))
	q.click("#add-aim")
	q.click("#explore")
	q.reads("#sentence", "None of the 12 variants keeps all aims")
	q.reads("main", "Nothing is recommended.", "shown")
	// On a busier week too.
	week, err := c.Get(ctx, document.KindWorkload, "week-38", 0)
	if err != nil {
		t.Fatal(err)
	}
	busier := strings.Replace(strings.Replace(week.Text, "name: week-38}", "name: busier}", 1), "jobs: {", "jobs: {times: 1.2, ", 1)
	if _, err := c.Put(ctx, "busier.yaml", []byte(busier), false); err != nil {
		t.Fatal(err)
	}
	q.goTo("/frontier/weekday-lean")
	q.must(q.p.Choose("#sweep", "two"))
	q.reads("#across", "On what it must hold", "what the sweep says", "busier", "week-38")
	q.must(q.p.Until(`(() => { const l = [...document.querySelectorAll("#across label")]; l.forEach((x) => x.click()); return l.length === 2; })()`))
	q.reads("#across", "each of these by itself")
	q.click("#explore")
	q.reads("main", "Figures are of the workloads busier and week-38 together")
	q.must(q.p.Press("c")) // not while nothing is written in
	q.must(q.p.Until(`location.pathname === "/compare"`))
	q.quietBut("409")
}
