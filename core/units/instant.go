package units

import (
	"fmt"
	"time"
)

// An Instant is a moment of real time, with the offset it was written in.
type Instant struct{ time.Time }

// UnmarshalText reads RFC 3339, such as 2026-09-14T00:00:00+02:00, between the
// years 1970 and 2200.
func (i *Instant) UnmarshalText(b []byte) error {
	t, err := time.Parse(time.RFC3339Nano, string(b))
	if err != nil || t.Year() < 1970 || t.Year() > 2200 {
		return fmt.Errorf("%q is not a time; write it like 2026-09-14T00:00:00+02:00", b)
	}
	i.Time = t
	return nil
}
