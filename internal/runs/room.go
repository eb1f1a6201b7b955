package runs

import (
	"errors"
	"fmt"

	"tachyphor/core/units"
	"tachyphor/internal/memory"
)

// ErrTooLarge says that work would take more memory than there is.
var ErrTooLarge = errors.New("more than this service has memory for")

// room returns on how many workers work of some need fits into memory: all of them as a
// rule. It is ErrTooLarge when one is too many.
func (q *Queue) room(need func(workers int) units.Bytes) (workers int, err error) {
	if workers = memory.Workers(q.workers, q.memory, need); workers == 0 {
		return 0, fmt.Errorf("%w: it would take about %s and may take %s; ask for a shorter span, for fewer repeats or jobs, or "+
			"give the service more memory",
			ErrTooLarge, need(1).Short(), q.memory.Short())
	}
	return workers, nil
}
