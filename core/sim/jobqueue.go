package sim

import (
	"slices"

	"tachyphor/core/units"
)

// waiting is a job in the controller's queue.
type waiting struct {
	job      int32
	seen     units.Duration // first round that looked at it
	promised units.Duration // round in which an agent was promised; below 0 before
}

// jobQueue is a first-in, first-out queue.
type jobQueue struct {
	list []waiting
	head int
}

func (q *jobQueue) len() int          { return len(q.list) - q.head }
func (q *jobQueue) at(i int) *waiting { return &q.list[q.head+i] }

func (q *jobQueue) push(w waiting) {
	if q.head > 64 && q.head*2 > len(q.list) {
		n := copy(q.list, q.list[q.head:])
		q.list, q.head = q.list[:n], 0
	}
	q.list = append(q.list, w)
}

func (q *jobQueue) pop() waiting {
	q.head++
	return q.list[q.head-1]
}

// enqueue puts a job in its place: by priority, then by submission. One that goes
// before jobs with a promise takes over the last one's.
func (e *engine) enqueue(t int32, w waiting) {
	team := &e.teams[t]
	q := &team.queue
	q.push(w)
	last := q.len() - 1
	if last == 0 || !e.jobBefore(w.job, q.at(last-1).job) {
		return
	}
	list := q.list[q.head:]
	i, _ := slices.BinarySearchFunc(list[:last], w.job, func(x waiting, j int32) int {
		if e.jobBefore(x.job, j) {
			return -1
		}
		return 1
	})
	copy(list[i+1:], list[i:last])
	list[i] = w
	if i >= team.promised {
		return
	}
	list[i].promised = e.now
	if out := &list[team.promised]; out.promised >= 0 {
		if !e.again(out.job) {
			e.trace.spanTo(out.job, e.now, AwaitsComing, -1)
		}
		out.promised, out.seen = -1, e.now
	}
	if !e.again(w.job) {
		e.recordHeld(t, &list[i])
	}
}

// jobBefore orders jobs by priority, then by submission.
func (e *engine) jobBefore(a, b int32) bool {
	if e.ranked {
		p, q := e.w.Classes[e.jobs.List[a].Class].Priority, e.w.Classes[e.jobs.List[b].Class].Priority
		if p != q {
			return p > q
		}
	}
	if e.crowd != nil {
		if p, q := e.jobs.List[a].Submitted, e.jobs.List[b].Submitted; p != q {
			return p < q
		}
	}
	return a < b
}
