package api

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
	"time"
)

// However many watch, there is one look for all of them; an error tells nobody anything;
// with the last of them looking ends.
func TestWatched(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var looks, broken atomic.Int64
		broken.Store(3)
		w := newWatched(func(_ context.Context, ids []uint64) (map[uint64]int64, error) {
			n := looks.Add(1)
			if broken.Add(-1) >= 0 {
				return nil, errors.New("away")
			}
			out := map[uint64]int64{}
			for _, id := range ids {
				if id != 404 {
					out[id] = n
				}
			}
			return out, nil
		})
		began := time.Now()
		var wait sync.WaitGroup
		for i := range 100 {
			wait.Go(func() {
				told := 0
				w.follow(context.Background(), uint64(i), func(_ int64, there bool) bool {
					if !there {
						t.Errorf("%d is told not to be there", i)
					}
					told++
					return told == 4
				})
			})
		}
		wait.Go(func() {
			w.follow(context.Background(), 404, func(_ int64, there bool) bool {
				if there {
					t.Error("what is not there is told to be")
				}
				return true
			})
		})
		gone, cancel := context.WithCancel(context.Background())
		cancel()
		w.follow(gone, 7, func(int64, bool) bool { return false })
		wait.Wait()
		if n, most := looks.Load(), int64(time.Since(began)/watchEvery)+2; n > most {
			t.Errorf("%d looks in %s", n, time.Since(began))
		}
		time.Sleep(3 * watchEvery)
		n := looks.Load()
		time.Sleep(3 * watchEvery)
		if looks.Load() != n {
			t.Error("it looks though nobody watches")
		}
	})
}
