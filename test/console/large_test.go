package console

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/service"
	"tachyphor/test/running"
	"tachyphor/wire"

	_ "github.com/go-sql-driver/mysql"
)

// much is how much there is: under make validate three times as many templates and outcomes, and thirty times
// as many jobs in one outcome.
type much struct{ templates, scenarios, outcomes, jobs int }

func howMuch() much {
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		return much{2000, 500, 5000, 1_000_000}
	}
	return much{700, 350, 1700, 33_000}
}

// weight is what a page costs whoever opens it.
type weight struct {
	requests, kilobytes float64 // as packed
	longTasks           float64 // during which the page answers nobody
	longest             float64 // ms
}

// weighed opens a page as somebody does who has been here before, and says what it cost.
func (q *person) weighed(path, see string) weight {
	q.t.Helper()
	q.goTo(path)
	q.see(see)
	q.must(q.p.Until(`!document.querySelector("main").innerText.includes("Loading ")`))
	q.must(q.p.Until(`(() => {
		window.tasks ??= (() => {
			const list = [];
			new PerformanceObserver((l) => list.push(...l.getEntries().map((e) => e.duration))).observe({ type: "longtask", buffered: true });
			return list;
		})();
		const now = performance.getEntriesByType("resource").length;
		const times = window.quiet?.[0] === now ? window.quiet[1] + 1 : 0;
		window.quiet = [now, times];
		return times >= 20;
	})()`))
	number := func(js string) float64 {
		n, err := q.p.Number(js)
		q.must(err)
		return n
	}
	return weight{
		number(`performance.getEntriesByType("resource").filter((r) => r.name.includes("/api/")).length`),
		number(`performance.getEntriesByType("resource").filter((r) => r.name.includes("/api/")).reduce((sum, r) => sum + r.encodedBodySize, 0) / 1000`),
		number(`window.tasks.length`), number(`Math.max(0, ...window.tasks)`),
	}
}

// With 2,000 templates, 500 scenarios, 5,000 outcomes and an outcome of very many jobs every page asks the service little
// and answers its reader: lists are in pages, sums and orders are the service's.
func TestPagesOfMuch(t *testing.T) {
	t.Parallel()
	ctx, is := context.Background(), howMuch()
	db, err := mariadb.Start(ctx, mariadb.Options{Dir: t.TempDir(), Log: slog.New(slog.NewTextHandler(io.Discard, nil)), Unsafe: true})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = db.Close() })
	s, c := running.StartAs(t, service.Config{Database: db.DSN("tachyphor"), Cluster: kube.Options{Kubeconfig: os.DevNull}})
	if err := load(c); err != nil {
		t.Fatal(err)
	}
	template, err := os.ReadFile("../../demo/templates/small-steady.yaml")
	if err != nil {
		t.Fatal(err)
	}
	scenario, err := os.ReadFile("../../demo/scenarios/weekday-lean.yaml")
	if err != nil {
		t.Fatal(err)
	}
	many := func(text, name string, n int) {
		t.Helper()
		var b strings.Builder
		for i := range n {
			b.WriteString("---\n" + strings.Replace(text, "name: "+name, fmt.Sprintf("name: %s-%04d", name, i), 1))
			if b.Len() > 3<<20 || i == n-1 {
				if _, err := c.Put(ctx, "", []byte(b.String()), false); err != nil {
					t.Fatal(err)
				}
				b.Reset()
			}
		}
	}
	many(string(template), "small-steady", is.templates)
	many(string(scenario), "weekday-lean", is.scenarios)
	world := fmt.Sprintf(`apiVersion: tachyphor/v1
kind: Workload
metadata: {name: much}
spec:
  start: 2026-09-14T00:00:00Z
  zone: UTC
  classes:
  - {name: relay-gateway, project: relay-gateway, wants: [linux, go], work: 75s, cores: 1, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: %d}]}}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: much}
spec:
  cluster: brinewell-north
  workload: much
  templates: [{template: small-steady, agents: {ceiling: 400}}]
  nodes: {pools: {burst: {max: 60}}}
  run: {span: 1d, repeats: 1}
`, is.jobs/24)
	if _, err := c.Put(ctx, "", []byte(world), false); err != nil {
		t.Fatal(err)
	}
	o, err := c.Simulate(ctx, "much", wire.Run{})
	if err == nil {
		o, err = c.Watch(ctx, o.ID, func(wire.WorkBrief) {})
	}
	if err != nil || o.State != wire.Done {
		t.Fatal(o, err)
	}
	again(t, db.DSN("tachyphor"), 2, is.outcomes)

	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	first, err := q.p.Number(`performance.getEntriesByType("resource").filter((r) => /\.(js|css)/.test(r.name)).reduce((sum, r) => sum + r.encodedBodySize, 0) / 1000`)
	q.must(err)
	t.Logf("scripts and styles of the first page: %.0f kB", first)
	if first > 150 || first < 50 {
		t.Errorf("scripts and styles of the first page are %.0f kB, packed; at most 150", first)
	}
	var table strings.Builder
	for _, x := range []struct{ path, see string }{
		{"/", "#path li"},
		{"/templates", "main table"},
		{"/templates/small-steady-0634", ".cm-content"},
		{"/scenarios/weekday-lean-0321", "#part-run"},
		{"/new", "#from-nothing"},
		{fmt.Sprintf("/outcomes/%d", o.ID), "#jobs tbody tr"},
		{fmt.Sprintf("/outcomes/%d?by=delay&down=yes", o.ID), "#jobs tbody tr"},
		{fmt.Sprintf("/outcomes/%d?from=1789380000000&to=1789383600000", o.ID), "#brushed table"},
		{"/compare", "main"},
		{"/compare?ids=1,2", "#headline"},
		{"/frontier/weekday-lean", ".page h1, .page h2"},
		{"/caching/weekday-lean", ".page h1, .page h2"},
		{"/backtest/weekday-lean", ".page h1, .page h2"},
		{"/live", ".page h1, .page h2"},
		{"/clusters/brinewell-north", "main table"},
		{"/workloads/much", "main table"},
		{"/service", "#audit table"},
	} {
		w := q.weighed(x.path, x.see)
		path := strings.Replace(x.path, fmt.Sprintf("outcomes/%d", o.ID), "outcomes/N", 1)
		fmt.Fprintf(&table, "| `%s` | %.0f | %.0f | %.0f | %.0f |\n", path, w.requests, w.kilobytes, w.longTasks, w.longest)
		if w.requests > 16 || w.kilobytes > 150 {
			t.Errorf("%s asks %.0f times for %.0f kB; at most 16 and 150", x.path, w.requests, w.kilobytes)
		}
	}
	// What is looked for is found by the service, in any order, page by page.
	q.goTo("/?by=cost&down=yes")
	q.reads("#part-scenarios", fmt.Sprint("100 of ", is.scenarios/10)) // and some more
	q.click("#more")
	q.reads("#part-scenarios", fmt.Sprint("200 of ", is.scenarios/10))
	q.must(q.p.Type("#scenario-text", "lean-0349"))
	q.must(q.p.Press("\r"))
	q.must(q.p.Until(`location.search.includes("text=lean-0349")`))
	q.must(q.p.Until(`document.querySelectorAll("#part-scenarios tbody tr").length === 1`))
	q.goTo("/templates?by=cpu&down=yes")
	templates := strings.TrimSuffix(units.Fixed(float64(is.templates), 0), "0")
	q.reads("#part-templates", "100 of "+templates)
	q.must(q.p.Until(`document.querySelector("tbody tr td:nth-child(4)").innerText === "9"`))
	q.click("#more")
	q.reads("#part-templates", "200 of "+templates)
	q.must(q.p.Type("#template-text", "steady-0634"))
	q.must(q.p.Press("\r"))
	q.must(q.p.Until(`location.search.includes("text=steady-0634") && document.querySelectorAll("tbody tr").length === 1`))
	q.goTo("/templates?text=arm-cross") // among what is offered
	q.must(q.p.Until(`[...document.querySelectorAll("tbody tr")].length === 1`))
	q.goTo("/caching/weekday-lean-0349")
	q.must(q.p.Until(`document.querySelector("#scenario")?.value === "weekday-lean-0349"`))
	q.must(q.p.Type("#scenario", "lean-0321")) // there are more than a list could offer
	q.must(q.p.Until(`[...document.querySelectorAll("#scenarios-found option")].map((e) => e.value).join() === "weekday-lean-0321"`))
	q.must(q.p.Press("\r"))
	q.must(q.p.Until(`location.pathname === "/caching/weekday-lean-0321"`))
	t.Logf("%d jobs\n%s", int(o.Simulation.Summary.Jobs), table.String())
	if file := os.Getenv("TACHYPHOR_PAGES"); file != "" {
		if err := os.WriteFile(filepath.Clean(file), []byte(table.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// again puts a finished piece of work into the records so many times more.
func again(t *testing.T, dsn string, id uint64, times int) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	rows, err := db.Query("SHOW COLUMNS FROM work")
	if err != nil {
		t.Fatal(err)
	}
	var names []string
	for rows.Next() {
		var name, kind string
		var rest [4]sql.NullString
		if err := rows.Scan(&name, &kind, &rest[0], &rest[1], &rest[2], &rest[3]); err != nil {
			t.Fatal(err)
		}
		if name != "id" {
			names = append(names, "`"+name+"`")
		}
	}
	if err := rows.Err(); err != nil {
		t.Fatal(err)
	}
	list := strings.Join(names, ", ")
	if _, err := db.Exec(fmt.Sprintf("INSERT INTO work (%s) SELECT %s FROM work, seq_1_to_%d WHERE id = %d", list, list, times, id)); err != nil {
		t.Fatal(err)
	}
}
