package sim

import "tachyphor/core/units"

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
	personAsks   // subject: person
	nodeEmptyFor // subject: node
	nodeAtRest   // subject: node
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
// 4i+1 … 4i+4, and no child is before its parent.
type events struct {
	heap []event
	seq  uint64
	peak int // longest the queue has been
}

func (q *events) plan(at units.Duration, kind eventKind, subject int32, version uint32) {
	q.seq++
	e := event{at, uint64(kind)<<56 | q.seq, subject, version}
	q.heap = append(q.heap, e)
	i := len(q.heap) - 1
	q.peak = max(q.peak, i+1)
	for i > 0 {
		parent := (i - 1) / 4
		if !e.before(q.heap[parent]) {
			break
		}
		q.heap[i] = q.heap[parent]
		i = parent
	}
	q.heap[i] = e
}

// pop takes the first event; the queue must not be empty.
func (q *events) pop() event {
	first := q.heap[0]
	n := len(q.heap) - 1
	last := q.heap[n]
	q.heap = q.heap[:n]
	if n == 0 {
		return first
	}
	i := 0
	for {
		child := 4*i + 1
		if child >= n {
			break
		}
		best := child
		for c := child + 1; c < min(child+4, n); c++ {
			if q.heap[c].before(q.heap[best]) {
				best = c
			}
		}
		if !q.heap[best].before(last) {
			break
		}
		q.heap[i] = q.heap[best]
		i = best
	}
	q.heap[i] = last
	return first
}
