package store_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"
)

// A link lets one in, though many try it at once; what has expired lets nobody in.
func TestLinks(t *testing.T) {
	ctx, s := context.Background(), open(t)
	soon, past := time.Now().UTC().Add(time.Hour), time.Now().UTC().Add(-time.Second)
	for _, k := range []store.Token{
		{Hash: "link", Person: "mira", Role: wire.Designer, Expires: &soon},
		{Hash: "old", Person: "mira", Role: wire.Designer, Expires: &past},
	} {
		if has, err := s.PutLink(ctx, k, k.Role); err != nil || has != wire.Designer {
			t.Fatal(has, err)
		}
	}
	var all sync.WaitGroup
	var mu sync.Mutex
	used := 0
	for i := range 10 {
		all.Go(func() {
			b, err := s.SignIn(ctx, "link", []string{store.Link}, store.Token{Hash: fmt.Sprint("session", i), Expires: &soon})
			if err != nil && !errors.Is(err, store.ErrNotFound) {
				t.Error(err)
			}
			if err == nil {
				mu.Lock()
				defer mu.Unlock()
				if used++; b.May != wire.Designer || b.Person != "mira" {
					t.Errorf("%+v", b)
				}
			}
		})
	}
	all.Wait()
	if list, err := s.Tokens(ctx, "", store.Session); err != nil || used != 1 || len(list) != 1 {
		t.Errorf("used %d times, %d sessions, %v", used, len(list), err)
	}
	if _, err := s.SignIn(ctx, "old", []string{store.Link}, store.Token{Hash: "x", Expires: &soon}); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("one that has expired: %v", err)
	}
	for i := range 25 { // unused ones are bounded
		if _, err := s.PutLink(ctx, store.Token{Hash: fmt.Sprint("more", i), Person: "mira", Role: wire.Owner, Expires: &soon}, wire.Owner); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := s.Tokens(ctx, "mira", store.Link); err != nil || len(list) > 10 || len(list) < 5 || list[0].Role != wire.Designer {
		t.Errorf("%d links of one who is a designer: %v", len(list), err)
	}
}

// in is what a token lets in to now.
func in(t *testing.T, s *store.Store, hash string, idle time.Duration) wire.Role {
	t.Helper()
	b, err := s.FindToken(context.Background(), hash, idle)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		t.Fatal(err)
	}
	return b.May
}

// A role holds at once for all that lets someone in; with none, that ends. There is always an owner. Tokens end
// with what came of them, those of a state folder with the next one of that folder.
func TestRolesHoldAtOnce(t *testing.T) {
	ctx, s := context.Background(), open(t)
	soon := time.Now().UTC().Add(time.Hour)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(s.PutLocal(ctx, store.Token{Hash: "here", Person: "owner", Role: wire.Owner, Place: "a"}))
	must(s.PutLocal(ctx, store.Token{Hash: "there", Person: "owner", Role: wire.Owner, Place: "b"}))
	must(s.SetRole(ctx, "mira", wire.Owner))
	must(s.PutToken(ctx, store.Token{Hash: "full", Kind: store.Bearer, Name: "full", Person: "mira", Role: wire.Owner}))
	must(s.PutToken(ctx, store.Token{Hash: "small", Kind: store.Bearer, Name: "small", Person: "mira", Role: wire.Viewer}))
	must(s.PutToken(ctx, store.Token{Hash: "events", Kind: store.Events, Person: "mira", Role: wire.Events}))
	_, err := s.SignIn(ctx, "full", []string{store.Bearer}, store.Token{Hash: "session", Expires: &soon})
	must(err)
	is := func(want map[string]wire.Role) {
		t.Helper()
		for hash, role := range want {
			if got := in(t, s, hash, time.Hour); got != role {
				t.Errorf("%s lets in as %q, not %q", hash, got, role)
			}
		}
	}
	is(map[string]wire.Role{"here": "owner", "there": "owner", "full": "owner", "small": "viewer", "session": "owner", "events": "events"})
	must(s.SetRole(ctx, "mira", wire.Designer))
	is(map[string]wire.Role{"full": "designer", "small": "viewer", "session": "designer", "events": "events"})
	if err := s.SetRole(ctx, "owner", wire.Viewer); !errors.Is(err, store.ErrLastOwner) {
		t.Errorf("the last owner: %v", err)
	}
	if err := s.DropPerson(ctx, "owner"); !errors.Is(err, store.ErrLastOwner) {
		t.Errorf("the last owner: %v", err)
	}
	if err := s.EndToken(ctx, "owner", "full", store.Bearer); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("ended by someone else: %v", err)
	}
	if err := s.EndToken(ctx, "mira", "%", store.Bearer); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("ended by a pattern: %v", err)
	}
	must(s.EndToken(ctx, "", "full", store.Bearer))
	is(map[string]wire.Role{"full": "", "session": "", "small": "viewer"})
	must(s.SetRole(ctx, "mira", ""))
	must(s.SetRole(ctx, "mira", wire.Owner))
	is(map[string]wire.Role{"small": "", "events": ""}) // what ended stays so
	must(s.PutLocal(ctx, store.Token{Hash: "anew", Person: "owner", Role: wire.Owner, Place: "a"}))
	is(map[string]wire.Role{"here": "", "there": "owner", "anew": "owner"})
	people, err := s.People(ctx)
	if err != nil || len(people) != 2 || people[1].Name != "owner" || people[1].Tokens != 2 {
		t.Errorf("%+v, %v", people, err)
	}
	must(s.DropPerson(ctx, "mira"))
	if err := s.DropPerson(ctx, "mira"); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("dropped twice: %v", err)
	}
}

// Sessions end when they were not used, and at their age; a person has so many at once.
func TestSessionsEnd(t *testing.T) {
	ctx, s := context.Background(), open(t)
	if err := s.PutLocal(ctx, store.Token{Hash: "here", Person: "owner", Role: wire.Owner}); err != nil {
		t.Fatal(err)
	}
	now := time.Now().UTC()
	long, soon, back := now.Add(time.Hour), now.Add(-time.Millisecond), now.Add(-10*time.Minute)
	for hash, k := range map[string]store.Token{
		"fresh": {Expires: &long, Used: &now}, "idle": {Expires: &long, Used: &back}, "aged": {Expires: &soon, Used: &now},
	} {
		k.Hash = hash
		if _, err := s.SignIn(ctx, "here", []string{store.Local}, k); err != nil {
			t.Fatal(err)
		}
	}
	for hash, want := range map[string]wire.Role{"fresh": wire.Owner, "idle": "", "aged": ""} {
		if got := in(t, s, hash, 5*time.Minute); got != want {
			t.Errorf("%s: %q", hash, got)
		}
	}
	if err := s.DropExpired(ctx, 5*time.Minute); err != nil {
		t.Fatal(err)
	}
	if list, err := s.Tokens(ctx, "owner", store.Session); err != nil || len(list) != 1 || list[0].Hash != "fresh" {
		t.Errorf("%+v, %v", list, err)
	}
	b, _ := s.FindToken(ctx, "fresh", 0)
	if err := s.NoteUse(ctx, b.Token, "192.0.2.7"); err != nil {
		t.Fatal(err)
	}
	if b, _ = s.FindToken(ctx, "fresh", 0); b.From != "192.0.2.7" {
		t.Errorf("used from %q", b.From)
	}
	for i := range 30 {
		if _, err := s.SignIn(ctx, "here", []string{store.Local}, store.Token{Hash: fmt.Sprint("s", i), Expires: &long, Used: &now}); err != nil {
			t.Fatal(err)
		}
	}
	if list, err := s.Tokens(ctx, "owner", store.Session); err != nil || len(list) > 20 || list[0].Hash != "s29" {
		t.Errorf("%d sessions at once, %v", len(list), err)
	}
}

// One whom a provider names has the role that it says at each sign-in, at most the one that an owner lets them
// have; without any, what let them in ends. A name that is someone else's is not taken over.
func TestPeopleOfAProvider(t *testing.T) {
	ctx, s := context.Background(), open(t)
	if err := s.PutLocal(ctx, store.Token{Hash: "here", Person: "owner", Role: wire.Owner}); err != nil {
		t.Fatal(err)
	}
	soon := time.Now().UTC().Add(time.Hour)
	n := 0
	sign := func(subject, name string, role wire.Role) (string, error) {
		n++
		hash := fmt.Sprint("of-provider-", n)
		return hash, s.SignInBy(ctx, subject, name, role, store.Token{Hash: hash, Expires: &soon})
	}
	first, err := sign("p|1", "mira", wire.Operator)
	if err != nil || in(t, s, first, 0) != wire.Operator {
		t.Fatal(in(t, s, first, 0), err)
	}
	second, err := sign("p|1", "mira renamed", wire.Viewer)
	if err != nil || in(t, s, second, 0) != wire.Viewer || in(t, s, first, 0) != wire.Viewer {
		t.Errorf("with fewer groups: %q and %q, %v", in(t, s, first, 0), in(t, s, second, 0), err)
	}
	if err := s.SetRole(ctx, "mira", wire.Designer); err != nil {
		t.Fatal(err)
	}
	third, err := sign("p|1", "mira", wire.Owner)
	if err != nil || in(t, s, third, 0) != wire.Designer {
		t.Errorf("more than an owner lets them have: %q, %v", in(t, s, third, 0), err)
	}
	if _, err := sign("p|2", "mira", wire.Viewer); !errors.Is(err, store.ErrOther) {
		t.Errorf("another by the same name: %v", err)
	}
	if _, err := sign("p|3", "owner", wire.Viewer); !errors.Is(err, store.ErrOther) {
		t.Errorf("one called owner: %v", err)
	}
	if _, err := sign("p|1", "mira", ""); !errors.Is(err, store.ErrNotFound) || in(t, s, third, 0) != "" {
		t.Errorf("without groups: %q, %v", in(t, s, third, 0), err)
	}
	if _, err := sign("p|4", "nobody", ""); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("never had any: %v", err)
	}
}

// What is changed and the line that says so are stored together or not at all, once for all that one asked for.
func TestDeeds(t *testing.T) {
	ctx, s := context.Background(), open(t)
	d := store.Deed{Who: "mira", Role: wire.Designer, Via: "sync", From: "192.0.2.7", What: "put-document", On: "documents/Scenario/x"}
	draft := store.Draft{Kind: "Scenario", Name: "x", Digest: "1", Text: "one"}
	doing := store.Doing(ctx, d)
	if _, _, err := s.PutAll(doing, "mira", []store.Draft{draft}); err != nil {
		t.Fatal(err)
	}
	if err := s.Drop(doing, "Scenario", "x", 0); err != nil { // the same request: one line
		t.Fatal(err)
	}
	draft.IfRevision = 7
	if _, _, err := s.PutAll(store.Doing(ctx, d), "mira", []store.Draft{draft}); !errors.Is(err, store.ErrConflict) {
		t.Fatal(err)
	}
	if _, _, err := s.PutAll(ctx, "mira", []store.Draft{{Kind: "Scenario", Name: "y", Digest: "1"}}); err != nil { // the service itself
		t.Fatal(err)
	}
	refused := d
	refused.What, refused.Result, refused.Said = "try", store.Refused, "needs the role operator"
	if err := s.Note(ctx, refused); err != nil {
		t.Fatal(err)
	}
	list, err := s.Deeds(ctx, store.Which{}, 10)
	if err != nil || len(list) != 2 || list[0].Result != store.Refused || list[1].Said != "Scenario/x r1 new" || list[1].Who != "mira" ||
		list[1].Via != "sync" || list[1].From != "192.0.2.7" || list[1].Result != store.Done {
		t.Errorf("%+v, %v", list, err)
	}
	for which, want := range map[store.Which]int{
		{Who: "mira"}: 2, {Who: "other"}: 0, {Result: "refused"}: 1, {What: "try"}: 1, {Before: list[0].ID}: 1,
		{From: time.Now().Add(time.Hour)}: 0, {Until: time.Now().Add(time.Hour)}: 2,
	} {
		if got, err := s.Deeds(ctx, which, 10); err != nil || len(got) != want {
			t.Errorf("%+v: %d lines, %v", which, len(got), err)
		}
	}
}

// Tables of a newer version are left alone.
func TestNewerTables(t *testing.T) {
	ctx := context.Background()
	s, err := store.Open(ctx, server.DSN("newer"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	_ = s.Close()
	raw(t, "INSERT INTO newer.table_versions (id) VALUES ('2031-01-01-wonders')")
	if _, err := store.Open(ctx, server.DSN("newer"), quiet); !errors.Is(err, store.ErrNewer) {
		t.Errorf("opened: %v", err)
	}
}
