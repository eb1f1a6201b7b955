package sim

import (
	"math/bits"

	"tachyphor/core/units"
)

// An eventKind is what happens. Events of one moment happen in the order of
// their kinds, then in the order in which they were planned.
type eventKind uint8

const (
	nodeKnown    eventKind = iota // subject: node; it is not ready yet
	nodeReady                     // subject: node
	bootFailed                    // subject: node
	nodeNoticed                   // subject: node; it will be taken back
	nodeTaken                     // subject: node
	poolStep                      // subject: pool; its min changes
	poolDrains                    // subject: pool; a drain begins or ends
	poolTaken                     // subject: pool; many of its nodes will be taken back
	poolAsked                     // subject: pool; it may be asked again
	nodeGone                      // subject: pool; a node that was going is no more
	pullBegins                    // subject: node; version: image
	pullAgain                     // subject: node; version: image
	flowEnds                      // subject: link
	unpacked                      // subject: node
	entryExpires                  // subject: scope of the cache
	patienceEnds                  // subject: job
	backoffEnds                   // subject: agent, as all up to wiped
	imagesMade
	imagesAsked // the registry has said that the node's images are good
	podStarted
	toolsInstalled
	agentJoined
	restoreStep
	workStep
	saveStep
	wiped
	personAsks      // subject: person
	nodeEmptyFor    // subject: node
	nodeAtRest      // subject: node
	troubleBegins   // subject: event of the world
	troubleEnds     // subject: likewise
	troubleWave     // subject: likewise; version: which wave
	emptyingLook    // for a node to empty
	templateChanges // subject: change of the world
	eventKinds
)

// An event is planned for a moment. order is the kind in the top byte and a
// running number below it.
type event struct {
	at      units.Duration
	order   uint64
	subject int32
	version uint32 // for kinds that can be called off: stale when it differs from the subject's
}

func (e event) kind() eventKind { return eventKind(e.order >> 56) }

func (e event) before(f event) bool {
	return e.at < f.at || e.at == f.at && e.order < f.order
}

// events is a queue of events as a four-ary heap: the children of i are
// 4i+1 … 4i+4, and no child is before its parent. What is taken leaves a hole on top, for
// most that happens plans what happens next to the same agent, and that fills it.
type events struct {
	heap []event
	hole bool // there is nothing in heap[0]
	seq  uint64
	peak int // longest the queue has been
}

func (q *events) plan(at units.Duration, kind eventKind, subject int32, version uint32) {
	q.seq++
	e := event{at, uint64(kind)<<56 | q.seq, subject, version}
	if q.hole {
		q.hole = false
		q.sink(e)
		return
	}
	q.heap = append(q.heap, e)
	q.peak = max(q.peak, len(q.heap))
	q.rise(len(q.heap)-1, e)
}

// next is when the first event happens; false: there is none.
func (q *events) next() (units.Duration, bool) {
	if q.hole {
		q.fill()
	}
	if len(q.heap) == 0 {
		return 0, false
	}
	return q.heap[0].at, true
}

// pop takes the first event; next must have said that there is one.
func (q *events) pop() event {
	q.hole = true
	return q.heap[0]
}

// rise puts an event at i or above.
func (q *events) rise(i int, e event) {
	h := q.heap
	for i > 0 {
		parent := (i - 1) / 4
		if !e.before(h[parent]) {
			break
		}
		h[i] = h[parent]
		i = parent
	}
	h[i] = e
}

// earlier is 1 where an event is before another, else 0: without a branch, for which of two is
// first cannot be foreseen. Moments are 0 or later.
func earlier(a, b *event) int {
	_, less := bits.Sub64(a.order, b.order, 0)
	_, less = bits.Sub64(uint64(a.at), uint64(b.at), less)
	return int(less)
}

// first is the first of the children from one on, of which there is one at least.
func first(h []event, child int) int {
	if child+4 <= len(h) {
		c := (*[4]event)(h[child:])
		a, b := earlier(&c[1], &c[0]), 2+earlier(&c[3], &c[2])
		return child + a + (b-a)*earlier(&c[b], &c[a])
	}
	best := child
	for c := child + 1; c < len(h); c++ {
		if h[c].before(h[best]) {
			best = c
		}
	}
	return best
}

// sink puts an event into the hole, or below it.
func (q *events) sink(e event) {
	h, i := q.heap, 0
	for {
		child := 4*i + 1
		if child >= len(h) {
			break
		}
		best := first(h, child)
		if !h[best].before(e) {
			break
		}
		h[i] = h[best]
		i = best
	}
	h[i] = e
}

// fill closes the hole with the last event: down to where there are no children, and up from
// there, for what was last is late.
func (q *events) fill() {
	q.hole = false
	n := len(q.heap) - 1
	last := q.heap[n]
	q.heap = q.heap[:n]
	if n == 0 {
		return
	}
	h, i := q.heap, 0
	for {
		child := 4*i + 1
		if child >= n {
			break
		}
		best := first(h, child)
		h[i] = h[best]
		i = best
	}
	q.rise(i, last)
}
