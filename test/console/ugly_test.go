package console

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"tachyphor/test/running"
	"tachyphor/wire"
)

// ugly are worlds that nobody draws pictures of: no job at all, far too many, names of 63 letters, forty templates, a
// class of which nothing comes.
func ugly() (documents string, scenarios []string) {
	var b strings.Builder
	var names []string
	for i := range 40 {
		name := fmt.Sprintf("t%02d-%s", i, strings.Repeat("a", 59))
		names = append(names, name)
		fmt.Fprintf(&b, "---\napiVersion: v1\nkind: PodTemplate\nmetadata: {name: %s, annotations: {tachyphor/offers: 'linux, go'}}\n"+
			"template: {spec: {containers: [{name: agent, image: 'images.brinewell.example/agents/steady:2026.9', "+
			"resources: {requests: {cpu: 1, memory: 1Gi}, limits: {memory: 1Gi}}}]}}\n", name)
	}
	class := func(name, wants, when string, perHour float64, work string) string {
		return fmt.Sprintf("  - {name: %s, wants: [%s], work: %s, arrivals: {hours: [{when: %q, perHour: %v}]}}\n", name, wants, work, when, perHour)
	}
	always, never := "Mon-Sun 00:00-24:00", "Sun 23:00-23:01"
	for _, w := range []struct{ name, classes string }{
		{"w-none", class("a", "linux", never, 0.000001, "60s")},
		{"w-over", class("heavy", "linux", always, 60, "3h")},
		{"w-" + strings.Repeat("w", 61), class(strings.Repeat("c", 63), "linux", always, 20, "60s") + class("lost", "nobody-offers-this", always, 1, "60s") +
			class("silent", "linux", never, 0.000001, "60s")},
	} {
		fmt.Fprintf(&b, "---\napiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: %s}\nspec:\n  start: 2026-09-14T00:00:00Z\n  zone: UTC\n  classes:\n%s",
			w.name, w.classes)
	}
	for _, s := range []struct {
		name, workload string
		templates      int
		more           string
	}{
		{"ugly-none", "w-none", 1, ""}, {"ugly-over", "w-over", 2, "  agentCeiling: 10\n"}, {strings.Repeat("n", 63), "w-" + strings.Repeat("w", 61), 40, ""},
	} {
		scenarios = append(scenarios, s.name)
		fmt.Fprintf(&b, "---\napiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: %s}\nspec:\n  cluster: brinewell-north\n  workload: %s\n%s"+
			"  run: {span: 1d, repeats: 2}\n  templates:\n", s.name, s.workload, s.more)
		for _, t := range names[:s.templates] {
			fmt.Fprintf(&b, "  - template: %s\n", t)
		}
	}
	return b.String(), scenarios
}

// Every page shows ugly worlds whole: nothing breaks, nothing sticks out, on a telephone and on a desk.
func TestUglyWorlds(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	documents, scenarios := ugly()
	ctx := context.Background()
	if _, err := c.Put(ctx, "", []byte(documents), false); err != nil {
		t.Fatal(err)
	}
	paths := []string{"/", "/?by=outcome&down=yes", "/templates", "/new", "/start", "/service", "/clusters/brinewell-north"}
	for _, name := range scenarios {
		o, err := c.Simulate(ctx, name, wire.Run{})
		if err == nil {
			o, err = c.Watch(ctx, o.ID, func(wire.WorkBrief) {})
		}
		if err != nil || o.State != wire.Done {
			t.Fatal(name, o, err)
		}
		paths = append(paths, "/scenarios/"+name, fmt.Sprintf("/outcomes/%d?beside=2", o.ID),
			fmt.Sprintf("/outcomes/%d?from=1789380000000&to=1789383600000", o.ID), fmt.Sprintf("/compare?ids=2,%d", o.ID))
		if len(name) == 63 {
			paths = append(paths, "/caching/"+name, "/frontier/"+name, "/backtest/"+name, "/ahead/"+name, "/?path="+name, fmt.Sprintf("/outcomes/%d?why=bill/all", o.ID))
		}
	}
	for _, w := range []string{"w-none", "w-over", "w-" + strings.Repeat("w", 61)} {
		paths = append(paths, "/workloads/"+w)
	}
	q := sit(t, s, running.Link(t, s), 390, 844, true)
	for i, path := range paths {
		q.must(q.p.Resize(390, 844))
		q.goTo(path)
		q.see(".page h1, .page h2")
		q.must(q.p.Until(`!document.querySelector("main").innerText.includes("Loading ")`))
		q.fits(path, 390)
		if i%3 == 0 { // what fits the small window fits this one but for tables
			q.must(q.p.Resize(1280, 844))
			q.fits(path, 1280)
		}
		odd, err := q.p.Number(`/\b(NaN|undefined|null|Infinity)\b/.test(document.querySelector("main").innerText) ? 1 : 0`)
		q.must(err)
		broken, err := q.p.Number(`document.querySelectorAll("#broken").length`)
		q.must(err)
		if broken > 0 || odd > 0 {
			t.Errorf("%.60s: broken %v, odd words %v", path, broken, odd)
		}
	}
	for _, m := range q.p.Messages() {
		if strings.Contains(m, "exception") {
			t.Error(m)
		}
	}
}

// fits checks that nothing sticks out of a window of that width.
func (q *person) fits(path string, width int64) {
	q.t.Helper()
	if err := q.p.Until(fmt.Sprintf(`document.documentElement.scrollWidth <= %d`, width)); err != nil {
		wide, _ := q.p.Number(`document.documentElement.scrollWidth`)
		q.t.Errorf("%.60s is %v wide in a window of %d", path, wide, width)
	}
}
