package runs

import (
	"errors"
	"fmt"

	"tachyphor/core/units"
)

// ErrTooLarge says that work would take more memory than there is.
var ErrTooLarge = errors.New("more than this service has memory for")

// room returns on how many workers work of some need fits into memory: all of them as a
// rule. It is ErrTooLarge when one is too many.
func (q *Queue) room(need func(workers int) units.Bytes) (workers int, err error) {
	for workers = q.workers; workers > 1; workers-- {
		if q.memory == 0 || need(workers) <= q.memory {
			return workers, nil
		}
	}
	if n := need(1); q.memory > 0 && n > q.memory {
		return 0, fmt.Errorf("%w: it would take about %s and may take %s; ask for a shorter span, for fewer repeats or jobs, or give the service more memory",
			ErrTooLarge, n.Short(), q.memory.Short())
	}
	return 1, nil
}
