package units

import (
	"testing"
	"time"
)

func TestPeriods(t *testing.T) {
	at := func(day, hour, minute int) int { return day*DayMinutes + hour*60 + minute }
	for _, c := range []struct {
		in     string
		covers []int
		not    []int
	}{
		{"Mon-Fri 07:00-19:00", []int{at(0, 7, 0), at(4, 18, 59)}, []int{at(0, 6, 59), at(4, 19, 0), at(5, 12, 0)}},
		{"Sat,Sun 00:00-24:00", []int{at(5, 0, 0), at(6, 23, 59)}, []int{at(0, 0, 0), at(4, 23, 59)}},
		{"Sun 22:00-06:00", []int{at(6, 22, 0), at(0, 5, 59)}, []int{at(0, 6, 0), at(6, 5, 0)}},
		{"Fri-Mon 10:00-11:00", []int{at(4, 10, 0), at(0, 10, 30)}, []int{at(1, 10, 0)}},
	} {
		p, err := ParsePeriod(c.in)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range c.covers {
			if !p.Covers(m) {
				t.Errorf("%s does not cover minute %d", c.in, m)
			}
		}
		for _, m := range c.not {
			if p.Covers(m) {
				t.Errorf("%s covers minute %d", c.in, m)
			}
		}
		if again, err := ParsePeriod(p.String()); err != nil || again != p {
			t.Errorf("%s prints as %s", c.in, p)
		}
	}
	for _, bad := range []string{
		"", "Mon", "Mon-Fri", "Mon 7:00-19:00", "Mon 07:00-25:00", "mon 07:00-08:00", "Mon 24:00-08:00",
		"Mon 07:60-09:00",
	} {
		if p, err := ParsePeriod(bad); err == nil {
			t.Errorf("ParsePeriod(%q) = %v, want an error", bad, p)
		}
	}
}

// Oslo leaves summer time on 2026-10-25 at 03:00: the hour from 02:00 comes twice.
func TestZoneKeepsLocalHours(t *testing.T) {
	z, err := ParseZone("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	first := time.Date(2026, 10, 25, 0, 30, 0, 0, time.UTC)
	if a, b := z.MinuteOfWeek(first), z.MinuteOfWeek(first.Add(time.Hour)); a != b || a != 6*DayMinutes+150 {
		t.Errorf("02:30 twice: minutes %d and %d", a, b)
	}
	if _, err := ParseZone("Local"); err == nil {
		t.Error("the machine's own zone must not be taken")
	}
}
