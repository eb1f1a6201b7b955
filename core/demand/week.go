package demand

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// byWeekday is from how many weeks on each day of the week is drawn from its own alone.
const byWeekday = 3

// Week draws one more week like recorded ones, after a warm-up, of jobs that cover so many weeks from a
// Monday on. Jobs are drawn one by one, with those that come after them, as a Poisson process of the
// recorded rates would have them, by times as many on day d of the week (0: Monday): each at some moment
// among those of its class that come near it by the time of day, of the same day of the week where there
// are three weeks, else on working days and at weekends alike. What a timetable starts is there as in one
// of the weeks, and so is a burst that no other day has.
func (j *Jobs) Week(warmup units.Duration, weeks int, by [7]float64, root chance.Key) *Jobs {
	d := newDraw(j)
	list := j.List
	lead, with := d.together()
	like := inWeek
	if weeks < byWeekday {
		like = func(day int) int { return inWeek(day) / 5 }
	}
	in := map[int]int{}
	for day := range 7 * weeks {
		in[like(day)]++
	}
	first := -daysIn(warmup)
	source := make([]int, 7-first) // day of the records that stands for a day
	for n := range source {
		u := root.For(chance.Alike, uint64(n), 3).Uniform()
		source[n] = inWeek(first+n) + 7*int(u*float64(weeks))
	}
	var drawn int32
	for _, p := range places(list, lead, warmup, units.Duration(weeks)*units.Week, like) {
		root := root.For(chance.Alike, list[p.job].Key, 2)
		for day := first; day < 7; day++ {
			key := root.For(chance.Alike, uint64(day-first), 0)
			own := p.day == source[day-first]
			often := 0
			switch {
			case p.once && own:
				often = 1
			case p.once, p.stays && !own, like(day) != like(p.day):
			case p.stays:
				often = chance.Poisson(by[inWeek(day)], key)
			default:
				often = chance.Poisson(by[inWeek(day)]/float64(in[like(p.day)]), key)
			}
			for k := range often {
				d.place(&p, with[p.job], warmup+units.Duration(day)*units.Day, warmup+units.Week, drawn, key.For(chance.Alike, uint64(k), 1))
				drawn++
			}
		}
	}
	return d.jobs()
}
