package intake

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"testing"
	"time"

	"tachyphor/core/live"
	"tachyphor/internal/store"
)

// records are stand-in records: they can be held, and can refuse a message.
type records struct {
	mu     sync.Mutex
	hold   chan struct{} // nil: not held
	known  map[string]bool
	sizes  []int
	refuse string
}

func (r *records) PutLive(_ context.Context, list []live.Message) ([]bool, error) {
	r.mu.Lock()
	hold := r.hold
	r.mu.Unlock()
	if hold != nil {
		<-hold
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	for i := range list {
		if r.refuse != "" && list[i].Key == r.refuse {
			return nil, errors.New("it is refused")
		}
	}
	r.sizes = append(r.sizes, len(list))
	counted := make([]bool, len(list))
	for i := range list {
		counted[i] = !r.known[list[i].Key]
		r.known[list[i].Key] = true
	}
	return counted, nil
}

func (r *records) DropLive(context.Context, store.LiveRoom) (int64, error) { return 0, nil }

func begun(t *testing.T, r *records) *Intake {
	t.Helper()
	r.known = map[string]bool{}
	x := Start(r, slog.New(slog.NewTextHandler(io.Discard, nil)), DefaultRoom)
	t.Cleanup(x.Close)
	return x
}

func messages(from, n int) []live.Message {
	out := make([]live.Message, n)
	for i := range out {
		out[i].Key = fmt.Sprint(from + i)
	}
	return out
}

// While one request is stored others gather, and go in together; each is told of its own.
func TestGathered(t *testing.T) {
	r := &records{hold: make(chan struct{})}
	x := begun(t, r)
	var wait sync.WaitGroup
	got := make([]Taken, 20)
	for n := range got {
		wait.Go(func() {
			list := messages(10*n, 10)
			if n%2 == 1 { // what the one before sent, again
				list = append(list, messages(10*(n-1), 5)...)
			}
			taken, _, err := x.Take(context.Background(), list, 1)
			if err != nil {
				t.Error(err)
			}
			got[n] = taken
		})
	}
	for x.Sum().Waiting != 250 {
		time.Sleep(time.Millisecond)
	}
	r.mu.Lock()
	close(r.hold)
	r.hold = nil
	r.mu.Unlock()
	wait.Wait()
	sum := Taken{}
	for n, g := range got {
		if sent := 10 + 5*(n%2); g.New+g.Known != sent {
			t.Errorf("of %d messages %+v", sent, g)
		}
		sum.New, sum.Known = sum.New+g.New, sum.Known+g.Known
	}
	if sum != (Taken{200, 50}) || len(r.sizes) > 2 {
		t.Errorf("%+v in %v", sum, r.sizes)
	}
	if s := x.Sum(); s.New != 200 || s.Known != 50 || s.Other != 20 || s.Waiting != 0 {
		t.Errorf("%+v", s)
	}
}

// What there is no room for is turned away with when to come again, whole; what waits is stored.
func TestFull(t *testing.T) {
	r := &records{hold: make(chan struct{})}
	x := begun(t, r)
	ended := make(chan error, 1)
	go func() {
		_, _, err := x.Take(context.Background(), messages(0, mostWaiting-5), 0)
		ended <- err
	}()
	for x.Sum().Waiting == 0 {
		time.Sleep(time.Millisecond)
	}
	_, after, err := x.Take(context.Background(), messages(mostWaiting, 6), 0)
	if !errors.Is(err, ErrFull) || after < time.Second || after > time.Minute {
		t.Errorf("%v, after %v", err, after)
	}
	if s := x.Sum(); s.Turned != 6 || s.Waiting != mostWaiting-5 {
		t.Errorf("%+v", s)
	}
	close(r.hold)
	if err := <-ended; err != nil {
		t.Error(err)
	}
	r.mu.Lock()
	r.hold = nil
	r.mu.Unlock()
	if taken, _, err := x.Take(context.Background(), messages(mostWaiting, 6), 0); err != nil || taken.New != 6 {
		t.Errorf("%+v %v", taken, err)
	}
}

// A request that cannot be stored fails alone.
func TestFailsAlone(t *testing.T) {
	r := &records{hold: make(chan struct{}), refuse: "13"}
	x := begun(t, r)
	var wait sync.WaitGroup
	failed := make([]bool, 4)
	for n := range failed {
		wait.Go(func() {
			_, _, err := x.Take(context.Background(), messages(10*n, 10), 0)
			failed[n] = err != nil
		})
	}
	for x.Sum().Waiting != 40 {
		time.Sleep(time.Millisecond)
	}
	close(r.hold)
	r.mu.Lock()
	r.hold = nil
	r.mu.Unlock()
	wait.Wait()
	for n, is := range failed {
		if is != (n == 1) {
			t.Errorf("request %d failed: %v", n, is)
		}
	}
	x.Close()
	if _, _, err := x.Take(context.Background(), messages(99, 1), 0); !errors.Is(err, ErrFull) {
		t.Error(err)
	}
}
