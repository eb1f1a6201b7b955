package demand

import (
	"cmp"
	"slices"
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

// NewCalendar lays a template's numbers out over a length of time, which begins at
// start. zone is for periods that name none.
func NewCalendar(a document.AgentNumbers, start time.Time, length units.Duration, zone units.Zone) Calendar {
	c := Calendar{[]units.Duration{0}, []Numbers{numbersAt(a, start, zone)}}
	var windows []document.Window
	for _, p := range a.Calendar {
		windows = append(windows, document.Window{When: p.When, Zone: p.Zone})
	}
	for _, t := range Edges(windows, start, length, zone) {
		if n := numbersAt(a, start.Add(time.Duration(t)), zone); c.numbers[len(c.numbers)-1] != n {
			c.from, c.numbers = append(c.from, t), append(c.numbers, n)
		}
	}
	return c
}

// Edges returns every moment after start and within a length of time at which one of
// some windows of the week may begin or end, ascending: where a day's clock shows an
// end of it, and where a zone sets its clock. zone is for windows that name none.
func Edges(windows []document.Window, start time.Time, length units.Duration, zone units.Zone) []units.Duration {
	var out []units.Duration
	add := func(t time.Time) {
		if at := units.Duration(t.Sub(start)); at > 0 && at < length {
			out = append(out, at)
		}
	}
	end := start.Add(time.Duration(length))
	for _, w := range windows {
		loc := cmp.Or(w.Zone, zone).Location()
		from, to := w.When.Bounds()
		for at := start; at.Before(end); {
			_, next := at.In(loc).ZoneBounds()
			if next.IsZero() || next.After(end) {
				next = end
			} else {
				add(next)
			}
			_, offset := at.In(loc).Zone()
			days(at, next, time.FixedZone("", offset), func(midnight time.Time) {
				add(midnight.Add(time.Duration(from) * time.Minute))
				add(midnight.Add(time.Duration(to) * time.Minute))
			})
			at = next
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// days calls f for every midnight of a zone without changes, from the day before one
// moment's to another's.
func days(from, to time.Time, loc *time.Location, f func(time.Time)) {
	local := from.In(loc)
	for d := time.Date(local.Year(), local.Month(), local.Day()-1, 0, 0, 0, 0, loc); d.Before(to); d = d.AddDate(0, 0, 1) {
		f(d)
	}
}

// A Stretch is a part of simulated time: From ≤ t < To.
type Stretch struct{ From, To units.Duration }

// Stretches lays a window of the week out over a length of time; one that is not over
// by then ends there. zone is for a window that names none.
func Stretches(w document.Window, start time.Time, length units.Duration, zone units.Zone) []Stretch {
	local := cmp.Or(w.Zone, zone)
	var out []Stretch
	in := false
	look := func(t units.Duration) {
		switch on := w.When.Covers(local.MinuteOfWeek(start.Add(time.Duration(t)))); {
		case on && !in:
			out = append(out, Stretch{t, length})
			in = true
		case !on && in:
			out[len(out)-1].To = t
			in = false
		}
	}
	look(0)
	for _, t := range Edges([]document.Window{w}, start, length, zone) {
		look(t)
	}
	return out
}

// Together makes stretches that overlap or touch into one, in order of time.
func Together(list []Stretch) []Stretch {
	slices.SortFunc(list, func(a, b Stretch) int { return cmp.Compare(a.From, b.From) })
	var out []Stretch
	for _, s := range list {
		if n := len(out); n > 0 && s.From <= out[n-1].To {
			out[n-1].To = max(out[n-1].To, s.To)
			continue
		}
		out = append(out, s)
	}
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

// Changed returns the calendar with numbers that hold from a moment on, whatever it says; nil leaves one
// as it is. The floor is no higher than the ceiling.
func (c Calendar) Changed(at units.Duration, floor, ceiling, spare *int) Calendar {
	out := Calendar{}
	add := func(from units.Duration, n Numbers) {
		if k := len(out.numbers); k == 0 || out.numbers[k-1] != n {
			out.from, out.numbers = append(out.from, from), append(out.numbers, n)
		}
	}
	changed := func(n Numbers) Numbers {
		if floor != nil {
			n.Floor = *floor
		}
		if ceiling != nil {
			n.Ceiling = *ceiling
		}
		if spare != nil {
			n.Spare = *spare
		}
		if n.Ceiling >= 0 {
			n.Floor = min(n.Floor, n.Ceiling)
		}
		return n
	}
	for i, n := range c.numbers {
		if c.from[i] >= at {
			add(c.from[i], changed(n))
			continue
		}
		add(c.from[i], n)
		if i+1 == len(c.from) || c.from[i+1] > at {
			add(at, changed(n))
		}
	}
	return out
}

// At returns the numbers that hold in step i, and when the next step begins; ok
// is false when i is the last one.
func (c Calendar) At(i int) (n Numbers, next units.Duration, ok bool) {
	if i+1 < len(c.from) {
		return c.numbers[i], c.from[i+1], true
	}
	return c.numbers[i], 0, false
}

// On returns the numbers that hold at a moment.
func (c Calendar) On(at units.Duration) Numbers {
	i, found := slices.BinarySearch(c.from, at)
	if !found {
		i--
	}
	return c.numbers[max(0, i)]
}

// Ahead reports whether agents are kept ahead of demand at any time.
func (c Calendar) Ahead() bool {
	return slices.ContainsFunc(c.numbers, func(n Numbers) bool { return n.Floor > 0 || n.Spare > 0 })
}

// Steps returns the numbers of each step, in order. They must not be changed.
func (c Calendar) Steps() []Numbers { return c.numbers }

// With returns the calendar with other numbers for its steps.
func (c Calendar) With(numbers []Numbers) Calendar { return Calendar{c.from, numbers} }
