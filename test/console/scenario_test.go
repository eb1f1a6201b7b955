package console

import (
	"context"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/test/running"
)

// text is what the editor beside the fields shows.
const text = `document.querySelector(".cm-content").innerText`

// A scenario is changed whole: by its fields, in its text, with both in step; what is wrong stands at its field; what
// changed is said in words and can be undone; one run of it is shown at once; and nothing is lost before it is stored.
func TestScenarioIsWrittenWhole(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo("/scenarios/weekday-lean")
	q.reads("#glance", "Change something")
	q.see(".cm-content")

	// A number goes into the text, and one run tells what it does.
	q.must(q.p.Type("#field-templates-1-agents-spare", "9"))
	q.must(q.p.Until(text + `.includes("spare: 9")`))
	q.reads("#changed", "small-steady: spare is 9, was 1")
	q.reads("#glance", "now", "as stored", "a month", "not stored")
	// What it must keep is put together, goes into the text, and one run tells how it stands.
	q.must(q.p.Type(`#field-aims input[aria-label="time"]`, "5"))
	q.click("#add-aim")
	q.must(q.p.Until(text + `.includes("95 % of all jobs start within 5s")`))
	q.reads("#glance", "In one run, which decides nothing", "95 % of all jobs start within 5s: it is")
	q.click(`#field-aims [aria-label="take away: bill at most 3500 a month"]`)
	q.reads("#changed", "aims")
	q.must(q.p.Until("!" + text + `.includes("at most 3500")`))
	// In another order, with what stands above an entry.
	q.click(`[aria-label="Later: templates 1"]`)
	q.reads("#changed", "order of templates is small-steady, compile-wide, image-maker")
	q.must(q.p.Until(`document.querySelector("#field-templates-0-agents-spare").value === "9"`))
	// Drawn on the week.
	q.must(q.p.Until(`(() => {
		const week = document.querySelector('svg[aria-label^="The week of calendar"]');
		week.scrollIntoView({ block: "center" });
		const box = week.getBoundingClientRect();
		const at = (day, hour) => ({ clientX: box.left + ((30 + (hour + 0.5) * 14) / 366) * box.width,
			clientY: box.top + (((day + 0.5) * 13) / 105) * box.height, bubbles: true, pointerId: 1 });
		week.setPointerCapture = () => {};
		week.dispatchEvent(new PointerEvent("pointerdown", at(5, 9)));
		week.dispatchEvent(new PointerEvent("pointermove", at(6, 12)));
		return true;
	})()`))
	q.see(`svg[aria-label^="The week of calendar"] rect[stroke="var(--color-warning)"]`)
	q.must(q.p.Until(`document.querySelector('svg[aria-label^="The week of calendar"]').dispatchEvent(new PointerEvent("pointerup", { bubbles: true }))`))
	q.must(q.p.Until(`document.querySelector("#field-templates-0-agents-calendar-1-when")?.value === "Sat-Sun 09:00-13:00"`))
	q.must(q.p.Type("#field-templates-0-agents-calendar-1-floor", "1"))
	q.reads("#changed", "Sat-Sun 09:00-13:00")
	// Parts that were not there are made by their fields; those that are emptied go.
	q.click("#part-limits summary")
	q.must(q.p.Type("#field-quota-memory", "200Gi"))
	q.must(q.p.Until(text + `.includes("200Gi")`))
	q.click("#field-events-add")
	q.must(q.p.Until(`document.querySelector("#field-events-0-controllerAway")?.checked`))
	q.reads("#changed", "quota.memory is 200Gi, was not set", "events: Mon-Fri 09:00-10:00 (controllerAway yes) added")
	// What is wrong stands where it is, and beside the text.
	q.must(q.p.Type("#field-nodes-growth-scan", "often"))
	q.reads(`div:has(> #field-nodes-growth-scan) [role="alert"]`, "not a duration")
	q.must(q.p.Until(`document.querySelector("#simulate").disabled && !!document.querySelector(".cm-lint-marker-error")`))
	q.reads("#glance", "once nothing is wrong")
	q.click("#undo")
	q.must(q.p.Until(`!document.querySelector("#simulate").disabled && document.querySelector("#field-nodes-growth-scan").value === "10s"`))
	q.click("#redo")
	q.must(q.p.Until(`document.querySelector("#field-nodes-growth-scan").value === "often"`))
	q.click("#undo")
	// In the text: the fields follow, and stay as they were while it is no document.
	q.click(".cm-content")
	q.must(q.p.Press("{[: "))
	q.reads("#faults", "cannot be read")
	q.click("#undo")
	q.must(q.p.Until(`!document.querySelector("#faults") && document.querySelector("#field-templates-0-agents-spare").value === "9"`))

	q.quiet()

	// It outlives a reload, and what somebody else stores meanwhile.
	q.goTo("/scenarios/weekday-lean")
	q.reads("#changed", "small-steady: spare is 9, was 1", "quota.memory")
	d, err := c.Get(context.Background(), document.KindScenario, "weekday-lean", 0)
	if err != nil || d.Revision != 1 {
		t.Fatalf("revision %d before anything was stored, %v", d.Revision, err)
	}
	if _, err := c.Put(context.Background(), "", []byte(strings.Replace(d.Text, "repeats: 3", "repeats: 5", 1)), false); err != nil {
		t.Fatal(err)
	}
	q.click("#store")
	q.reads(`[role="alert"]`, "Somebody else has stored another revision", "Your text stays here")
	q.must(q.p.Until(`document.querySelector("#field-templates-0-agents-spare").value === "9"`))
	q.reads("main", "Somebody else has stored revision 2 since you began")
	q.click("#drop")
	q.must(q.p.Until(`document.querySelector("#field-run-repeats").value === "5" && document.querySelector("#store").disabled`))
	q.reads("#changed", "Changed since outcome", "run.repeats is 5, was 3")
}

// New scenarios are begun from a copy, or from a cluster, a workload and templates, and stored from their page.
func TestNewScenario(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 390, 844, true)
	q.goTo("/scenarios/fixed-six")
	q.click(`a[href="/new?from=fixed-six"]`)
	q.must(q.p.Type("#name", "Fixed Seven"))
	q.reads("#name-says", "Lower-case letters")
	q.must(q.p.Type("#name", "fixed-six"))
	q.reads("#name-says", "There is a scenario of that name")
	q.must(q.p.Type("#name", "fixed-seven"))
	q.click("#begin")
	q.must(q.p.Until(`location.pathname === "/scenarios/fixed-seven"`))
	q.reads("main", "not stored yet")
	q.reads("#glance", "one run")
	q.must(q.p.Type("#field-templates-0-agents-ceiling", "7"))
	q.must(q.p.Until(`!document.querySelector("#store").disabled`))
	q.click("#store")
	q.reads("main", "revision 1")
	d, err := c.Get(context.Background(), document.KindScenario, "fixed-seven", 0)
	if err != nil || !strings.Contains(d.Text, "ceiling: 7") {
		t.Errorf("%v\n%s", err, d.Text)
	}

	q.goTo("/new")
	q.must(q.p.Type("#name", "from-nothing"))
	q.must(q.p.Until(`document.querySelector("#cluster").value === "brinewell-north"`))
	for _, use := range []string{"compile-wide", "small-steady"} {
		q.click(`input[value="` + use + `"]`)
	}
	q.must(q.p.Until(`document.querySelectorAll("input[type=checkbox]:checked").length === 2`))
	q.click("#begin")
	q.must(q.p.Until(`location.pathname === "/scenarios/from-nothing"`))
	q.reads("#glance", "one run", "a month")
	q.click("#simulate")
	q.must(q.p.Until(`location.pathname.startsWith("/outcomes/")`))
	q.reads("#headline", "a month")
	q.quiet()
}
