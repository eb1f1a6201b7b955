package work

import (
	"errors"
	"fmt"
	"sync"

	"tachyphor/core/units"
	"tachyphor/internal/memory"
)

// ErrTooLarge says that work would take more memory than there is.
var ErrTooLarge = errors.New("more than this service has memory for")

// A room is the memory that work may take, shared by all that runs.
type room struct {
	workers int         // of each work
	all     units.Bytes // 0: as much as it likes

	mu    sync.Mutex
	taken units.Bytes
	freed chan struct{} // closed when some is given back
}

// fits returns on how many workers work of some need fits into all the memory: all of them
// as a rule. It is ErrTooLarge when one is too many.
func (r *room) fits(need func(workers int) units.Bytes) (workers int, err error) {
	if workers = memory.Workers(r.workers, r.all, need); workers == 0 {
		return 0, fmt.Errorf("%w: it would take about %s and may take %s; ask for a shorter span, for fewer repeats or jobs, or "+
			"give the service more memory",
			ErrTooLarge, need(1).Short(), r.all.Short())
	}
	return workers, nil
}

// take takes memory for work beside what runs already, and waits for that to end where too
// little is left; stopped ends waiting. free gives it back.
func (r *room) take(need func(workers int) units.Bytes, stopped <-chan struct{}) (workers int, free func(), err error) {
	if _, err := r.fits(need); err != nil {
		return 0, nil, err
	}
	for {
		r.mu.Lock()
		left := r.all
		if r.all > 0 {
			left = max(r.all-r.taken, 1)
		}
		if workers = memory.Workers(r.workers, left, need); workers > 0 {
			n := need(workers)
			r.taken += n
			r.mu.Unlock()
			return workers, func() { r.give(n) }, nil
		}
		if r.freed == nil {
			r.freed = make(chan struct{})
		}
		freed := r.freed
		r.mu.Unlock()
		select {
		case <-freed:
		case <-stopped:
			return 0, nil, errStopped
		}
	}
}

// errStopped says that work was stopped before it began.
var errStopped = errors.New("stopped")

func (r *room) give(n units.Bytes) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.taken -= n
	if r.freed != nil {
		close(r.freed)
		r.freed = nil
	}
}
