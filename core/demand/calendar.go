package demand

import (
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Numbers are the floor, ceiling and spare of a template at some moment.
// Ceiling is negative when there is none. Numbers are comparable.
type Numbers struct{ Floor, Ceiling, Spare int }

// A Calendar gives a template's numbers over simulated time as steps.
type Calendar struct {
	from    []units.Duration // ascending, the first 0
	numbers []Numbers        // numbers[i] hold from from[i] until from[i+1]
}

// NewCalendar lays a template's numbers out over the span, which begins at
// start. zone is for periods that name none.
func NewCalendar(a document.AgentNumbers, start time.Time, span units.Duration, zone units.Zone) Calendar {
	c := Calendar{[]units.Duration{0}, []Numbers{numbersAt(a, start, zone)}}
	if len(a.Calendar) == 0 {
		return c
	}
	Minutes(start, span, func(t units.Duration) {
		if n := numbersAt(a, start.Add(time.Duration(t)), zone); c.numbers[len(c.numbers)-1] != n {
			c.from, c.numbers = append(c.from, t), append(c.numbers, n)
		}
	})
	return c
}

// Minutes calls f for every whole minute of the clock after start and within the
// span; periods begin and end on those.
func Minutes(start time.Time, span units.Duration, f func(units.Duration)) {
	for at := start.Truncate(time.Minute).Add(time.Minute); ; at = at.Add(time.Minute) {
		t := units.Duration(at.Sub(start))
		if t >= span {
			return
		}
		f(t)
	}
}

// A Stretch is a part of simulated time: From ≤ t < To.
type Stretch struct{ From, To units.Duration }

// Stretches lays a window of the week out over the span. zone is for a window
// that names none.
func Stretches(w document.Window, start time.Time, span units.Duration, zone units.Zone) []Stretch {
	if w.Zone != (units.Zone{}) {
		zone = w.Zone
	}
	var out []Stretch
	in := false
	look := func(t units.Duration) {
		switch on := w.When.Covers(zone.MinuteOfWeek(start.Add(time.Duration(t)))); {
		case on && !in:
			out = append(out, Stretch{t, span})
			in = true
		case !on && in:
			out[len(out)-1].To = t
			in = false
		}
	}
	look(0)
	Minutes(start, span, look)
	return out
}

func numbersAt(a document.AgentNumbers, now time.Time, zone units.Zone) Numbers {
	floor, spare, ceiling := a.Floor, a.Spare, a.Ceiling
	for _, p := range a.Calendar {
		z := p.Zone
		if z == (units.Zone{}) {
			z = zone
		}
		if p.When.Covers(z.MinuteOfWeek(now)) {
			floor, spare, ceiling = a.In(p)
			break
		}
	}
	n := Numbers{floor, -1, spare}
	if ceiling != nil {
		n.Ceiling = *ceiling
	}
	return n
}

// At returns the numbers that hold in step i, and when the next step begins; ok
// is false when i is the last one.
func (c Calendar) At(i int) (n Numbers, next units.Duration, ok bool) {
	if i+1 < len(c.from) {
		return c.numbers[i], c.from[i+1], true
	}
	return c.numbers[i], 0, false
}

// Steps returns the numbers of each step, in order. They must not be changed.
func (c Calendar) Steps() []Numbers { return c.numbers }

// With returns the calendar with other numbers for its steps.
func (c Calendar) With(numbers []Numbers) Calendar { return Calendar{c.from, numbers} }
