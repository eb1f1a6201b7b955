package console

import (
	"context"
	"strings"
	"testing"

	"tachyphor/test/running"
	"tachyphor/wire"
)

// An owner lets someone in, gives them a role, makes a token and ends it, and reads who did what; someone with a
// smaller role sees what is theirs.
func TestService(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	ctx := context.Background()
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("o"))
	q.reads("#me", "You are owner. Your role, owner, also manages")
	q.must(q.p.Type("#invite-name", "mira"))
	q.click("#invite")
	q.reads("#people", "This signs mira in once", "/sign-in?link=tph_")
	q.must(q.p.Until(`document.querySelector("[aria-label='role of mira']")?.value === "viewer"`))
	q.must(q.p.Choose("[aria-label='role of mira']", "designer"))
	q.must(q.p.Until(`document.querySelector("[aria-label='role of mira']")?.value === "designer"`))
	people, err := c.People(ctx)
	if err != nil || len(people) != 2 || people[0].Role != wire.Designer {
		t.Errorf("%+v, %v", people, err)
	}
	q.must(q.p.Type("#token-name", "collector"))
	q.click("#make-token")
	q.reads("#tokens", "It is shown this once", "tph_", "collector")
	tokens, err := c.Tokens(ctx)
	if err != nil || len(tokens) != 2 || tokens[0].Role != wire.Events || tokens[0].Expires == nil {
		t.Errorf("%+v, %v", tokens, err)
	}
	q.reads("#sessions", "owner (this one)")
	q.reads("#terms", "outcomes", "90 days")
	q.reads("#backups", "The service makes none by itself")
	q.reads("#sizes", "in all")
	q.reads("#audit", "new-token", "collector, events", "people/mira", "role designer")
	q.must(q.p.Choose("#audit-result", "refused"))
	q.reads("#audit", "Nothing of that.")
	q.goTo("/outcomes/1")
	q.reads("main", "pin")
	q.click("#pin")
	q.reads("main", "kept: unpin")
	if w, err := c.Work(ctx, 1); err != nil || !w.Pinned {
		t.Errorf("%+v, %v", w, err)
	}
	q.quiet()

	address, _, err := c.NewLink(ctx, wire.NewLink{Name: "mira"})
	if err != nil {
		t.Fatal(err)
	}
	hers := sit(t, s, address, 390, 844, true)
	hers.see("main h2")
	hers.goTo("/service")
	hers.reads("#me", "You are mira. Your role, designer")
	hers.reads("#tokens", "There are none.")
	text, err := hers.p.Text("main")
	hers.must(err)
	if strings.Contains(text, "Audit") || strings.Contains(text, "People") {
		t.Errorf("one who is no owner sees\n%s", text)
	}
	wide, err := hers.p.Number(`document.documentElement.scrollWidth`)
	hers.must(err)
	if wide > 390 {
		t.Errorf("%v wide", wide)
	}
	hers.quiet()
}
