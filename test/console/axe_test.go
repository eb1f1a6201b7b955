package console

import (
	"context"
	"os"
	"strings"
	"testing"

	"tachyphor/core/weigh"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// everyPage are all pages, with something that is there once they are drawn.
var everyPage = []struct{ path, see string }{
	{"/", "main table"},
	{"/scenarios/weekday-lean", "#part-run"},
	{"/new", "main form"},
	{"/start", "#manifests"},
	{"/outcomes/1", "#headline"},
	{"/outcomes/999", "main [role=alert]"},
	{"/compare?ids=1,2", "#headline"},
	{"/compare", "main"},
	{"/templates", "main table"},
	{"/templates/compile-wide-draft", ".cm-content"},
	{"/templates/compile-wide?view=kit", "main pre, main .cm-content, main code"},
	{"/templates/compile-wide?view=live", "#rehearse"},
	{"/templates/compile-wide?view=sizing", "#verdict"},
	{"/templates/suite-night?view=sizing", ".page h1, .page h2"},
	{"/templates/new", "main form, main fieldset, main input"},
	{"/caching/cached-naive", "#glance"},
	{"/frontier/weekday-lean", ".page h1, .page h2"},
	{"/learn", "main input"},
	{"/clusters/brinewell-north", "main table"},
	{"/workloads/week-38", "main table"},
	{"/live", ".page h1, .page h2"},
	{"/backtest/weekday-lean", ".page h1, .page h2"},
	{"/ahead/weekday-lean", ".page h1, .page h2"},
	{"/service", "#audit table"},
	{"/nowhere", "main"},
	{"/welcome", "main form"},
}

// Every page passes the rules of axe-core, in light or dark colours by turns, under make validate in both: names and roles for who does not see it, contrast,
// landmarks, labels, order of headings; and fits windows from 320 to 1920 wide.
func TestEveryPageIsAccessible(t *testing.T) {
	t.Parallel()
	s, c := running.StartWithCluster(t, demoWorld)
	loadUsage(t, c)
	short := strings.Replace(mustGet(t, c, "cached-naive"), "span: 2d", "span: 1d", 1) // it is not about the answer
	if _, err := c.Put(context.Background(), "", []byte(short), false); err != nil {
		t.Fatal(err)
	}
	w, err := c.Weigh(context.Background(), "cached-naive", weigh.Ask{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Watch(context.Background(), w.ID, func(wire.WorkBrief) {}); err != nil {
		t.Fatal(err)
	}
	axe, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	held := func(path, rules string) {
		t.Helper()
		_, err := q.p.Say(`window.found = null; axe.run(document, { resultTypes: ["violations"]` + rules + ` }).then((r) => {
			window.found = r.violations.map((v) => v.id + " (" + v.impact + "): " + v.help + "\n" +
				v.nodes.slice(0, 4).map((n) => "    " + n.html.slice(0, 200) + "\n      " + n.any.concat(n.all, n.none).map((k) => k.message).join("; ").slice(0, 300)).join("\n")).join("\n");
		}); ""`)
		q.must(err)
		q.must(q.p.Until(`window.found !== null`))
		found, err := q.p.Say(`window.found`)
		q.must(err)
		if found != "" {
			t.Errorf("%s%s:\n%s", path, rules, found)
		}
	}
	for i, x := range everyPage {
		dark := i%2 == 1
		q.must(q.p.Dark(dark))
		q.goTo(x.path)
		q.see(x.see)
		_, err := q.p.Say(string(axe) + `; ""`)
		q.must(err)
		held(x.path, "")
		if os.Getenv("TACHYPHOR_VALIDATE") != "" {
			q.must(q.p.Dark(!dark)) // the same page in other colours
			held(x.path, `, runOnly: ["color-contrast"]`)
		}
		for _, width := range []int64{320, 1920} { // 320 is also 1280 at four times its size
			q.must(q.p.Resize(width, 800))
			q.fits(x.path, width)
		}
		q.must(q.p.Resize(1280, 800))
	}
	q.quietBut("404")
}
