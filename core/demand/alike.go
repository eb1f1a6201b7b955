package demand

import (
	"cmp"
	"slices"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// A recording is one draw of what could have come. How much its figures owe to that one
// draw is seen by drawing others like it from the recording itself.

// weeksOfDays is how many whole weeks a recording must cover for days to be drawn.
const weeksOfDays = 4

// WeeksIn is how many whole weeks of days are drawn from when recorded jobs that cover a
// length of time are drawn anew; 0 when the jobs are drawn one by one.
func WeeksIn(length units.Duration) int {
	if weeks := int(length / units.Week); weeks >= weeksOfDays {
		return weeks
	}
	return 0
}

// Alike draws jobs like the recorded ones for a span after a warm-up, which begins at a
// start in the workload's zone; they cover a length of time after the warm-up.
//
// Of four whole weeks or more each day is drawn from those of the same day of the week, so
// that busy days and quiet ones stay what they are. Of less, jobs are drawn one by one, with
// those that come after them, as a Poisson process of the recorded rates would have them:
// on working days and at weekends alike, each in the mean once, at some moment among those
// of its class that come near it by the time of day. A job with mostly jobs of its own day
// around it, as in a burst that no other day has, stays on its day. Where an hour has so
// nearly as many jobs every day that chance would not, as of what a timetable starts, they
// are there once each.
//
// Sources: Künsch, The jackknife and the bootstrap for general stationary observations
// (1989), with days as blocks; Rubin, The Bayesian bootstrap (1981), with Poisson weights.
func (j *Jobs) Alike(warmup, span, length units.Duration, start time.Time, root chance.Key) *Jobs {
	d := newDraw(j)
	if weeks := WeeksIn(length); weeks > 0 {
		d.days(warmup, span, weeks, root)
	} else {
		d.oneByOne(warmup, span, start, root)
	}
	return d.jobs()
}

// days draws each day from those of its day of the week.
func (d *draw) days(warmup, span units.Duration, weeks int, root chance.Key) {
	list := d.from.List
	first := func(at units.Duration) int { // job at a moment or later
		i, _ := slices.BinarySearchFunc(list, at, func(job Job, at units.Duration) int { return cmp.Compare(job.Submitted, at) })
		return i
	}
	for day := -daysIn(warmup); day < daysIn(span); day++ {
		u := root.For(chance.Alike, uint64(day), 0).Uniform()
		source := (day%7+7)%7 + 7*int(u*float64(weeks))
		shift := units.Duration(day-source) * units.Day
		for i := first(warmup + units.Duration(source)*units.Day); i < len(list); i++ {
			if list[i].Submitted >= warmup+units.Duration(source+1)*units.Day {
				break
			}
			if at := list[i].Submitted + shift; at >= 0 && at < warmup+span {
				d.add(placed{int32(i), int32(day)}, d.from.ids[i], at, chance.Key(list[i].Key).For(chance.Alike, uint64(day), 0))
			}
		}
	}
}

// oneByOne draws how often each job is there, on which days and when.
func (d *draw) oneByOne(warmup, span units.Duration, start time.Time, root chance.Key) {
	list := d.from.List
	lead, with := d.from.together()
	days := daysIn(span)
	weekend := weekends(start)
	in := map[int]int{} // days at weekends and others
	for day := range days {
		in[weekend(day)]++
	}
	var drawn int32
	add := func(p *place, day int, key chance.Key) {
		d.place(p, with[p.job], warmup+units.Duration(day)*units.Day, warmup+span, drawn, key)
		drawn++
	}
	for _, p := range places(list, lead, warmup, span, weekend) {
		root := root.For(chance.Alike, list[p.job].Key, 0)
		for day := -daysIn(warmup); day < days; day++ {
			key := root.For(chance.Alike, uint64(day), 0)
			own := day == p.day || day < 0 && (day-p.day)%7 == 0 // or the day before that stands for it
			switch {
			case p.once && own:
				add(&p, day, key)
			case p.once, p.stays && !own, weekend(day) != weekend(p.day):
			default:
				often := 1.0
				if !p.stays {
					often /= float64(in[weekend(p.day)])
				}
				for k := range chance.Poisson(often, key) {
					add(&p, day, key.For(chance.Alike, uint64(k), 1))
				}
			}
		}
	}
}

// place adds a job of a day at some moment of its place, with those that come after it; all of them that come
// before an end. n is how often that was done before.
func (d *draw) place(p *place, with []int32, day, end units.Duration, n int32, key chance.Key) {
	list := d.from.List
	moved := day + p.from + units.Duration(key.Uniform()*float64(p.to-p.from)) - list[p.job].Submitted
	one := func(i int32) {
		if t := list[i].Submitted + moved; t >= 0 && t < end {
			d.add(placed{i, n}, d.from.ids[i], t, chance.Key(list[i].Key).For(chance.Alike, uint64(n), 0))
		}
	}
	one(p.job)
	for _, i := range with {
		one(i)
	}
}

// weekends tells days at weekends from others, counted from a start.
func weekends(start time.Time) func(day int) int {
	first := int(start.Weekday()) // 0 is Sunday
	return func(day int) int {
		if w := time.Weekday(inWeek(first + day)); w == time.Saturday || w == time.Sunday {
			return 1
		}
		return 0
	}
}

// inWeek is a day's place in a week, 0 to 6, of days that are counted on from one that is the first.
func inWeek(day int) int { return (day%7 + 7) % 7 }

// together says which job each one comes after, through others or not, that comes after
// none, itself for most, and lists with those the ones that come after them. Each job is
// walked over once, however long chains are.
func (j *Jobs) together() (lead []int32, with map[int32][]int32) {
	lead, with = make([]int32, len(j.List)), map[int32][]int32{}
	for i := range lead {
		if lead[i] = int32(i); len(j.after[int32(i)]) > 0 {
			lead[i] = -1
		}
	}
	var path []int32
	for i := range lead {
		at := int32(i)
		for path = path[:0]; lead[at] < 0; at = j.after[at][0] {
			path = append(path, at)
		}
		for _, x := range path {
			lead[x] = lead[at]
		}
	}
	for i, l := range lead {
		if int32(i) != l {
			with[l] = append(with[l], int32(i))
		}
	}
	return lead, with
}
