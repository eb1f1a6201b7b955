package store_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/internal/mariadb"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

var server *mariadb.Server

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "tachyphor-store-")
	if err == nil {
		server, err = mariadb.Start(context.Background(), mariadb.Options{Dir: dir, Log: quiet, Unsafe: true})
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	status := m.Run()
	if err := server.Close(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		status = 1
	}
	_ = os.RemoveAll(dir)
	os.Exit(status)
}

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// open opens a database of the test's own.
func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(context.Background(), server.DSN(fmt.Sprintf("t%d", time.Now().UnixNano())), quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	return s
}

// Opening a database again, by many at once, changes nothing and loses nothing.
func TestTablesAreBroughtUpOnce(t *testing.T) {
	ctx := context.Background()
	dsn := server.DSN("again")
	s, err := store.Open(ctx, dsn, quiet)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	if _, _, err := s.PutAll(ctx, "me", []store.Draft{{Kind: "Scenario", Name: "s", Digest: "1", Text: "ünï\U0001F9EA"}}); err != nil {
		t.Fatal(err)
	}
	for range 3 {
		again, err := store.Open(ctx, dsn, quiet)
		if err != nil {
			t.Fatal(err)
		}
		h, err := again.Get(ctx, "Scenario", "s", 0)
		if err != nil || h.Text != "ünï\U0001F9EA" || h.By != "me" || time.Since(h.At) > time.Minute || time.Since(h.At) < 0 {
			t.Errorf("%+v, %v", h, err)
		}
		_ = again.Close()
	}
	if _, err := store.Open(ctx, "nonsense", quiet); err == nil {
		t.Error("a nonsense address is taken")
	}
	if _, err := store.Open(ctx, "a:b@tcp(127.0.0.1:1)/x", quiet); err == nil {
		t.Error("a database that is not there is taken")
	}
}

// Of many who change the same revision one wins; revisions have no gaps.
func TestConcurrentWriters(t *testing.T) {
	ctx, s := context.Background(), open(t)
	for round := 1; round <= 5; round++ {
		var all sync.WaitGroup
		var mu sync.Mutex
		won := 0
		for w := range 8 {
			all.Go(func() {
				expect := round - 1
				if round == 1 {
					expect = -1
				}
				numbers, changes, err := s.PutAll(ctx, "w",
					[]store.Draft{{Kind: "Scenario", Name: "s", Digest: fmt.Sprint(round, w), Text: "x", IfRevision: expect}})
				switch {
				case err == nil:
					mu.Lock()
					won++
					mu.Unlock()
					if numbers[0] != round || changes[0] == store.Same {
						t.Errorf("round %d: revision %d, %s", round, numbers[0], changes[0])
					}
				case !errors.Is(err, store.ErrConflict):
					t.Error(err)
				}
			})
		}
		all.Wait()
		if won != 1 {
			t.Errorf("round %d: %d writers won", round, won)
		}
	}
	list, err := s.History(ctx, "Scenario", "s", 0, 10)
	if err != nil || len(list) != 5 || list[0].Number != 5 || list[4].Number != 1 {
		t.Errorf("%d revisions, %v", len(list), err)
	}
}

// A stream with a conflict in its last document stores none of it.
func TestAllOrNone(t *testing.T) {
	ctx, s := context.Background(), open(t)
	_, _, err := s.PutAll(ctx, "w", []store.Draft{
		{Kind: "Scenario", Name: "a", Digest: "1"}, {Kind: "Scenario", Name: "b", Digest: "1", IfRevision: 7},
	})
	if !errors.Is(err, store.ErrConflict) {
		t.Fatal(err)
	}
	if list, err := s.List(ctx, "", "", "", 10); err != nil || len(list) != 0 {
		t.Errorf("%v, %v", list, err)
	}
	if err := s.Drop(ctx, "Scenario", "a", 0); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("dropping nothing: %v", err)
	}
}

// sim is one kind of work, and sims how it is claimed.
var (
	sim  = []string{"simulation"}
	sims = []store.Claimable{{Kind: "simulation", Attempts: 3, Broken: "given up: the service ended 3 times"}}
)

func ask(s *store.Store, subject string) (store.Work, error) {
	return s.Enter(context.Background(), store.Work{Kind: "simulation", Subject: subject, By: "me", Question: "{}"}, 0, sim, 200, 0)
}

// Each piece of work is claimed once, by whoever asks first, in the order of asking; a
// holder that has gone silent loses it; what it says afterwards is not taken.
func TestQueue(t *testing.T) {
	ctx, s := context.Background(), open(t)
	const n = 30
	for i := range n {
		if _, err := ask(s, fmt.Sprintf("s%d", i)); err != nil {
			t.Fatal(err)
		}
	}
	var mu sync.Mutex
	claimed := map[uint64]string{}
	var all sync.WaitGroup
	for w := range 5 {
		all.Go(func() {
			holder := fmt.Sprint("holder", w)
			for {
				o, err := s.Claim(ctx, holder, time.Minute, sims)
				if errors.Is(err, store.ErrNotFound) {
					return
				}
				if err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				if other, twice := claimed[o.ID]; twice {
					t.Errorf("outcome %d is %s's and %s's", o.ID, other, holder)
				}
				claimed[o.ID] = holder
				mu.Unlock()
			}
		})
	}
	all.Wait()
	if len(claimed) != n {
		t.Errorf("%d of %d claimed", len(claimed), n)
	}
	// The lease of one runs out.
	if err := s.Renew(ctx, 1, claimed[1], -time.Second, 0.5, nil); err != nil {
		t.Fatal(err)
	}
	o, err := s.Claim(ctx, "heir", time.Minute, sims)
	if err != nil || o.ID != 1 {
		t.Fatalf("%+v, %v", o, err)
	}
	if err := s.Renew(ctx, 1, claimed[1], time.Minute, 0.6, nil); !errors.Is(err, store.ErrConflict) {
		t.Errorf("the old holder renews: %v", err)
	}
	end := store.Work{State: wire.Done, Gist: "{}", Digest: "d"}
	if err := s.Finish(ctx, 1, claimed[1], end, []byte("old")); !errors.Is(err, store.ErrConflict) {
		t.Errorf("the old holder finishes: %v", err)
	}
	if err := s.Finish(ctx, 1, "heir", end, []byte("new")); err != nil {
		t.Error(err)
	}
	if data, err := s.GetResult(ctx, 1); err != nil || string(data) != "new" {
		t.Errorf("result %q, %v", data, err)
	}
	// Cancelled is cancelled; done stays done.
	if o, err := s.Cancel(ctx, sim, 2); err != nil || o.State != wire.Cancelled {
		t.Errorf("%+v, %v", o, err)
	}
	if err := s.Finish(ctx, 2, claimed[2], end, []byte("late")); !errors.Is(err, store.ErrConflict) {
		t.Errorf("a cancelled outcome finishes: %v", err)
	}
	if o, err := s.Cancel(ctx, sim, 1); err != nil || o.State != wire.Done {
		t.Errorf("%+v, %v", o, err)
	}
	// What a holder gives back is claimed again, first come first.
	if err := s.Release(ctx, 3, claimed[3]); err != nil {
		t.Fatal(err)
	}
	if o, err := s.Claim(ctx, "next", time.Minute, sims); err != nil || claimed[o.ID] != claimed[3] {
		t.Errorf("%+v, %v", o, err)
	}
	last, err := s.LastDone(ctx, "simulation", "s0", "s1", "nobody")
	if err != nil || len(last) != 1 || last["s0"].ID != 1 {
		t.Errorf("%v, %v", last, err)
	}
}

func TestQueueIsBounded(t *testing.T) {
	s := open(t)
	var err error
	n := 0
	for ; n < 1000 && err == nil; n++ {
		_, err = ask(s, "s")
	}
	if !errors.Is(err, store.ErrBusy) || n != 201 {
		t.Errorf("%d asked, %v", n, err)
	}
}

// Work over which processes die is given up, and what waits behind it is reached; being
// given back in order does not count.
func TestWorkThatBreaksItsProcessIsGivenUp(t *testing.T) {
	ctx, s := context.Background(), open(t)
	heavy, err := ask(s, "heavy")
	if err != nil {
		t.Fatal(err)
	}
	light, err := ask(s, "light")
	if err != nil {
		t.Fatal(err)
	}
	for range 5 {
		if o, err := s.Claim(ctx, "a", time.Minute, sims); err != nil || o.ID != heavy.ID {
			t.Fatalf("%+v, %v", o, err)
		}
		if err := s.Release(ctx, heavy.ID, "a"); err != nil {
			t.Fatal(err)
		}
	}
	for i := range 3 {
		if o, err := s.Claim(ctx, fmt.Sprint("dies", i), time.Minute, sims); err != nil || o.ID != heavy.ID {
			t.Fatalf("attempt %d: %+v, %v", i, o, err)
		}
		if err := s.ReleaseAll(ctx); err != nil { // as the next process does
			t.Fatal(err)
		}
	}
	if o, err := s.Claim(ctx, "b", time.Minute, sims); err != nil || o.ID != light.ID {
		t.Fatalf("%+v, %v", o, err)
	}
	o, err := s.GetWork(ctx, sim, heavy.ID)
	if err != nil || o.State != wire.Failed || !strings.Contains(o.Error, "3 times") || o.Ended == nil {
		t.Errorf("%+v, %v", o, err)
	}
	if _, err := s.Claim(ctx, "b", time.Minute, sims); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("there is more: %v", err)
	}
	// With nothing behind it too.
	for range 2 {
		if err := s.ReleaseAll(ctx); err != nil {
			t.Fatal(err)
		}
		if o, err := s.Claim(ctx, "b", time.Minute, sims); err != nil || o.ID != light.ID {
			t.Fatalf("%+v, %v", o, err)
		}
	}
	if err := s.ReleaseAll(ctx); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Claim(ctx, "b", time.Minute, sims); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("claimed too often: %v", err)
	}
	if o, err := s.GetWork(ctx, sim, light.ID); err != nil || o.State != wire.Failed {
		t.Errorf("%+v, %v", o, err)
	}
}

// Blocks are stored for who works on the outcome alone, so that one that was cancelled and
// dropped in the middle leaves none behind.
func TestBlocksGoWithTheirOutcome(t *testing.T) {
	ctx, s := context.Background(), open(t)
	o := claimed(t, s)
	block := func(n int) store.Block { return store.Block{WorkID: o.ID, Number: n, Jobs: 5, Data: []byte("x")} }
	if err := s.PutBlock(ctx, "a", block(0)); err != nil {
		t.Fatal(err)
	}
	if err := s.PutBlock(ctx, "b", block(1)); !errors.Is(err, store.ErrConflict) {
		t.Errorf("of another: %v", err)
	}
	if _, err := s.Cancel(ctx, sim, o.ID); err != nil {
		t.Fatal(err)
	}
	if err := s.PutBlock(ctx, "a", block(1)); !errors.Is(err, store.ErrConflict) {
		t.Errorf("of a cancelled one: %v", err)
	}
	if err := s.DropBlocks(ctx, 0); err != nil {
		t.Fatal(err)
	}
	if n, _, err := s.CountBlocks(ctx, o.ID); n != 0 || err != nil {
		t.Errorf("%d blocks are left, %v", n, err)
	}
	if err := s.DropWork(ctx, sim, o.ID); err != nil {
		t.Error(err)
	}
	if err := s.PutBlock(ctx, "a", block(1)); !errors.Is(err, store.ErrConflict) {
		t.Errorf("of a dropped one: %v", err)
	}
}

// What a defect left is kept with its outcome, and lists stay light.
func TestDefectsAreKept(t *testing.T) {
	ctx, s := context.Background(), open(t)
	o := claimed(t, s)
	stack := "seed 7, repeat 2: index out of range\n" + strings.Repeat("main.f()\n", 5000)
	end := store.Work{State: wire.Failed, Error: "a defect", Stack: &stack}
	if err := s.Finish(ctx, o.ID, "a", end, nil); err != nil {
		t.Fatal(err)
	}
	if got, err := s.GetWork(ctx, sim, o.ID); err != nil || got.Stack == nil || *got.Stack != stack {
		t.Errorf("%+v, %v", got, err)
	}
	if list, err := s.ListWork(ctx, sim, "", false, 0, 5); err != nil || len(list) != 1 || list[0].Stack != nil ||
		list[0].Error != "a defect" {
		t.Errorf("%+v, %v", list, err)
	}
}

// claimed is an outcome that was asked for and that a works on.
func claimed(t *testing.T, s *store.Store) store.Work {
	t.Helper()
	o, err := ask(s, "x")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Claim(context.Background(), "a", time.Minute, sims); err != nil {
		t.Fatal(err)
	}
	return o
}
