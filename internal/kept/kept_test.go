package kept

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"
)

func TestKept(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		ctx := context.Background()
		h := New(100, 2, func(n int) int { return n })
		made := atomic.Int64{}
		make := func(n int) func(context.Context) (int, error) {
			return func(context.Context) (int, error) {
				made.Add(1)
				time.Sleep(20 * time.Millisecond)
				return n, nil
			}
		}
		// Once for all who ask at the same time.
		var wait sync.WaitGroup
		for range 20 {
			wait.Go(func() {
				if n, err := h.Get(ctx, "a", make(60)); n != 60 || err != nil {
					t.Errorf("%d, %v", n, err)
				}
			})
		}
		wait.Wait()
		if made.Load() != 1 {
			t.Errorf("made %d times", made.Load())
		}
		// Within the weight, the least recently used goes.
		for i := range 4 {
			_, _ = h.Get(ctx, fmt.Sprint(i), make(10))
		}
		_, _ = h.Get(ctx, "a", make(60)) // used
		_, _ = h.Get(ctx, "b", make(10))
		if _, ok := h.Find("a"); !ok {
			t.Error("what was used just now has gone")
		}
		if _, ok := h.Find("0"); ok {
			t.Error("too much is kept")
		}
		// What is too heavy is kept alone.
		_, _ = h.Get(ctx, "heavy", make(1000))
		if _, ok := h.Find("heavy"); !ok || h.kept.Len() != 1 || h.total != 1000 {
			t.Errorf("%d things of weight %d", h.kept.Len(), h.total)
		}
		h.Drop("heavy")
		if h.total != 0 {
			t.Errorf("nothing weighs %d", h.total)
		}
		// Who gives up waits no longer, and the making is not lost.
		soon, cancel := context.WithTimeout(ctx, 5*time.Millisecond)
		defer cancel()
		if _, err := h.Get(soon, "slow", make(1)); !errors.Is(err, context.DeadlineExceeded) {
			t.Error(err)
		}
		time.Sleep(40 * time.Millisecond)
		if _, ok := h.Find("slow"); !ok {
			t.Error("what was made is lost")
		}
		// An error is not kept.
		bad := errors.New("bad")
		if _, err := h.Get(ctx, "bad", func(context.Context) (int, error) { return 0, bad }); !errors.Is(err, bad) {
			t.Error(err)
		}
		if n, err := h.Get(ctx, "bad", make(2)); n != 2 || err != nil {
			t.Errorf("%d, %v", n, err)
		}
	})
}
