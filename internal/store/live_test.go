package store_test

import (
	"context"
	"fmt"
	"slices"
	"sync"
	"testing"
	"time"

	"tachyphor/core/live"
	"tachyphor/internal/store"
)

var liveMonday = time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC)

func told(run, step int) live.Message {
	at := liveMonday.Add(time.Duration(run)*time.Hour + time.Duration(step)*time.Minute)
	m := live.Message{Key: fmt.Sprint(run, "/", step), Run: live.RunID{Source: "s", ID: fmt.Sprint("run-", run)}, Kind: live.Task, At: at, Facts: map[string]string{}}
	*[]*time.Time{&m.Queued, &m.Started, &m.Ended}[step] = at
	return m
}

func liveRuns(t *testing.T, s *store.Store, from, until time.Time) (out []*live.Run) {
	t.Helper()
	if err := s.EachLive(context.Background(), from, until, func(r *live.Run) bool { out = append(out, r); return true }); err != nil {
		t.Fatal(err)
	}
	return out
}

// Several services that take the same in at once count each message once, and lose nothing of a run.
func TestLiveFromSeveralServices(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	var mu sync.Mutex
	counted := 0
	var wait sync.WaitGroup
	for worker := range 4 {
		wait.Go(func() {
			for round := range 6 {
				var list []live.Message
				for run := range 60 {
					list = append(list, told(run, (run+round+worker)%3))
				}
				if worker%2 == 1 {
					slices.Reverse(list)
				}
				got, err := s.PutLive(ctx, list)
				if err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				for _, c := range got {
					if c {
						counted++
					}
				}
				mu.Unlock()
			}
		})
	}
	wait.Wait()
	if counted != 180 {
		t.Errorf("%d messages were counted of 180", counted)
	}
	runs := liveRuns(t, s, time.Time{}, time.Time{})
	if len(runs) != 60 {
		t.Fatalf("%d runs", len(runs))
	}
	for _, r := range runs {
		if r.Queued.IsZero() || r.Ended.Sub(r.Queued) != 2*time.Minute || r.Started.Sub(r.Queued) != time.Minute {
			t.Errorf("%+v", r)
		}
	}
	if sum, err := s.LiveSum(ctx); err != nil || sum.Runs != 60 || sum.Open != 0 || sum.Messages != 180 || !sum.From.Equal(liveMonday) {
		t.Errorf("%+v %v", sum, err)
	}
}

// Runs are kept by age and number, the newest; what is read is bounded by time.
func TestLiveBounds(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	var list []live.Message
	for run := range 300 {
		list = append(list, told(run, 0))
	}
	if _, err := s.PutLive(ctx, list); err != nil {
		t.Fatal(err)
	}
	if n := len(liveRuns(t, s, liveMonday.Add(10*time.Hour), liveMonday.Add(20*time.Hour))); n != 10 {
		t.Errorf("%d runs in ten hours", n)
	}
	room := store.LiveRoom{Age: time.Since(liveMonday.Add(50*time.Hour - time.Minute)), Runs: 1000, Memory: time.Hour, Messages: 100}
	if n, err := s.DropLive(ctx, room); err != nil || n != 50 {
		t.Errorf("%d went for their age, %v", n, err)
	}
	room.Runs = 120
	if n, err := s.DropLive(ctx, room); err != nil || n != 130 {
		t.Errorf("%d went for their number, %v", n, err)
	}
	runs := liveRuns(t, s, time.Time{}, time.Time{})
	if len(runs) != 120 || runs[0].ID != "run-180" || runs[119].ID != "run-299" {
		t.Errorf("%d runs from %s to %s are left", len(runs), runs[0].ID, runs[len(runs)-1].ID)
	}
	if sum, err := s.LiveSum(ctx); err != nil || sum.Messages != 100 {
		t.Errorf("%+v %v", sum, err)
	}
	var newest []string
	err := s.NewestLive(ctx, func(r *live.Run) bool { newest = append(newest, r.ID); return len(newest) < 3 })
	if err != nil || !slices.Equal(newest, []string{"run-299", "run-298", "run-297"}) {
		t.Errorf("%v %v", newest, err)
	}
}
