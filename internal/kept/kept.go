// Package kept keeps what is costly to make, the most recently used of it.
package kept

import (
	"context"
	"math"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/sync/singleflight"
)

// A Kept keeps what is costly to make, the most recently used, up to a weight: it is made
// once for all who want it at the same time, and only so many things are made at once.
type Kept[V any] struct {
	weigh   func(V) int
	most    int           // of weight; what is heavier alone is kept alone
	making  chan struct{} // places
	flights singleflight.Group

	mu    sync.Mutex
	kept  *simplelru.LRU[string, V]
	total int
}

func New[V any](most, atOnce int, weigh func(V) int) *Kept[V] {
	h := &Kept[V]{weigh: weigh, most: most, making: make(chan struct{}, atOnce)}
	kept, err := simplelru.NewLRU(math.MaxInt32, func(_ string, v V) { h.total -= h.weigh(v) })
	if err != nil {
		panic("kept: " + err.Error()) // only for an impossible size
	}
	h.kept = kept
	return h
}

// Find returns what is kept under a key.
func (h *Kept[V]) Find(key string) (V, bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.kept.Get(key)
}

// Put keeps something, in place of what was kept under its key.
func (h *Kept[V]) Put(key string, v V) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.kept.Remove(key)
	h.kept.Add(key, v)
	h.total += h.weigh(v)
	for h.total > h.most && h.kept.Len() > 1 {
		h.kept.RemoveOldest()
	}
}

// Drop keeps nothing under a key any more.
func (h *Kept[V]) Drop(key string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.kept.Remove(key)
}

// Get returns what is kept under a key, or makes it. One who gives up waiting does not
// stop the making, which others may wait for.
func (h *Kept[V]) Get(ctx context.Context, key string, make func(context.Context) (V, error)) (V, error) {
	if v, ok := h.Find(key); ok {
		return v, nil
	}
	end := h.flights.DoChan(key, func() (any, error) {
		if v, ok := h.Find(key); ok { // made since
			return v, nil
		}
		h.making <- struct{}{}
		defer func() { <-h.making }()
		v, err := make(context.WithoutCancel(ctx))
		if err == nil {
			h.Put(key, v)
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
