package console

import (
	"context"
	"testing"

	"tachyphor/test/running"
	"tachyphor/wire"
)

// Anything is gone to by a part of its name, with the keyboard alone; what runs follows one around, and is cancelled
// from where one is.
func TestPaletteAndTray(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	ctx := context.Background()
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see(".page h2")
	at := func(path string) {
		t.Helper()
		q.must(q.p.Until(`location.pathname + location.search === "` + path + `"`))
	}
	search := func(text, finds string) {
		t.Helper()
		q.must(q.p.Press("/"))
		q.see("#palette")
		q.must(q.p.Type("#palette", text))
		q.reads("#palette-list", finds)
	}
	search("brinew", "brinewell-north")
	q.must(q.p.Press("\r"))
	at("/clusters/brinewell-north")
	search("weekday", "outcome 2 of weekday-lean")
	q.must(q.p.Until(`document.querySelector("#palette-list [aria-selected=true]").innerText.includes("weekday-lean")`))
	q.must(q.p.Press("\r"))
	at("/scenarios/weekday-lean")
	search("2", "outcome 2 of weekday-lean")
	q.must(q.p.Until(`[...document.querySelectorAll("#palette-list [role=option]")].some((x) => x.innerText.includes("outcome 2"))`))
	q.click("#palette-list [role=option]:has(+ :last-child)")
	at("/outcomes/2")
	search("hull-firmware-54-probe", "why it waited")
	q.must(q.p.Press("\r"))
	at("/outcomes/2?job=hull-firmware-54-probe")
	q.reads("main", "hull-firmware-54-probe")
	search("shortcut", "Keys")
	q.click("#palette-list [role=option]")
	q.reads("dialog[open]", "go to Week ahead")
	q.must(q.p.Press("\x1b"))
	search("no such thing", "")
	q.reads("dialog[open]", "Nothing has that name.")
	q.must(q.p.Press("\x1b"))

	many := 1000
	o, err := c.Simulate(ctx, "weekday-lean", wire.Run{Repeats: &many})
	if err != nil {
		t.Fatal(err)
	}
	q.reads("#tray", "1 underway")
	q.click("#tray summary")
	q.reads("#tray", "outcome 3 of weekday-lean")
	q.goTo("/templates")
	q.reads("#tray", "1 underway")
	q.click("#tray summary")
	q.click("#tray button[aria-label^=cancel]")
	q.reads("#tray", "cancelled")
	if w, err := c.Work(ctx, o.ID); err != nil || w.State != wire.Cancelled {
		t.Errorf("%+v, %v", w, err)
	}
	q.quiet()
}
