package service

import (
	"io"
	"log/slog"
	"strings"
	"testing"
	"time"

	"tachyphor/core/units"
)

// A disk is looked at once a second at most, and says when it is full and when it is not
// any more; what cannot be looked at is not full.
func TestDisk(t *testing.T) {
	now, free, looks := time.Unix(1_000_000, 0), units.Bytes(1<<30), 0
	var fault error
	var said strings.Builder
	d := &disk{
		path: "/records", least: LeastFree, log: slog.New(slog.NewTextHandler(&said, nil)), now: func() time.Time { return now },
		free: func(string) (units.Bytes, error) { looks++; return free, fault },
	}
	if d.Full() != nil {
		t.Error("full with a gibibyte free")
	}
	free = 20 << 20
	if d.Full() != nil || looks != 1 {
		t.Errorf("looked at %d times within a moment", looks)
	}
	now = now.Add(time.Second)
	if err := d.Full(); err == nil || !strings.Contains(err.Error(), "20 MiB free") || looks != 2 {
		t.Errorf("%v after %d looks", err, looks)
	}
	now, free = now.Add(time.Second), 200<<20
	if d.Full() != nil {
		t.Error("full with room again")
	}
	now, free, fault = now.Add(time.Second), 0, io.ErrUnexpectedEOF
	if d.Full() != nil {
		t.Error("full, though nobody could look")
	}
	if (*disk)(nil).Full() != nil {
		t.Error("a disk that is not ours is full")
	}
	if s := said.String(); strings.Count(s, "is full") != 1 || strings.Count(s, "has room again") != 1 {
		t.Errorf("told %s", s)
	}
}
