package demand

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// byWeekday is from how many weeks on each day of the week is drawn from its own alone.
const byWeekday = 3

// Weeks are recorded ones that more are drawn from, by any number at once.
type Weeks struct {
	from   *Jobs
	warmup units.Duration
	weeks  int
	like   func(day int) int // days that stand for each other
	in     map[int]int       // how many days of each kind there are
	places []place
	with   map[int32][]int32 // jobs that come after one
}

// Weeks makes jobs ready to draw from that cover so many weeks from a Monday on, after a warm-up. Jobs may come
// among those of the same day of the week where there are three weeks, else on working days and at weekends alike.
func (j *Jobs) Weeks(warmup units.Duration, weeks int) *Weeks {
	w := &Weeks{from: j, warmup: warmup, weeks: weeks, like: inWeek, in: map[int]int{}}
	if weeks < byWeekday {
		w.like = func(day int) int { return inWeek(day) / 5 }
	}
	for day := range 7 * weeks {
		w.in[w.like(day)]++
	}
	lead, with := j.together()
	w.places, w.with = places(j.List, lead, warmup, units.Duration(weeks)*units.Week, w.like), with
	return w
}

// Draw draws one more week. Jobs are drawn one by one, with those that come after them, as a Poisson process
// of the recorded rates would have them, by times as many on day d of the week (0: Monday): each at some moment
// among those of its class that come near it by the time of day. What a timetable starts is there as in one
// of the weeks, and so is a burst that no other day has.
func (w *Weeks) Draw(by [7]float64, root chance.Key) *Jobs {
	d := newDraw(w.from)
	first := -daysIn(w.warmup)
	source := make([]int, 7-first) // day of the records that stands for a day
	for n := range source {
		u := root.For(chance.Alike, uint64(n), 3).Uniform()
		source[n] = inWeek(first+n) + 7*int(u*float64(w.weeks))
	}
	var drawn int32
	for i := range w.places {
		p := &w.places[i]
		root := root.For(chance.Alike, w.from.List[p.job].Key, 2)
		for day := first; day < 7; day++ {
			key := root.For(chance.Alike, uint64(day-first), 0)
			own := p.day == source[day-first]
			often := 0
			switch {
			case p.once && own:
				often = 1
			case p.once, p.stays && !own, w.like(day) != w.like(p.day):
			case p.stays:
				often = chance.Poisson(by[inWeek(day)], key)
			default:
				often = chance.Poisson(by[inWeek(day)]/float64(w.in[w.like(p.day)]), key)
			}
			for k := range often {
				d.place(p, w.with[p.job], w.warmup+units.Duration(day)*units.Day, w.warmup+units.Week, drawn, key.For(chance.Alike, uint64(k), 1))
				drawn++
			}
		}
	}
	return d.jobs()
}
