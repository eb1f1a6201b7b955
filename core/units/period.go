package units

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	_ "time/tzdata" // zones are the same wherever the program runs
)

// Days of the week and minutes of a day, as periods count them.
const (
	DayMinutes  = 24 * 60
	WeekMinutes = 7 * DayMinutes
)

var dayNames = []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}

// A Period is a part of some days of every week: "Mon-Fri 07:00-19:00". One
// that ends at or before its start runs into the next day. Periods are
// comparable. The zero Period covers nothing.
type Period struct {
	days     [7]bool // Monday first
	from, to int     // minutes of the day, 0 ≤ from < 1440, from < to ≤ from+1440
}

// ParsePeriod reads "Mon-Fri 07:00-19:00", "Sat,Sun 00:00-24:00".
func ParsePeriod(s string) (Period, error) {
	bad := fmt.Errorf("%q is not a period; write it like Mon-Fri 07:00-19:00", s)
	days, hours, ok := strings.Cut(s, " ")
	start, end, ok2 := strings.Cut(hours, "-")
	var p Period
	if !ok || !ok2 || !parseDays(days, &p.days) {
		return Period{}, bad
	}
	var ok3, ok4 bool
	p.from, ok3 = parseClock(start)
	p.to, ok4 = parseClock(end)
	if !ok3 || !ok4 || p.from == DayMinutes {
		return Period{}, bad
	}
	if p.to <= p.from {
		p.to += DayMinutes
	}
	return p, nil
}

// Covers reports whether the period holds at a minute of the week, counted from
// Monday 00:00 local time, 0 ≤ minute < WeekMinutes.
func (p Period) Covers(minute int) bool {
	day, at := minute/DayMinutes, minute%DayMinutes
	return p.days[day] && at >= p.from && at < p.to ||
		p.days[(day+6)%7] && at+DayMinutes < p.to
}

// Minutes is how many minutes of a week the period covers.
func (p Period) Minutes() (n int) {
	for _, on := range p.days {
		if on {
			n += p.to - p.from
		}
	}
	return n
}

// Bounds returns the minutes of the day at which the period begins, 0 to 1439, and
// ends, after from and up to a day after it.
func (p Period) Bounds() (from, to int) { return p.from, p.to }

// String writes p as it is read.
func (p Period) String() string {
	to := p.to
	if to > DayMinutes {
		to -= DayMinutes
	}
	return writeDays(p.days) + " " + writeClock(p.from) + "-" + writeClock(to)
}

// MarshalText writes p as String does.
func (p Period) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads what ParsePeriod reads.
func (p *Period) UnmarshalText(b []byte) (err error) {
	*p, err = ParsePeriod(string(b))
	return err
}

// A Moment is a minute of some days of every week: "Mon-Sun 02:00".
type Moment struct {
	days [7]bool
	at   int
}

// ParseMoment reads "Thu 16:30" or "Mon-Sun 02:00".
func ParseMoment(s string) (Moment, error) {
	days, clock, ok := strings.Cut(s, " ")
	var m Moment
	at, ok2 := parseClock(clock)
	if !ok || !ok2 || at == DayMinutes || !parseDays(days, &m.days) {
		return Moment{}, fmt.Errorf("%q is not a moment of the week; write it like Mon-Sun 02:00", s)
	}
	m.at = at
	return m, nil
}

// On reports whether the moment comes on a day of the week, 0 being Monday, and
// at which minute of that day.
func (m Moment) On(day int) (minute int, ok bool) { return m.at, m.days[day] }

// String writes m as it is read.
func (m Moment) String() string { return writeDays(m.days) + " " + writeClock(m.at) }

// MarshalText writes m as String does.
func (m Moment) MarshalText() ([]byte, error) { return []byte(m.String()), nil }

// UnmarshalText reads what ParseMoment reads.
func (m *Moment) UnmarshalText(b []byte) (err error) {
	*m, err = ParseMoment(string(b))
	return err
}

func parseDays(s string, days *[7]bool) bool {
	for part := range strings.SplitSeq(s, ",") {
		first, last, isRange := strings.Cut(part, "-")
		if !isRange {
			last = first
		}
		i, j := slices.Index(dayNames, first), slices.Index(dayNames, last)
		if i < 0 || j < 0 {
			return false
		}
		for d := i; ; d = (d + 1) % 7 {
			days[d] = true
			if d == j {
				break
			}
		}
	}
	return true
}

// writeDays writes runs of days as ranges.
func writeDays(days [7]bool) string {
	var parts []string
	for i := 0; i < 7; i++ {
		if !days[i] {
			continue
		}
		j := i
		for j < 6 && days[j+1] {
			j++
		}
		if i == j {
			parts = append(parts, dayNames[i])
		} else {
			parts = append(parts, dayNames[i]+"-"+dayNames[j])
		}
		i = j
	}
	return strings.Join(parts, ",")
}

// parseClock reads "07:00" to "24:00" as minutes of the day.
func parseClock(s string) (int, bool) {
	h, m, ok := strings.Cut(s, ":")
	hour, err1 := strconv.ParseUint(h, 10, 8)
	minute, err2 := strconv.ParseUint(m, 10, 8)
	at := int(hour*60 + minute)
	return at, ok && err1 == nil && err2 == nil && len(h) == 2 && len(m) == 2 && minute < 60 && at <= DayMinutes
}

func writeClock(minutes int) string { return fmt.Sprintf("%02d:%02d", minutes/60, minutes%60) }

// A Zone is a time zone by its name in the tz database. The zero Zone is UTC.
type Zone struct{ loc *time.Location }

// ParseZone reads "Europe/Oslo" or "UTC".
func ParseZone(s string) (Zone, error) {
	loc, err := time.LoadLocation(s)
	if err != nil || s == "" || s == "Local" {
		return Zone{}, fmt.Errorf("%q is not a time zone; write it like Europe/Oslo or UTC", s)
	}
	return Zone{loc}, nil
}

// Location returns the zone for package time.
func (z Zone) Location() *time.Location {
	if z.loc == nil {
		return time.UTC
	}
	return z.loc
}

// MinuteOfWeek returns the local minute of the week at t, from Monday 00:00.
func (z Zone) MinuteOfWeek(t time.Time) int {
	l := t.In(z.Location())
	return (int(l.Weekday())+6)%7*DayMinutes + l.Hour()*60 + l.Minute()
}

// String returns the zone's name.
func (z Zone) String() string { return z.Location().String() }

// MarshalText writes the zone's name.
func (z Zone) MarshalText() ([]byte, error) { return []byte(z.String()), nil }

// UnmarshalText reads what ParseZone reads.
func (z *Zone) UnmarshalText(b []byte) (err error) {
	*z, err = ParseZone(string(b))
	return err
}
