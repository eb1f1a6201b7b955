package api

import (
	"context"
	"maps"
	"slices"
	"sync"
	"time"
)

// watchEvery is how often progress is looked at for those who watch.
const watchEvery = 150 * time.Millisecond

// A watched looks at what people watch: once for all of them, however many there are, and
// not at all when there is none.
type watched[T any] struct {
	look func(context.Context, []uint64) (map[uint64]T, error)

	mu       sync.Mutex
	watchers map[uint64]int // how many watch each
	begun    uint64         // looks so far
	seen     map[uint64]T   // by the last look that succeeded,
	by       uint64         // which was this one
	next     chan struct{}  // closed by the next of those
	going    bool
}

func newWatched[T any](look func(context.Context, []uint64) (map[uint64]T, error)) *watched[T] {
	return &watched[T]{look: look, watchers: map[uint64]int{}, next: make(chan struct{})}
}

// follow tells of one thing, at once and with every look, until tell returns true or ctx
// ends; there is false where there is no such thing.
func (w *watched[T]) follow(ctx context.Context, id uint64, tell func(now T, there bool) (over bool)) {
	w.mu.Lock()
	w.watchers[id]++
	since := w.begun // looks up to here may not have asked for it
	if !w.going {
		w.going = true
		go w.keepLooking()
	}
	w.mu.Unlock()
	defer func() {
		w.mu.Lock()
		defer w.mu.Unlock()
		if w.watchers[id]--; w.watchers[id] == 0 {
			delete(w.watchers, id)
		}
	}()
	for {
		w.mu.Lock()
		now, there := w.seen[id]
		by, next := w.by, w.next
		w.mu.Unlock()
		if by > since && tell(now, there) {
			return
		}
		select {
		case <-ctx.Done():
			return
		case <-next:
		}
	}
}

// keepLooking looks until nobody watches any more.
func (w *watched[T]) keepLooking() {
	for {
		w.mu.Lock()
		ids := slices.Collect(maps.Keys(w.watchers))
		if len(ids) == 0 {
			w.going, w.seen = false, nil
			w.mu.Unlock()
			return
		}
		w.begun++
		this := w.begun
		w.mu.Unlock()
		if seen, err := w.look(context.Background(), ids); err == nil { // else the database is asked again
			w.mu.Lock()
			w.seen, w.by = seen, this
			close(w.next)
			w.next = make(chan struct{})
			w.mu.Unlock()
		}
		time.Sleep(watchEvery)
	}
}
