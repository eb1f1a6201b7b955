package work

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/internal/library"
	"tachyphor/wire"
)

// ErrTooLong says that a glance would take longer than somebody waits for one.
var ErrTooLong = errors.New("takes longer than a glance may")

const (
	// longestGlance is how long one run may take that somebody waits for.
	longestGlance = 10 * time.Second
	// glancesKept is how many are kept.
	glancesKept = 500
	// glancesAtOnce is how many run at once.
	glancesAtOnce = 2
)

// Glance runs the first repeat alone of a scenario as it is at hand, with the newest of everything that it names:
// what one run says, without an interval. Nothing is stored; the same question is answered from before.
func (q *Queue) Glance(ctx context.Context, p library.Pinned) (wire.Gist, document.Faults, error) {
	key := fmt.Sprint(p.Scenario.Digest, p.Inputs.Documents[1:], p.Inputs.Recording)
	if g, ok := q.glances.Find(key); ok {
		return g, nil, nil
	}
	input, faults, err := q.Library.InputOf(ctx, p, true)
	if err != nil || len(faults) > 0 {
		return wire.Gist{}, faults, err
	}
	w, faults := world.Assemble(input)
	if len(faults) > 0 {
		return wire.Gist{}, faults, nil
	}
	w.Plan.Repeats = 1
	select { // few at once, so that they leave room for what is asked for in earnest
	case q.glancing <- struct{}{}:
		defer func() { <-q.glancing }()
	case <-ctx.Done():
		return wire.Gist{}, nil, ctx.Err()
	}
	_, free, err := q.room.take(func(int) units.Bytes { return outcome.Need(w, 1) }, ctx.Done())
	if err != nil {
		return wire.Gist{}, nil, err
	}
	defer free()
	end := time.Now().Add(longestGlance)
	o, err := outcome.Glance(w, func(float64) bool { return ctx.Err() == nil && time.Now().Before(end) })
	if errors.Is(err, sim.ErrStopped) {
		if ctx.Err() != nil {
			return wire.Gist{}, nil, ctx.Err()
		}
		return wire.Gist{}, nil, fmt.Errorf("one run %w (%s); simulate the scenario instead, or look at a shorter span", ErrTooLong, longestGlance)
	}
	if err != nil {
		return wire.Gist{}, nil, err
	}
	g := summarize(o)
	q.glances.Put(key, g)
	return g, nil, nil
}
