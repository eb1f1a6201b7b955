package store_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"tachyphor/internal/store"
	"tachyphor/wire"
)

// old moves work back in time, and everything else too.
func old(t *testing.T, name string, days int, ids ...uint64) {
	t.Helper()
	for _, id := range ids {
		raw(t, fmt.Sprintf("UPDATE %s.work SET ended = ended - INTERVAL %d DAY WHERE id = %d", name, days, id))
	}
}

// finished asks for work and ends it with a result and a block of jobs.
func finished(t *testing.T, s *store.Store, kind, subject, question string) uint64 {
	t.Helper()
	ctx := context.Background()
	w, err := s.Enter(ctx, store.Work{Kind: kind, Subject: subject, Question: question, Holder: "h", By: "mira"}, time.Hour, []string{kind}, 100, 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.PutBlock(ctx, "h", store.Block{WorkID: w.ID, Jobs: 1, Data: []byte("jobs")}); err != nil {
		t.Fatal(err)
	}
	if err := s.Finish(ctx, w.ID, "h", store.Work{State: wire.Done, Gist: "gist"}, []byte("result")); err != nil {
		t.Fatal(err)
	}
	return w.ID
}

// Results go with their age, but not those with a name or a pin, nor the newest of their subject; what lists show
// stays. Revisions and recordings go once nothing kept names them. What will go is told before, and is what went.
func TestRetention(t *testing.T) {
	ctx := context.Background()
	const name = "retention"
	s, err := store.Open(ctx, server.DSN(name), quiet)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	digests := []string{strings.Repeat("1", 64), strings.Repeat("2", 64), strings.Repeat("3", 64)}
	for _, d := range digests {
		must(s.PutPiece(ctx, store.Piece{Digest: d, Data: []byte("piece")}))
		must(s.PutRecording(ctx, store.Recording{Digest: d, Jobs: 1, Pieces: 1}))
	}
	for i, text := range []string{"one", "two names " + digests[0], "three"} {
		_, _, err := s.PutAll(ctx, "mira", []store.Draft{{Kind: "Workload", Name: "w", Digest: fmt.Sprint(i), Text: text}})
		must(err)
	}
	question := func(revision int, digest string) string {
		return fmt.Sprintf(`{"documents":[{"kind":"Workload","name":"w","revision":%d}],"recording":%q}`, revision, digest)
	}
	first := finished(t, s, "simulation", "lean", question(1, digests[1]))
	named := finished(t, s, "simulation", "lean", question(2, ""))
	pinned := finished(t, s, "simulation", "lean", question(2, ""))
	newest := finished(t, s, "simulation", "lean", question(3, ""))
	trial := finished(t, s, "rehearsal", "compile-wide", "{}")
	call, yes := "before the move", true
	_, err = s.KeepWork(ctx, sim, named, &call, nil)
	must(err)
	if w, err := s.KeepWork(ctx, sim, pinned, nil, &yes); err != nil || !w.Pinned || w.Called != "" {
		t.Errorf("%+v, %v", w, err)
	}
	if _, err := s.KeepWork(ctx, sim, trial, nil, &yes); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("of another kind: %v", err)
	}
	must(s.Note(ctx, store.Deed{Who: "mira", What: "x"}))
	live := []string{"rehearsal"}
	keep := store.UsualRetention
	told := func(at time.Time) string {
		t.Helper()
		list, err := s.WillGo(ctx, keep, at, live)
		must(err)
		var out []string
		for _, g := range list {
			out = append(out, fmt.Sprintf("%s %d", g.Kind, g.Count))
		}
		return strings.Join(out, ", ")
	}
	now := time.Now().UTC()
	if got := told(now); got != "outcomes 0, trials 0, revisions 0, recordings 0, audit 0" {
		t.Errorf("at once: %s", got)
	}
	if got := told(now.AddDate(2, 0, 0)); got != "outcomes 1, trials 1, revisions 0, recordings 1, audit 1" { // the third names nothing
		t.Errorf("in two years: %s", got)
	}
	old(t, name, 100, first, named, pinned, newest, trial)
	went, err := s.Retire(ctx, keep, live)
	if err != nil || fmt.Sprint(went) != "map[audit:0 outcomes:1 recordings:0 revisions:0 trials:1]" {
		t.Errorf("%v, %v", went, err)
	}
	for id, want := range map[uint64]error{first: store.ErrTrimmed, named: nil, pinned: nil, newest: nil, 999: store.ErrNotFound} {
		if _, err := s.GetResult(ctx, id); !errors.Is(err, want) {
			t.Errorf("result of %d: %v", id, err)
		}
	}
	if w, err := s.GetWork(ctx, sim, first); err != nil || w.Gist != "gist" || w.Trimmed == nil {
		t.Errorf("what lists show: %+v, %v", w, err)
	}
	if blocks, _, err := s.CountBlocks(ctx, first); err != nil || blocks != 0 {
		t.Errorf("%d blocks are left, %v", blocks, err)
	}
	// Nothing that is kept was computed from the first revision any more, nor names the second recording.
	raw(t, "UPDATE "+name+".revisions SET at = at - INTERVAL 500 DAY WHERE number = 1")
	if got := told(time.Now().UTC()); got != "outcomes 0, trials 0, revisions 0, recordings 0, audit 0" {
		t.Errorf("one that was in force until today: %s", got)
	}
	raw(t, "UPDATE "+name+".revisions SET at = at - INTERVAL 500 DAY WHERE number > 1")
	raw(t, "UPDATE "+name+".recordings SET at = at - INTERVAL 500 DAY")
	raw(t, "UPDATE "+name+".deeds SET at = at - INTERVAL 500 DAY")
	if got := told(time.Now().UTC()); got != "outcomes 0, trials 0, revisions 1, recordings 2, audit 1" {
		t.Errorf("told %s", got)
	}
	if err := s.DropRecording(ctx, digests[0]); err == nil || !strings.Contains(err.Error(), "Workload w (revision 2)") {
		t.Errorf("one that a document names: %v", err)
	}
	went, err = s.Retire(ctx, keep, live)
	if err != nil || fmt.Sprint(went) != "map[audit:1 outcomes:0 recordings:2 revisions:1 trials:0]" {
		t.Errorf("%v, %v", went, err)
	}
	for n, want := range map[int]error{1: store.ErrNotFound, 2: nil, 3: nil} {
		if _, err := s.Get(ctx, "Workload", "w", n); !errors.Is(err, want) {
			t.Errorf("revision %d: %v", n, err)
		}
	}
	for i, want := range []error{nil, store.ErrNotFound, store.ErrNotFound} {
		if _, err := s.HasRecording(ctx, digests[i]); !errors.Is(err, want) {
			t.Errorf("recording %d: %v", i, err)
		}
	}
	if _, err := s.GetPiece(ctx, digests[1], 0); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("a piece of one that went: %v", err)
	}
	if went, err := s.Retire(ctx, store.Retention{}, live); err != nil || len(went) != 0 {
		t.Errorf("for ever: %v, %v", went, err)
	}
	sizes, err := s.Sizes(ctx)
	if err != nil || len(sizes) < 15 || sizes[0].Bytes < sizes[len(sizes)-1].Bytes {
		t.Errorf("%+v, %v", sizes, err)
	}
}

// One person cannot take all the places.
func TestPlacesOfOnePerson(t *testing.T) {
	ctx, s := context.Background(), open(t)
	enter := func(by string) error {
		_, err := s.Enter(ctx, store.Work{Kind: "simulation", Subject: "s", By: by, Question: "{}"}, 0, sim, 10, 4)
		return err
	}
	for range 4 {
		if err := enter("mira"); err != nil {
			t.Fatal(err)
		}
	}
	if err := enter("mira"); !errors.Is(err, store.ErrOwnBusy) {
		t.Errorf("the fifth of one: %v", err)
	}
	for _, by := range []string{"ole", "ole", "", "", "", ""} { // the service itself has no such bound
		if err := enter(by); err != nil {
			t.Errorf("of %q: %v", by, err)
		}
	}
	if err := enter("kari"); !errors.Is(err, store.ErrBusy) {
		t.Errorf("the eleventh of all: %v", err)
	}
}

// What is looked for is found by a part of its name, that which is called so first; letters that stand for others in
// patterns stand for themselves.
func TestFind(t *testing.T) {
	ctx, s := context.Background(), open(t)
	for _, name := range []string{"lean", "lean-100%", "weekday-lean", "a_b", "axb"} {
		if _, _, err := s.PutAll(ctx, "mira", []store.Draft{{Kind: "Scenario", Name: name, Digest: name}}); err != nil {
			t.Fatal(err)
		}
	}
	id := finished(t, s, "simulation", "weekday-lean", "{}")
	call := "before the move"
	if _, err := s.KeepWork(ctx, sim, id, &call, nil); err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{
		"lean": "lean lean-100% weekday-lean", "day": "weekday-lean", "%": "lean-100%", "_": "a_b", "nothing": "", `\`: "",
	} {
		list, err := s.FindDocuments(ctx, text, 10)
		var names []string
		for _, h := range list {
			names = append(names, h.Name)
		}
		if got := strings.Join(names, " "); err != nil || got != want {
			t.Errorf("%q: %s, %v", text, got, err)
		}
	}
	for text, want := range map[string]int{"1": 1, "weekday": 1, "the move": 1, "2": 0, "%": 0} {
		if list, err := s.FindWork(ctx, sim, text, 10); err != nil || len(list) != want {
			t.Errorf("work %q: %d, %v", text, len(list), err)
		}
	}
}
