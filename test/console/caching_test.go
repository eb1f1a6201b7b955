package console

import (
	"context"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/test/running"
)

// Someone who never thought about baselines: weigh, see the misleading comparison, the
// truth and the advice, look closer, and give the scenario the plan.
func TestCaching(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("w"))
	q.must(q.p.Until(`location.pathname === "/caching/weekday-lean"`))
	q.reads("main", "Nothing has been weighed", "tachyphor weigh weekday-lean")
	q.must(q.p.Choose("#scenario", "cached-naive"))
	q.reads("main", "Nothing has been weighed for cached-naive")
	q.must(q.p.Type("#hour", "wind"))
	q.click("#weigh")
	q.reads(`[role="alert"]`, "is not a price")
	q.must(q.p.Type("#hour", "45"))
	q.click("#weigh")
	q.see("#glance")
	q.reads("#headline", "Have an archive saved when changed, by the trunk", "sooner")
	q.reads("#glance", "What two runs say", "saves 26 %", "What is true", "costs 3 % more", "no cache", "What to do", "saves 13 %")
	q.reads("main", "never", "47 min", "held by saving", "5. From 3 repeats", "--hour 45/h")
	q.must(q.p.Until(`document.querySelectorAll("main canvas").length === 3`))
	q.answered("weighings", 90)
	q.click(`[data-why="plan/changed-trunk/all classes/less"]`)
	q.reads("#why", "mean lead time of builds that have a workspace less that without a cache", "Every plan has the same jobs and draws", "cached-naive (Scenario), revision 1")
	q.must(q.p.Press("\x1b"))
	q.must(q.p.Until(`!location.search.includes("why=")`))
	// Every part of the answer can be asked of one class; that is a part of the address.
	q.must(q.p.Choose("#class", "hull-firmware"))
	q.must(q.p.Until(`location.search.includes("class=hull-firmware")`))
	q.reads("#glance", "saves 25 %", "costs 6 % more")
	// A choice that is made before the one before it is drawn takes nothing of it back.
	q.must(q.p.Choose("#class", "tide-charts", "#along", "size"))
	q.must(q.p.Until(`location.search.includes("along=size") && location.search.includes("class=tide-charts")`))
	q.click("#apply")
	q.reads(`[role="status"]`, "cached-naive is revision 2 now")
	d, err := c.Get(context.Background(), document.KindScenario, "cached-naive", 0)
	if err != nil || !strings.Contains(d.Text, "when-changed") {
		t.Errorf("%v %s", err, d.Text)
	}
	q.goTo("/caching/cached-naive")
	q.reads("main", "The scenario is at revision 2 now")
	q.goTo("/scenarios/cached-naive")
	q.reads("main", "Workspace cache", "for each project, saved when its dependencies have changed, by builds of the trunk alone",
		"Weighed as revision 1: Have an archive")
	q.goTo("/scenarios/on-demand")
	q.reads("main", "None: every build does its cold work.", "weigh every plan against no cache")
	q.goTo("/caching") // that which was weighed last
	q.must(q.p.Until(`location.pathname === "/caching/cached-naive"`))
	q.quietBut("422")
}

// A weighing can be cancelled from its page.
func TestCancelWeighing(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	text := strings.Replace(strings.Replace(mustGet(t, c, "weekday-lean"), "name: weekday-lean", "name: long", 1), "repeats: 8",
		"repeats: 400", 1)
	if _, err := c.Put(context.Background(), "", []byte(text), false); err != nil {
		t.Fatal(err)
	}
	w, err := c.Weigh(context.Background(), "long", weigh.Ask{})
	if err != nil {
		t.Fatal(err)
	}
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.goTo("/caching/long")
	q.click("#cancel")
	q.reads("main", "was cancelled")
	if now, err := c.Weighing(context.Background(), w.ID); err != nil || now.State != "cancelled" {
		t.Errorf("%v %+v", err, now.WorkBrief)
	}
}

func mustGet(t *testing.T, c *client.Client, scenario string) string {
	t.Helper()
	d, err := c.Get(context.Background(), document.KindScenario, scenario, 0)
	if err != nil {
		t.Fatal(err)
	}
	return d.Text
}
