package work

import (
	"fmt"
	"sync/atomic"
	"time"

	"tachyphor/core/explore"
	"tachyphor/core/units"
)

// said tells of what is computed elsewhere, beside how an exploration stands.
type said struct {
	j     *Job
	stand atomic.Pointer[explore.Standing]
	far   atomic.Pointer[string]

	context    string // of the cluster
	runs, jobs atomic.Int64
}

func (s *said) standing(x explore.Standing) {
	s.stand.Store(&x)
	s.keep()
}

func (s *said) elsewhere(text string) {
	if before := s.far.Swap(&text); before == nil || *before != text {
		s.keep()
	}
}

func (s *said) keep() {
	x := explore.Standing{Phase: explore.Beginning}
	if now := s.stand.Load(); now != nil {
		x = *now
	}
	if far := s.far.Load(); far != nil {
		x.Elsewhere = *far
	}
	s.j.Keep(x)
}

// whatPods tells what pods computed of an exploration.
func (s *said) whatPods(runs int, least time.Duration) string {
	if n := s.runs.Load(); n > 0 {
		in := "one Job"
		if jobs := s.jobs.Load(); jobs > 1 {
			in = fmt.Sprintf("%d Jobs", jobs)
		}
		return fmt.Sprintf("Pods of %s computed %d of %d runs, in %s.", s.context, n, runs, in)
	}
	return fmt.Sprintf("No pods came: no block of its runs was worth %s of one core, less than which the service computes itself.", units.Duration(least).Short())
}
