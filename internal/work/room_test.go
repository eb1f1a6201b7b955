package work

import (
	"errors"
	"strings"
	"testing"

	"tachyphor/core/units"
)

// Work gets as many workers as memory has room for, and is refused with both figures
// when one is too many.
func TestRoom(t *testing.T) {
	need := func(workers int) units.Bytes { return units.Bytes(100+50*workers) << 20 }
	for _, c := range []struct {
		memory units.Bytes
		want   int
	}{{0, 4}, {300 << 20, 4}, {299 << 20, 3}, {200 << 20, 2}, {150 << 20, 1}} {
		q := &room{workers: 4, all: c.memory}
		if got, err := q.fits(need); err != nil || got != c.want {
			t.Errorf("%s: %d workers, %v; want %d", c.memory, got, err, c.want)
		}
	}
	q := &room{workers: 4, all: 149 << 20}
	if _, err := q.fits(need); !errors.Is(err, ErrTooLarge) || !strings.Contains(err.Error(), "150 MiB and may take 149 MiB") {
		t.Errorf("%v", err)
	}
}
