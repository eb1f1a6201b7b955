// Package console drives the console in headless Chromium as a person would.
package console

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/demo"
	"tachyphor/internal/service"
	"tachyphor/test/browser"
	"tachyphor/test/running"
	"tachyphor/web"
	"tachyphor/wire"
)

// demoWorld is a state folder with the demo world.
var demoWorld = running.Filled(load)

// load stores the demo world and simulates two scenarios.
func load(c *client.Client) error {
	ctx := context.Background()
	csv, err := demo.World.Open("week-38.csv")
	if err != nil {
		return err
	}
	r, err := c.PutRecording(ctx, csv, nil, false)
	if err != nil {
		return err
	}
	var stream strings.Builder
	err = fs.WalkDir(demo.World, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".yaml") {
			return err
		}
		b, err := fs.ReadFile(demo.World, path)
		text := strings.NewReplacer("repeats: 8", "repeats: 3", "span: 7d", "span: 2d").Replace(string(b)) // it is of the console that these tests are
		if path == "workload.yaml" {
			text, err = document.Apply(text, []document.Edit{{Op: "add", Path: "/spec/jobs/digest", Value: r.Digest}})
		}
		stream.WriteString("---\n" + text)
		return err
	})
	if err != nil {
		return err
	}
	if _, err := c.Put(ctx, "", []byte(stream.String()), false); err != nil {
		return err
	}
	for _, s := range []string{"fixed-six", "weekday-lean"} {
		o, err := c.Simulate(ctx, s, wire.Run{})
		if err != nil {
			return err
		}
		if _, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil {
			return err
		}
	}
	return nil
}

// person is someone at the console; every step that fails ends the test with a
// picture of the page.
type person struct {
	t       *testing.T
	p       *browser.Page
	address string
}

func sit(t *testing.T, s *service.Service, link string, width, height int64, dark bool) *person {
	t.Helper()
	if web.Console() == nil {
		t.Fatal("the program was built without the console; run make build first")
	}
	p, err := browser.Open(width, height, dark)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(p.Close)
	q := &person{t, p, s.Access.Address}
	q.must(p.Go(link))
	q.see("main")
	return q
}

func (q *person) must(err error) {
	q.t.Helper()
	if err == nil {
		return
	}
	where := ""
	if png, e := q.p.Picture(); e == nil {
		where = filepath.Join(os.TempDir(), strings.ReplaceAll(q.t.Name(), "/", "-")+".png")
		_ = os.WriteFile(where, png, 0o600)
	}
	q.t.Fatalf("%v (%s; console: %v)", err, where, q.p.Messages())
}

func (q *person) see(selector string)   { q.t.Helper(); q.must(q.p.See(selector)) }
func (q *person) click(selector string) { q.t.Helper(); q.must(q.p.Click(selector)) }
func (q *person) goTo(path string)      { q.t.Helper(); q.must(q.p.Go(q.address + path)) }

func (q *person) reads(selector string, words ...string) {
	q.t.Helper()
	for _, w := range words {
		find := fmt.Sprintf(`[...document.querySelectorAll(%q)].some((e) => e.innerText.replace(/\s+/g, " ").includes(%q))`, selector, w)
		if err := q.p.Until(find); err != nil {
			text, _ := q.p.Text(selector)
			q.must(fmt.Errorf("%s lacks %q (%w): %.300s", selector, w, err, text))
		}
	}
}

// answered asks why of every number of the page that can be asked, of the work that its address names: all have an answer.
func (q *person) answered(kind string, least int) {
	q.t.Helper()
	q.must(q.p.Until(fmt.Sprintf(`(() => {
		const names = [...new Set([...document.querySelectorAll("[data-why]")].map((e) => e.dataset.why))];
		if (names.length < %d) return false;
		const id = new URLSearchParams(location.search).get("id");
		const ask = (of) => fetch("/api/v1/%s/" + id + "/why?of=" + encodeURIComponent(of)).then((r) => (r.ok ? "" : of));
		Promise.all(names.map(ask)).then((list) => { window.unanswered = list.filter(Boolean); });
		return true;
	})()`, least, kind)))
	q.must(q.p.Until(`window.unanswered !== undefined`))
	if names, err := q.p.Say(`(() => { const left = window.unanswered.join(); delete window.unanswered; return left; })()`); err != nil || names != "" {
		q.t.Errorf("no answer to %s (%v)", names, err)
	}
}

// unfold opens every part that is folded behind its answer.
func (q *person) unfold() {
	q.t.Helper()
	q.must(q.p.Until(`((all) => all.length > 0 && all.every((d) => (d.open = true)))([...document.querySelectorAll("section > details")])`))
}

// quiet checks that the browser had nothing to complain about.
func (q *person) quiet() {
	q.t.Helper()
	if m := q.p.Messages(); len(m) > 0 {
		q.t.Errorf("the browser complains: %v", m)
	}
}

// The whole way: sign in, find the demo world, keep another agent spare,
// simulate, see what it does and why, compare.
func TestFirstVisit(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.reads("main", "fixed-six", "weekday-lean", "One agent for each job", "not simulated yet", "The way to a decision")
	q.click(`a[href="/scenarios/weekday-lean"]`)
	q.reads("main", "offers arm-cross, cxx", "Last outcome", "brinewell-north")
	q.must(q.p.Type("#field-templates-0-agents-calendar-0-spare", "6"))
	q.reads("#simulate", "Store and simulate")
	q.reads("#glance", "one run", "as stored")
	q.reads("#changed", "compile-wide, Mon-Fri 07:30-21:00: spare is 6, was 2")
	q.click("#simulate")
	q.must(q.p.Until(`location.pathname === "/outcomes/3"`))
	q.reads("#headline", "that start do so within", "a month")
	q.reads("main", "hull-bootloader can never start", "arm-cross", "What the delay was spent on", "The bill", "agents idle",
		"Jobs that waited longest")
	q.must(q.p.Until(`document.querySelectorAll("canvas").length >= 1`))
	d, err := c.Get(context.Background(), document.KindScenario, "weekday-lean", 0)
	if err != nil || d.Revision != 2 || !strings.Contains(d.Text, "spare: 6") || !strings.Contains(d.Text, "# A few agents kept ready") {
		t.Errorf("the scenario's document: %+v, %v", d, err)
	}
	// Why did that job wait? The answer has an address of its own.
	q.click("tbody button.link")
	q.reads("#explanation", "It started after", "the job's own work")
	q.must(q.p.Until(`location.search.includes("job=")`))
	q.must(q.p.Until(`document.querySelector("#explanation ol").children.length >= 3`))
	// What did the change do?
	q.click(`a[href="/compare?ids=2,3"]`)
	q.reads("#headline", "instead of")
	q.reads("main", "templates[compile-wide].agents.calendar[0].spare", "paired repeat by repeat", "cost a month")
	q.must(q.p.Until(`document.querySelectorAll("canvas").length >= 1`))
	q.quiet()
}

// Wrong input is told beside its cause, and nothing is lost.
func TestRefusedChange(t *testing.T) {
	t.Parallel()
	s, _ := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, true)
	q.goTo("/scenarios/fixed-six")
	q.see("#simulate")
	q.must(q.p.Type("#field-templates-0-agents-linger", "soon"))
	q.reads(`div:has(> #field-templates-0-agents-linger) [role="alert"]`, "not a duration")
	q.must(q.p.Until(`document.querySelector("#simulate").disabled && document.querySelector("#store").disabled`))
	q.must(q.p.Until(`document.querySelector("#field-templates-0-agents-linger").value === "soon"`))
	q.goTo("/outcomes/77")
	q.reads(`[role="alert"]`, "there is no outcome 77")
	q.goTo("/compare?ids=1,77")
	q.reads(`[role="alert"]`, "there is no outcome 77")
	q.goTo("/nothing/here")
	q.reads("main", "There is no such page")
}

// Sign-in by token, a spent link, keys, signing out.
func TestSignIn(t *testing.T) {
	t.Parallel()
	s, _ := running.Start(t, demoWorld)
	q := sit(t, s, s.Access.Address+"/sign-in?link=spent", 1280, 800, false)
	q.reads("main", "That link was used already")
	q.must(q.p.Type(`input[type="password"]`, "tph_wrong"))
	q.click(`button[type="submit"]`)
	q.reads(`[role="alert"]`, "not known here")
	q.must(q.p.Type(`input[type="password"]`, s.Access.Token))
	q.click(`button[type="submit"]`)
	q.reads("main", "Scenarios")
	q.must(q.p.Press("?"))
	q.reads("dialog[open]", "go to Desk")
	q.click(`dialog[open] button`)
	q.must(q.p.Press("c"))
	q.reads("main h1", "Compare")
	q.click("header button:last-child")
	q.reads("main", "Open a sign-in link")
	q.goTo("/outcomes/1")
	q.reads("main", "Open a sign-in link")
}

// What caching and spot nodes do is visible without explanation: the parts of the
// work on the ribbons, the floor under the bill, what went wrong, the cache, every
// job page by page, and files to take away.
func TestStoryOfCachesAndSpot(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	ctx := context.Background()
	var ids []uint64
	for _, name := range []string{"weekday-lean", "spot-night"} {
		o, err := c.Simulate(ctx, name, wire.Run{})
		if err != nil {
			t.Fatal(err)
		}
		if end, err := c.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil || end.State != "done" {
			t.Fatal(end, err)
		}
		ids = append(ids, o.ID)
	}
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.goTo(fmt.Sprintf("/outcomes/%d", ids[1]))
	q.unfold()
	q.reads("main", "restore", "cold work", "lost attempts", "The workspace cache", "jobs that found it up to date",
		"What went wrong on the way", "What goes wrong for good", "attempts lost with a spot node", "floor under it: no bill is below",
		"times its floor", "What held jobs up", "one more")
	q.reads("main", "Every job", "1 to 25 of 9,656")
	q.must(q.p.Until(`document.querySelectorAll("a[href*='/export?what=']").length === 6`))
	q.must(q.p.Until(`fetch(document.querySelector("a[href*='what=lines&form=csv']").href).then((r) => r.text()).then((t) => t.startsWith("from,quantity,name,unit,value"))`))
	q.must(q.p.Until(`[...document.querySelectorAll("button")].find((b) => b.innerText === "Next")?.click() === undefined`))
	q.reads("main", "26 to 50 of 9,656")
	q.goTo(fmt.Sprintf("/compare?ids=%d,%d", ids[0], ids[1]))
	q.reads("main", "Mean lead time, from submission to end", "cold work", "the mean job ends after", "bill over the floor under it",
		"caching[0].plan")
	q.quiet()
}
