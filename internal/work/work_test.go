package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/internal/kube"
	"tachyphor/internal/library"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/store"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// Kinds of the tests' own, entered as any other is.
var (
	// counting counts up to what its question says, and goes on from its last checkpoint.
	counting = Kind{Name: "counting", Called: "counting", Run: func(ctx context.Context, _ *Queue, j *Job) (End, error) {
		var to, at int
		if err := json.Unmarshal([]byte(j.Question), &to); err != nil {
			return End{}, err
		}
		began := 0
		if len(j.checkpoint) > 0 {
			if err := json.Unmarshal([]byte(j.checkpoint), &at); err != nil {
				return End{}, err
			}
			began = at
		}
		for ; at < to; at++ {
			if at == hold.Load() {
				<-ctx.Done()
			}
			if ctx.Err() != nil || !j.Progress(float64(at)/float64(to)) {
				return End{}, errStopped
			}
			j.Keep(at + 1)
		}
		return End{Gist: began, Result: []byte(fmt.Sprint(at))}, nil
	}}
	// visiting is live: it stays until it is ended.
	visiting = Kind{Name: "visiting", Called: "visit", Live: true, Run: func(ctx context.Context, _ *Queue, j *Job) (End, error) {
		j.Keep("there")
		<-ctx.Done()
		j.Keep("gone")
		return End{}, nil
	}}
	broken = Kind{Name: "broken", Called: "broken", Run: func(context.Context, *Queue, *Job) (End, error) { panic("oh") }}
)

// hold is at which number counting stays until it is stopped.
var hold countAt

type countAt struct{ n atomic.Int64 }

func (c *countAt) Load() int { return int(c.n.Load()) }

func init() { kinds = append(kinds, &counting, &visiting, &broken) }

// records opens records of the test's own.
func records(t *testing.T) *store.Store {
	t.Helper()
	ctx := context.Background()
	db, err := mariadb.Start(ctx, mariadb.Options{Dir: t.TempDir(), Log: quiet, Unsafe: true})
	if err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(ctx, db.DSN("x"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = s.Close()
		_ = db.Close()
	})
	return s
}

func start(t *testing.T, s *store.Store) *Queue {
	t.Helper()
	return Start(s, library.NewLibrary(s, t.TempDir()), quiet, func() error { return nil }, Clusters{Options: kube.Options{Kubeconfig: os.DevNull}}, Far{}, nil)
}

// until waits for work to come to what is wanted.
func until(t *testing.T, s *store.Store, id uint64, ok func(store.Work) bool) store.Work {
	t.Helper()
	var w store.Work
	for range 3000 {
		var err error
		if w, err = s.GetWork(context.Background(), Names(kinds...), id); err != nil {
			t.Fatal(err)
		}
		if ok(w) {
			return w
		}
		time.Sleep(20 * time.Millisecond)
	}
	t.Fatalf("it stays %+v", w)
	return w
}

func is(state wire.State) func(store.Work) bool {
	return func(w store.Work) bool { return w.State == state }
}

// Every kind is entered once, and says how it is claimed.
func TestKindsAreEntered(t *testing.T) {
	names := Names(kinds...)
	slices.Sort(names)
	if len(slices.Compact(names)) != len(kinds) {
		t.Errorf("two kinds have one name: %v", names)
	}
	for _, k := range kinds {
		if k.Run == nil || k.Called == "" || kindOf(k.Name) != k || len(k.Name) > 16 {
			t.Errorf("%+v", k)
		}
	}
	if kindOf("nothing") != nil || len(claimable(true))+len(claimable(false)) != len(kinds) {
		t.Error("what is claimed is not what there is")
	}
}

// What is short does not wait behind what is long; what is stopped with the process goes on
// in the next from its checkpoint; what was cancelled does not.
func TestQueue(t *testing.T) {
	ctx, s := context.Background(), records(t)
	q := start(t, s)
	hold.n.Store(3)
	long, err := q.enter(ctx, &counting, store.Work{Subject: "long", By: "me"}, 5)
	if err != nil {
		t.Fatal(err)
	}
	until(t, s, long.ID, func(w store.Work) bool { return w.Checkpoint != nil && *w.Checkpoint == "3" })
	other, err := q.enter(ctx, &counting, store.Work{Subject: "other", By: "me"}, 4)
	if err != nil {
		t.Fatal(err)
	}
	short, err := q.enter(ctx, &counting, store.Work{Subject: "short", By: "me"}, 2)
	if err != nil {
		t.Fatal(err)
	}
	w := until(t, s, short.ID, is(wire.Done))
	if raw, err := q.Result(ctx, short.ID); err != nil || string(raw) != "2" || w.Gist != "0" {
		t.Errorf("%s, %v, %+v", raw, err, w)
	}
	now, err := s.GetWork(ctx, namesOf(false), long.ID)
	if err != nil || now.State != wire.Running || q.Progress(now) <= 0 {
		t.Errorf("meanwhile %+v, %v", now, err)
	}
	at := 0
	if q.Checkpoint(now, &at); at != 3 {
		t.Errorf("at %d", at)
	}
	if q.Sign(now) != q.Sign(now) || q.Sign(now) == (Sign{state: now.State}) {
		t.Errorf("%+v", q.Sign(now))
	}
	if w, err := q.Cancel(ctx, namesOf(false), other.ID); err != nil || w.State != wire.Cancelled {
		t.Errorf("%+v, %v", w, err)
	}
	q.Close()
	if w := until(t, s, long.ID, is(wire.Queued)); w.Attempts != 0 {
		t.Errorf("%d attempts", w.Attempts)
	}
	hold.n.Store(-1)
	q = start(t, s)
	defer q.Close()
	if w := until(t, s, long.ID, is(wire.Done)); w.Gist != "3" {
		t.Errorf("it went on from %s", w.Gist)
	}
	until(t, s, other.ID, is(wire.Cancelled))
	for deadline := time.Now().Add(2 * time.Minute); ; time.Sleep(5 * time.Millisecond) { // it is counted once it is stored
		finished, failed := q.Counts()
		if finished == 1 && failed == 0 {
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("%d finished, %d failed", finished, failed)
		}
	}
}

// What was begun before, by a process that died, is done alone.
func TestSuspectsAreDoneAlone(t *testing.T) {
	ctx, s := context.Background(), records(t)
	hold.n.Store(1)
	defer hold.n.Store(-1)
	suspect, err := s.Enter(ctx, store.Work{Kind: counting.Name, Subject: "suspect", Question: "2", Holder: "dead"}, -time.Second,
		namesOf(false), 100, 0)
	if err != nil {
		t.Fatal(err)
	}
	q := start(t, s)
	defer q.Close()
	until(t, s, suspect.ID, func(w store.Work) bool { return w.Checkpoint != nil && *w.Checkpoint == "1" })
	other, err := q.enter(ctx, &counting, store.Work{Subject: "other"}, 1)
	if err != nil {
		t.Fatal(err)
	}
	time.Sleep(2 * beat)
	if w := until(t, s, other.ID, func(store.Work) bool { return true }); w.State != wire.Queued || w.Attempts != 0 {
		t.Errorf("it is begun beside a suspect: %+v", w)
	}
	if _, err := q.Cancel(ctx, namesOf(false), suspect.ID); err != nil {
		t.Fatal(err)
	}
	until(t, s, other.ID, is(wire.Done))
}

// A defect of a kind is its work's failure, told with where it was.
func TestDefects(t *testing.T) {
	ctx, s := context.Background(), records(t)
	q := start(t, s)
	defer q.Close()
	w, err := q.enter(ctx, &broken, store.Work{Subject: "x", By: "me"}, 1)
	if err != nil {
		t.Fatal(err)
	}
	w = until(t, s, w.ID, is(wire.Failed))
	if w.Stack == nil || !strings.Contains(*w.Stack, "oh") || !strings.Contains(*w.Stack, "work_test.go") {
		t.Errorf("%+v", w)
	}
}

// Live work is done at once by the process that was asked, as much of it as there are
// places; it ends when it is told to, with what it said last; and when its process goes it
// is not begun again.
func TestLiveWork(t *testing.T) {
	ctx, s := context.Background(), records(t)
	q := start(t, s)
	visit := func() (store.Work, error) {
		if !q.place() {
			return store.Work{}, store.ErrBusy
		}
		w, err := q.enter(ctx, &visiting, store.Work{Subject: "x", By: "me", Holder: q.holder}, nil)
		if err == nil {
			q.all.Go(func() {
				defer q.leavePlace()
				q.run(w, nil)
			})
		}
		return w, err
	}
	var all []store.Work
	for range liveAtOnce {
		w, err := visit()
		if err != nil {
			t.Fatal(err)
		}
		all = append(all, w)
	}
	if _, err := visit(); !errors.Is(err, store.ErrBusy) {
		t.Errorf("one more: %v", err)
	}
	until(t, s, all[0].ID, func(w store.Work) bool { return w.Checkpoint != nil && *w.Checkpoint == `"there"` })
	if w, err := q.Cancel(ctx, namesOf(true), all[0].ID); err != nil || w.State != wire.Running && w.State != wire.Cancelled {
		t.Errorf("%+v, %v", w, err)
	}
	if w := until(t, s, all[0].ID, is(wire.Cancelled)); *w.Checkpoint != `"gone"` {
		t.Errorf("it said %s last", *w.Checkpoint)
	}
	left, err := s.Enter(ctx, store.Work{Kind: visiting.Name, Subject: "x", Holder: "gone", Question: "null"}, -time.Second, namesOf(true),
		100, 0)
	if err != nil {
		t.Fatal(err)
	}
	if w := until(t, s, left.ID, is(wire.Failed)); w.Error != brokenOff {
		t.Errorf("%+v", w)
	}
	if _, err := s.Cancel(ctx, namesOf(true), all[2].ID); err != nil { // as another process does
		t.Fatal(err)
	}
	until(t, s, all[2].ID, func(w store.Work) bool {
		return w.State == wire.Cancelled && w.Checkpoint != nil && *w.Checkpoint == `"gone"`
	})
	q.Close()
	if w := until(t, s, all[1].ID, is(wire.Cancelled)); *w.Checkpoint != `"gone"` {
		t.Errorf("at the end it said %s last", *w.Checkpoint)
	}
}

// A simulation is asked for, done, kept and looked into.
func TestSimulation(t *testing.T) {
	ctx, s := context.Background(), records(t)
	docs, faults := document.Parse("x", []byte(worlds.Queue{Agents: 2, Load: 0.5, Work: worlds.Fixed, Hours: 1, Repeats: 2}.Text()))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	var drafts []store.Draft
	scenario := ""
	for _, d := range docs {
		drafts = append(drafts, store.Draft{Kind: d.Kind, Name: d.Name, Digest: d.Digest, Text: d.Text})
		if d.Kind == document.KindScenario {
			scenario = d.Name
		}
	}
	if _, _, err := s.PutAll(ctx, "me", drafts); err != nil {
		t.Fatal(err)
	}
	q := start(t, s)
	defer q.Close()
	w, faults, err := q.Simulate(ctx, scenario, "me", wire.Run{})
	if err != nil || len(faults) > 0 {
		t.Fatal(faults, err)
	}
	until(t, s, w.ID, is(wire.Done))
	o, err := q.Outcome(ctx, w.ID)
	if err != nil || o.Repeats != 2 {
		t.Fatal(err)
	}
	if trace, err := q.Trace(ctx, w); err != nil || len(trace.Records) == 0 {
		t.Errorf("%v", err)
	}
	wrong := []document.Changes{{
		Kind: document.KindScenario, Name: scenario,
		Edits: []document.Edit{{Op: "replace", Path: "/spec/cluster", Value: "another"}},
	}}
	if _, faults, err := q.Simulate(ctx, scenario, "me", wire.Run{Changes: wrong}); err != nil || len(faults) != 1 ||
		faults[0].Path != "spec.cluster" {
		t.Errorf("a change that names another cluster: %v, %v", faults, err)
	}
	if err := q.Drop(ctx, namesOf(false), w.ID); err != nil {
		t.Error(err)
	}
}

// Memory is parted: work waits for room that other work has, and for none in vain.
func TestRoomIsShared(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		need := func(workers int) units.Bytes { return units.Bytes(50*workers) << 20 }
		r := &room{workers: 4, all: 260 << 20}
		n, free, err := r.take(need, nil)
		if err != nil || n != 4 {
			t.Fatal(n, err)
		}
		if n, more, err := r.take(need, nil); err != nil || n != 1 {
			t.Errorf("%d workers beside it, %v", n, err)
		} else {
			defer more()
		}
		got := make(chan int)
		go func() {
			n, _, err := r.take(need, nil)
			if err != nil {
				t.Error(err)
			}
			got <- n
		}()
		synctest.Wait()
		select {
		case n := <-got:
			t.Errorf("it has %d workers while there is no room", n)
		default:
		}
		free()
		if n := <-got; n != 4 {
			t.Errorf("then it has %d workers", n)
		}
		stopped := make(chan struct{})
		close(stopped)
		if _, _, err := r.take(need, stopped); !errors.Is(err, errStopped) {
			t.Errorf("stopped: %v", err)
		}
		if _, _, err := r.take(func(int) units.Bytes { return 1 << 40 }, nil); !errors.Is(err, ErrTooLarge) {
			t.Errorf("too large: %v", err)
		}
	})
}

// What the database fails is tried again for ten seconds, a lost lease is not.
func TestPatiently(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		ctx, away, n := context.Background(), errors.New("away"), 0
		began := time.Now()
		err := Patiently(ctx, func() error {
			if n++; n < 6 {
				return away
			}
			return nil
		})
		if took := time.Since(began); err != nil || n != 6 || took != 2500*time.Millisecond {
			t.Errorf("%d times in %s, %v", n, took, err)
		}
		began, n = time.Now(), 0
		err = Patiently(ctx, func() error { n++; return away })
		if took := time.Since(began); !errors.Is(err, away) || n != 20 || took != 10*time.Second {
			t.Errorf("%d times in %s, %v", n, took, err)
		}
		if n = 0; !errors.Is(Patiently(ctx, func() error { n++; return store.ErrConflict }), store.ErrConflict) || n != 1 {
			t.Errorf("a lost lease is tried %d times", n)
		}
		short, cancel := context.WithTimeout(ctx, 700*time.Millisecond)
		defer cancel()
		if err := Patiently(short, func() error { return away }); !errors.Is(err, context.DeadlineExceeded) {
			t.Error(err)
		}
	})
}
