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
	var c Calendar
	for t := units.Duration(0); t == 0 || t < span; {
		now := start.Add(time.Duration(t))
		n := numbersAt(a, now, zone)
		if len(c.numbers) == 0 || c.numbers[len(c.numbers)-1] != n {
			c.from, c.numbers = append(c.from, t), append(c.numbers, n)
		}
		if len(a.Calendar) == 0 {
			break
		}
		// Periods begin and end on whole minutes.
		t = units.Duration(now.Truncate(time.Minute).Add(time.Minute).Sub(start))
	}
	return c
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
