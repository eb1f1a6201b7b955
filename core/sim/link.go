package sim

import (
	"math"

	"tachyphor/core/units"
)

// A link carries flows that share it fairly (processor sharing). Each of n flows
// moves at min(per flow, total/n). One clock of virtual bytes, the bytes that a
// flow present all along would have moved, serves all flows: a flow ends when
// the clock reaches its starting value plus its size. Adding and ending a flow
// therefore costs the logarithm of their number.
type link struct {
	total, each float64 // bytes a nanosecond; +Inf without limit
	clock       float64 // virtual bytes, as of at
	at          units.Duration
	flows       []flow // binary heap by ends, then order
	order       uint64
	version     uint32 // of the event planned for the first end
}

// A flow goes to a node that pulls an image, or belongs to an agent.
type flow struct {
	ends  float64 // value of the clock at which the flow ends
	order uint64
	size  units.Bytes
	owner int32 // a node with an image, an agent without
	image int32 // -1 for none
}

// newLink returns a link of a total rate and a rate per flow; 0 is without limit.
func newLink(total, each units.Rate) link {
	l := link{total: math.Inf(1), each: math.Inf(1)}
	if total > 0 {
		l.total = float64(total) / float64(units.Second)
	}
	if each > 0 {
		l.each = float64(each) / float64(units.Second)
	}
	return l
}

// rate is what one flow gets now.
func (l *link) rate() float64 { return min(l.each, l.total/float64(max(1, len(l.flows)))) }

// advance moves the clock to now.
func (l *link) advance(now units.Duration) {
	if len(l.flows) == 0 {
		l.clock = 0
	} else if now > l.at { // the conversion keeps the product from being fused into the sum
		l.clock += float64(l.rate() * float64(now-l.at))
	}
	l.at = now
}

// add begins a flow of size bytes.
func (l *link) add(now units.Duration, size units.Bytes, owner, image int32) {
	l.advance(now)
	l.order++
	l.flows = append(l.flows, flow{l.clock + float64(size), l.order, size, owner, image})
	l.rise(len(l.flows) - 1)
}

// rise moves the flow at i up to its place in the heap.
func (l *link) rise(i int) {
	for i > 0 {
		p := (i - 1) / 2
		if !l.flows[i].before(l.flows[p]) {
			return
		}
		l.flows[i], l.flows[p] = l.flows[p], l.flows[i]
		i = p
	}
}

// sink moves the flow at i down to its place in the heap.
func (l *link) sink(i int) {
	for n := len(l.flows); ; {
		c := 2*i + 1
		if c >= n {
			return
		}
		if c+1 < n && l.flows[c+1].before(l.flows[c]) {
			c++
		}
		if !l.flows[c].before(l.flows[i]) {
			return
		}
		l.flows[i], l.flows[c] = l.flows[c], l.flows[i]
		i = c
	}
}

func (f flow) before(g flow) bool { return f.ends < g.ends || f.ends == g.ends && f.order < g.order }

// next returns when the first flow ends if nothing changes; ok is false without
// flows.
func (l *link) next() (at units.Duration, ok bool) {
	if len(l.flows) == 0 {
		return 0, false
	}
	left := max(0, l.flows[0].ends-l.clock)
	if r := l.rate(); !math.IsInf(r, 1) {
		return l.at + units.Duration(math.Ceil(left/r)), true
	}
	return l.at, true
}

// end takes the first flow off at the moment that next named.
func (l *link) end(now units.Duration) flow {
	l.advance(now)
	f := l.flows[0]
	l.clock = max(l.clock, f.ends)
	l.take(0)
	return f
}

// take removes the flow at i from the heap.
func (l *link) take(i int) {
	n := len(l.flows) - 1
	l.flows[i] = l.flows[n]
	l.flows = l.flows[:n]
	if i < n {
		l.sink(i)
		l.rise(i)
	}
}

// drop ends a flow before its time and returns the bytes that it has moved; ok is
// false when there is none.
func (l *link) drop(now units.Duration, owner, image int32) (moved units.Bytes, ok bool) {
	l.advance(now)
	for i, f := range l.flows {
		if f.owner == owner && f.image == image {
			l.take(i)
			return f.size - units.Bytes(max(0, f.ends-l.clock)), true
		}
	}
	return 0, false
}
