package console

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/test/running"
)

// A time that is brushed tells what became of its jobs, and only these are listed and taken away; the list is filtered
// and sorted by the service; another outcome is laid over; what is folded opens by its address; and each state has one.
func TestOutcomeIsBrushedAndFiltered(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	from, to := time.Date(2026, 9, 15, 6, 0, 0, 0, time.UTC), time.Date(2026, 9, 15, 12, 0, 0, 0, time.UTC)
	q.goTo(fmt.Sprintf("/outcomes/2?from=%d&to=%d", from.UnixMilli(), to.UnixMilli()))
	q.reads("#brushed", "Tue 15 Sept, 08:00:00 to Tue 15 Sept, 14:00:00", "half started within", "Nodes cost EUR", "the controller's next round", "shore-desk")
	q.reads("#jobs h2", "Jobs that are meant")
	q.reads("#part-jobs-that-waited-longest", "sort the jobs below")
	// As many jobs as the service says came in that time, and as the file has.
	part, err := c.Part(context.Background(), 2, outcome.Filter{From: from, To: to})
	q.must(err)
	q.reads("#jobs-count", fmt.Sprintf("of %d", part.Jobs))
	file, err := q.p.Say(`document.querySelector('#jobs a[href*="form=csv"][href*="what=jobs"]').getAttribute("href")`)
	q.must(err)
	if lines := strings.Count(fetch(t, c.Address, c.Token, file), "\n") - 1; lines != part.Jobs {
		t.Errorf("%s has %d jobs, the part %d", file, lines, part.Jobs)
	}
	// By a column, then of one class, both in the address.
	q.click(`#jobs thead th:nth-child(5) button`)
	q.must(q.p.Until(`location.search.includes("by=delay") && location.search.includes("down=yes")`))
	q.must(q.p.Until(`(() => {
		const cells = [...document.querySelectorAll("#jobs tbody tr td:nth-child(5)")].map((e) => e.innerText);
		return cells.length === 25 && cells[0].includes("min") && document.querySelector("#jobs th[aria-sort=descending]") !== null;
	})()`))
	q.must(q.p.Choose("#filter-class", "tide-charts"))
	q.must(q.p.Until(`[...document.querySelectorAll("#jobs tbody tr td:first-child")].every((e) => e.innerText.startsWith("tide-charts"))`))
	q.must(q.p.Choose("#filter-result", "evicted"))
	q.reads("#jobs-count", "none")
	q.click("#unfiltered")
	q.reads("#jobs h2", "Every job")
	q.must(q.p.Until(`!document.querySelector("#brushed") && !location.search.includes("from=")`))

	// Times that the outcome does not have are as near as it comes; what is no time is as if it were not there.
	q.goTo("/outcomes/2?from=1900000000000&to=1800000000000")
	q.reads("#brushed", "Wed 16 Sept, 00:00:00 to Wed 16 Sept, 00:00:00", "0 jobs")
	q.goTo("/outcomes/2?from=soon&to=1789380000000")
	q.reads("#brushed", "Mon 14 Sept")
	q.click("#whole")
	q.must(q.p.Until(`!document.querySelector("#brushed")`))

	// Laid over, and left again.
	q.must(q.p.Choose("#beside", "1"))
	q.reads("main", "below: outcome 1 of", "below each: outcome 1")
	q.must(q.p.Until(`document.querySelector('[aria-label*="in outcome 1"]') !== null`))
	q.must(q.p.Choose("#beside", ""))
	q.must(q.p.Until(`!document.querySelector('[aria-label*="in outcome 1"]')`))

	// Folded parts say their answer, and open.
	q.reads("#part-how-long-jobs-wait-to-start summary", "half within", "95 % within")
	q.click(`#contents a[href="#part-how-long-jobs-wait-to-start"]`)
	q.must(q.p.Until(`document.querySelector("#part-how-long-jobs-wait-to-start canvas") !== null`))
	// Pictures leave as they stand, charts and bars: as an SVG that can be read, and as a PNG.
	for what, says := range map[string]string{"waiting jobs, agents": "waiting", "weekday-lean: the mean job": "weekday-lean: the mean job"} {
		q.must(q.p.Until(fmt.Sprintf(`(() => {
			window.left = [];
			URL.createObjectURL = (b) => { b.text().then((t) => window.left.push(t)); return "blob:"; };
			HTMLAnchorElement.prototype.click = function () { if (this.href.startsWith("data:")) window.left.push(this.href); };
			for (const form of ["SVG", "PNG"]) document.querySelector('[aria-label^="Save as ' + form + ': %s"]').click();
			return true;
		})()`, what)))
		q.must(q.p.Until(`window.left.length === 2`))
		read, err := q.p.Say(`(([svg, png]) => png.startsWith("data:image/png") && png.length > 10000 && !svg.includes("NaN") ?
			new DOMParser().parseFromString(svg, "image/svg+xml").documentElement.textContent : "")(window.left.toSorted())`)
		if err != nil || !strings.Contains(read, says) || strings.Contains(read, "error") {
			t.Errorf("%s as a picture: %v %q", what, err, read)
		}
	}
	q.quiet()
}

// fetch gets what stands at a path of the service.
func fetch(t *testing.T, address, token, path string) string {
	t.Helper()
	req, err := http.NewRequestWithContext(context.Background(), http.MethodGet, address+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+token)
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = r.Body.Close() }()
	b, err := io.ReadAll(r.Body)
	if err != nil || r.StatusCode != 200 {
		t.Fatalf("%s: %d %v %.200s", path, r.StatusCode, err, b)
	}
	return string(b)
}

// Every number is asked why it is what it is, from the keyboard too, at an address; and a word that is pressed says what
// it means.
func TestWhyAndWords(t *testing.T) {
	t.Parallel()
	s, _ := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo("/outcomes/2")
	q.click(`[data-why="group/class/tide-charts/p95"]`)
	q.reads("#why", "stay within", "tide-charts", "Woodruff", "weekday-lean (Scenario), revision 1", "brinewell-north", "facts of the cluster are measured", "seed 41")
	q.must(q.p.Until(`location.search.includes("why=group")`))
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!document.querySelector("dialog[open] #why") && !location.search.includes("why=")`))
	q.goTo("/outcomes/2?why=bill%2Fall")
	q.reads("#why", "All that is paid in a month", "730 h", "repeats")
	q.goTo("/outcomes/2?why=bill%2Fnothing")
	q.reads("#why", "has no number bill/nothing")
	// How it stands with its aims: on its page, why, and in the lists.
	q.goTo("/outcomes/2")
	q.reads("#headline", "aims")
	q.click(`#part-aims [data-why="aim/1"]`)
	q.reads("#why", "Whether the design keeps: 95 % of all jobs start within 2m", "variance of a ratio over 3 repeats", "so that all 2 verdicts together are right in 95 of 100 cases")
	q.must(q.p.Press("\x1b"))
	q.goTo("/compare?ids=1,2")
	q.reads("#judged", "fixed-six: It misses 1 of its 2 aims: 95 % of all jobs start within 2m", "weekday-lean: ")
	// In the lists of the Desk.
	q.goTo("/")
	q.click(`[data-why="metric/cost-year"]`)
	q.reads("#why", "Twelve times the bill of a month", "revision 1")
	q.must(q.p.Press("\x1b"))
	// Of outcomes beside each other: the figure, and how it differs.
	q.goTo("/compare?ids=1,2")
	q.click(`td:nth-child(3) [data-why="metric/cost-month"]`)
	q.reads("#why", "All that is paid in a month", "730 h")
	q.reads("#against", "taken repeat by repeat", "It is")
	q.must(q.p.Until(`location.search.includes("ids=1%2C2") || location.search.includes("ids=1,2")`))
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!location.search.includes("why=") && document.querySelectorAll("tbody tr").length > 3`))
	q.goTo("/compare?ids=1,2&why=metric/nothing,2,1")
	q.reads("#why", "has no number metric/nothing")
	q.goTo("/compare?ids=1,2&why=bill/all,2,1")
	q.reads("#why", "only a number metric/KEY is compared")
	q.goTo("/outcomes/2")
	q.see("#headline")
	q.must(q.p.Until(`[...document.querySelectorAll("#headline button")].some((b) => b.innerText === "ceiling")`))
	q.must(q.p.Until(`[...document.querySelectorAll("#headline button")].find((b) => b.innerText === "ceiling").click() === undefined`))
	q.reads("[popover]:popover-open", "ceiling: most agents of a template")
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!document.querySelector("[popover]:popover-open")`))
	q.must(q.p.Press("/"))
	q.must(q.p.Type("#palette", "linger"))
	q.reads("#palette-list", "linger: how long an idle agent is kept before it goes")
}
