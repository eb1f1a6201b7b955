package sim

import (
	"math"

	"tachyphor/core/document"
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

type flow struct {
	ends  float64 // value of the clock at which the flow ends
	order uint64
	node  int32
}

func newLink(d document.Link) link {
	l := link{total: math.Inf(1), each: math.Inf(1)}
	if d.Down > 0 {
		l.total = float64(d.Down) / float64(units.Second)
	}
	if d.PerFlow > 0 {
		l.each = float64(d.PerFlow) / float64(units.Second)
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
func (l *link) add(now units.Duration, size units.Bytes, node int32) {
	l.advance(now)
	l.order++
	l.flows = append(l.flows, flow{l.clock + float64(size), l.order, node})
	for i := len(l.flows) - 1; i > 0; {
		p := (i - 1) / 2
		if !l.flows[i].before(l.flows[p]) {
			break
		}
		l.flows[i], l.flows[p] = l.flows[p], l.flows[i]
		i = p
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
func (l *link) end(now units.Duration) (node int32) {
	l.advance(now)
	f := l.flows[0]
	l.clock = max(l.clock, f.ends)
	n := len(l.flows) - 1
	l.flows[0] = l.flows[n]
	l.flows = l.flows[:n]
	for i := 0; ; {
		c := 2*i + 1
		if c >= n {
			break
		}
		if c+1 < n && l.flows[c+1].before(l.flows[c]) {
			c++
		}
		if !l.flows[c].before(l.flows[i]) {
			break
		}
		l.flows[i], l.flows[c] = l.flows[c], l.flows[i]
		i = c
	}
	return f.node
}
