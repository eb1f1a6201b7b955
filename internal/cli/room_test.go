package cli

import (
	"strings"
	"testing"

	"tachyphor/core/units"
)

func TestRoomIsLookedAt(t *testing.T) {
	if n, err := room(3, func(int) units.Bytes { return 1 << 20 }); err != nil || n != 3 {
		t.Errorf("%d workers, %v", n, err)
	}
	if _, err := room(3, func(int) units.Bytes { return 1 << 60 }); err == nil ||
		!strings.Contains(err.Error(), "it would take about 1024 PiB of memory and may take") {
		t.Error(err)
	}
}
