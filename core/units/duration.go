package units

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
)

// Duration is a length of simulated time in nanoseconds. Durations are
// comparable; a document's durations are never negative.
type Duration int64

// The units in which durations are written.
const (
	Nanosecond  Duration = 1
	Microsecond          = 1000 * Nanosecond
	Millisecond          = 1000 * Microsecond
	Second               = 1000 * Millisecond
	Minute               = 60 * Second
	Hour                 = 60 * Minute
	Day                  = 24 * Hour
	Week                 = 7 * Day
	// Month is the billing month that monthly figures are scaled to: 730 h.
	Month = 730 * Hour
)

// maxDuration is the longest duration a document may name: ten years.
const maxDuration = 3652 * Day

// ParseDuration reads "90s", "1.5h", "1h30m" or "7d" (days and weeks may only
// stand first). The result is between 0 and ten years.
func ParseDuration(s string) (Duration, error) {
	bad := func() error { return fmt.Errorf("%q is not a duration; write it like 90s, 10m, 1h30m or 7d", s) }
	far := func() error {
		return fmt.Errorf("%q is out of range; a duration is between 0s and ten years (%s)", s, maxDuration)
	}
	rest, total := s, Duration(0)
	for _, big := range []struct {
		suffix string
		unit   Duration
	}{{"w", Week}, {"d", Day}} {
		head, tail, found := strings.Cut(rest, big.suffix)
		if !found {
			continue
		}
		n, err := strconv.ParseFloat(head, 64)
		switch {
		case err != nil || math.IsNaN(n):
			return 0, bad()
		case n < 0 || n > float64(maxDuration/big.unit):
			return 0, far()
		}
		total += Duration(math.Round(n * float64(big.unit)))
		rest = tail
	}
	if rest != "" {
		if rest[0] == '-' || rest[0] == '+' {
			return 0, bad()
		}
		d, err := time.ParseDuration(rest)
		if err != nil {
			return 0, bad()
		}
		total += Duration(d)
	} else if s == "" {
		return 0, bad()
	}
	if !(total >= 0 && total <= maxDuration) {
		return 0, far()
	}
	return total, nil
}

// Seconds returns d in seconds.
func (d Duration) Seconds() float64 { return float64(d) / float64(Second) }

// String writes d exactly, with days: "7d", "1h30m", "1.5s".
func (d Duration) String() string {
	if d < 0 {
		return "-" + (-d).String()
	}
	var b strings.Builder
	if d >= Day {
		fmt.Fprintf(&b, "%dd", d/Day)
		d %= Day
	} else if d == 0 {
		return "0s"
	}
	for _, u := range []struct {
		unit Duration
		name string
	}{{Hour, "h"}, {Minute, "m"}} {
		if d >= u.unit {
			fmt.Fprintf(&b, "%d%s", d/u.unit, u.name)
			d %= u.unit
		}
	}
	switch {
	case d == 0:
	case d < Millisecond && d%Second != 0 && b.Len() == 0:
		b.WriteString(time.Duration(d).String())
	default:
		b.WriteString(strconv.FormatFloat(d.Seconds(), 'f', -1, 64) + "s")
	}
	return b.String()
}

// Short writes d for reading, to about three digits: "840 ms", "12.4 s",
// "3 min 20 s", "2 h 05 min", "3.2 d".
func (d Duration) Short() string {
	switch a := max(d, -d); {
	case a == 0:
		return "0 s"
	case a < Millisecond:
		return fmt.Sprintf("%.0f µs", float64(d)/float64(Microsecond))
	case a < 999500*Microsecond:
		return fmt.Sprintf("%.0f ms", float64(d)/float64(Millisecond))
	case a < 9995*Millisecond:
		return trimZero(fmt.Sprintf("%.2f", d.Seconds())) + " s"
	case a < 99950*Millisecond:
		return trimZero(fmt.Sprintf("%.1f", d.Seconds())) + " s"
	case a < Hour-500*Millisecond:
		s := int64(math.Round(d.Seconds()))
		return fmt.Sprintf("%d min %02d s", s/60, abs(s%60))
	case a < 100*Hour:
		m := int64(math.Round(float64(d) / float64(Minute)))
		return fmt.Sprintf("%d h %02d min", m/60, abs(m%60))
	default:
		return fmt.Sprintf("%.1f d", float64(d)/float64(Day))
	}
}

func abs(n int64) int64 { return max(n, -n) }

func trimZero(s string) string { return strings.TrimSuffix(strings.TrimRight(s, "0"), ".") }

// MarshalText writes d as String does.
func (d Duration) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads what ParseDuration reads.
func (d *Duration) UnmarshalText(b []byte) (err error) {
	*d, err = ParseDuration(string(b))
	return err
}

// Hours returns d in hours.
func (d Duration) Hours() float64 { return float64(d) / float64(Hour) }
