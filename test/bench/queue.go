package main

import (
	"time"

	"tachyphor/core/chance"
)

// item is what a bare queue holds: a moment, an order and what it is about.
type item struct {
	at, order uint64
	subject   uint64
}

func (a item) before(b item) bool { return a.at < b.at || a.at == b.at && a.order < b.order }

// heap is a bare four-ary heap.
type heap []item

func (h *heap) push(e item) {
	*h = append(*h, e)
	q := *h
	i := len(q) - 1
	for i > 0 {
		parent := (i - 1) / 4
		if !e.before(q[parent]) {
			break
		}
		q[i] = q[parent]
		i = parent
	}
	q[i] = e
}

func (h *heap) pop() item {
	q := *h
	first, n := q[0], len(q)-1
	last := q[n]
	*h = q[:n]
	if n == 0 {
		return first
	}
	q = q[:n]
	i := 0
	for {
		best := 4*i + 1
		if best >= n {
			break
		}
		for c := best + 1; c < min(4*i+5, n); c++ {
			if q[c].before(q[best]) {
				best = c
			}
		}
		if !q[best].before(last) {
			break
		}
		q[i] = q[best]
		i = best
	}
	q[i] = last
	return first
}

// bare passes a number of events through a queue: loaded ones are in it from the
// start, as arrivals are in a plain simulation, and it otherwise holds as many
// as the engine held at most; each one taken plans another until all have passed.
func bare(loaded, events, held int) float64 {
	h := make(heap, 0, loaded+held)
	key := chance.Root(1, 0)
	at := func(i int) uint64 { return uint64(key.For(chance.Boot, uint64(i), 0).Uniform() * 1e15) }
	times := make([]uint64, events)
	for i := range times {
		times[i] = at(i)
	}
	began := time.Now()
	n := 0
	for ; n < min(loaded+held, events); n++ {
		h.push(item{at: times[n], order: uint64(n), subject: uint64(n)})
	}
	for len(h) > 0 {
		e := h.pop()
		if n < events {
			h.push(item{at: e.at + times[n]/uint64(events)*uint64(held+1), order: uint64(n), subject: e.subject})
			n++
		}
	}
	return time.Since(began).Seconds()
}
