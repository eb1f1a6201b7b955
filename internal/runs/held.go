package runs

import (
	"context"
	"math"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/sync/singleflight"
)

// A held keeps what is costly to make, the most recently used, up to a weight: it is made
// once for all who want it at the same time, and only so many things are made at once.
type held[V any] struct {
	weigh   func(V) int
	most    int           // of weight; what is heavier alone is kept alone
	making  chan struct{} // places
	flights singleflight.Group

	mu    sync.Mutex
	kept  *simplelru.LRU[string, V]
	total int
}

func newHeld[V any](most, atOnce int, weigh func(V) int) *held[V] {
	h := &held[V]{weigh: weigh, most: most, making: make(chan struct{}, atOnce)}
	kept, err := simplelru.NewLRU(math.MaxInt32, func(_ string, v V) { h.total -= h.weigh(v) })
	if err != nil {
		panic("runs: " + err.Error()) // only for an impossible size
	}
	h.kept = kept
	return h
}

// find returns what is kept under a key.
func (h *held[V]) find(key string) (V, bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.kept.Get(key)
}

// put keeps something, in place of what was kept under its key.
func (h *held[V]) put(key string, v V) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.kept.Remove(key)
	h.kept.Add(key, v)
	h.total += h.weigh(v)
	for h.total > h.most && h.kept.Len() > 1 {
		h.kept.RemoveOldest()
	}
}

// drop keeps nothing under a key any more.
func (h *held[V]) drop(key string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.kept.Remove(key)
}

// get returns what is kept under a key, or makes it. One who gives up waiting does not
// stop the making, which others may wait for.
func (h *held[V]) get(ctx context.Context, key string, make func(context.Context) (V, error)) (V, error) {
	if v, ok := h.find(key); ok {
		return v, nil
	}
	end := h.flights.DoChan(key, func() (any, error) {
		if v, ok := h.find(key); ok { // made since
			return v, nil
		}
		h.making <- struct{}{}
		defer func() { <-h.making }()
		v, err := make(context.WithoutCancel(ctx))
		if err == nil {
			h.put(key, v)
		}
		return v, err
	})
	select {
	case r := <-end:
		v, _ := r.Val.(V)
		return v, r.Err
	case <-ctx.Done():
		var none V
		return none, ctx.Err()
	}
}
