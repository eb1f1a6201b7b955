package demand

import (
	"cmp"
	"slices"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/portable"
	"tachyphor/core/units"
)

// A recording is one draw of what could have come. How much its figures owe to that one
// draw is seen by drawing others like it from the recording itself.

const (
	// near is how many others of its class, those nearest by the time of day, a job may
	// come among instead, and farthest how far from its own time.
	near     = 20
	farthest = units.Hour
	// leastRegular is how many jobs an hour must have for it to be seen to be regular.
	leastRegular = 3
)

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
	d := draw{from: j, to: &Jobs{Wants: j.Wants, classes: j.classes}}
	if len(j.after) > 0 {
		d.to.after, d.at = map[int32][]int32{}, map[placed]int32{}
	}
	if weeks := WeeksIn(length); weeks > 0 {
		d.days(warmup, span, weeks, root)
	} else {
		d.jobs(warmup, span, start, root)
	}
	d.chain()
	d.to.sort()
	return d.to
}

// draw is jobs drawn from others.
type draw struct {
	from, to *Jobs
	at       map[placed]int32 // where each job went; nil when none comes after others
	source   []placed
}

// placed is a job of the source and which time it was drawn.
type placed struct{ job, time int32 }

// add adds a job of the source, as it is submitted this time.
func (d *draw) add(i, time int32, submitted units.Duration, key uint64) {
	job := d.from.List[i]
	job.Submitted, job.Key = submitted, key
	if d.at != nil {
		d.at[placed{i, time}] = int32(len(d.to.List))
	}
	d.source = append(d.source, placed{i, time})
	d.to.List, d.to.ids = append(d.to.List, job), append(d.to.ids, d.from.ids[i])
	if d.from.Memory != nil {
		d.to.Memory, d.to.Disk = append(d.to.Memory, d.from.Memory[i]), append(d.to.Disk, d.from.Disk[i])
	}
}

// chain has the jobs come after those that were drawn with them.
func (d *draw) chain() {
	if d.at == nil {
		return
	}
	for k, p := range d.source {
		for _, x := range d.from.after[p.job] {
			if to, ok := d.at[placed{x, p.time}]; ok {
				d.to.after[int32(k)] = append(d.to.after[int32(k)], to)
			}
		}
	}
}

// days draws each day from those of its day of the week.
func (d *draw) days(warmup, span units.Duration, weeks int, root chance.Key) {
	list := d.from.List
	first := func(at units.Duration) int { // job at a moment or later
		i, _ := slices.BinarySearchFunc(list, at, func(job Job, at units.Duration) int { return cmp.Compare(job.Submitted, at) })
		return i
	}
	end := int((span + units.Day - 1) / units.Day)
	for day := -int((warmup + units.Day - 1) / units.Day); day < end; day++ {
		u := root.For(chance.Alike, uint64(day), 0).Uniform()
		source := (day%7+7)%7 + 7*int(u*float64(weeks))
		shift := units.Duration(day-source) * units.Day
		for i := first(warmup + units.Duration(source)*units.Day); i < len(list); i++ {
			if list[i].Submitted >= warmup+units.Duration(source+1)*units.Day {
				break
			}
			if at := list[i].Submitted + shift; at >= 0 && at < warmup+span {
				d.add(int32(i), int32(day), at, uint64(chance.Key(list[i].Key).For(chance.Alike, uint64(day), 0)))
			}
		}
	}
}

// A place is where in the week a job comes that comes after none.
type place struct {
	job      int32
	day      int            // of the span
	at       units.Duration // of the day
	from, to units.Duration // of the day: among its like
	stays    bool           // on its day
	once     bool           // there, and on its day
}

// jobs draws how often each job is there, on which days and when.
func (d *draw) jobs(warmup, span units.Duration, start time.Time, root chance.Key) {
	list, with := d.from.List, d.together()
	days := int((span + units.Day - 1) / units.Day)
	weekend := func(day int) int {
		if w := start.AddDate(0, 0, day).Weekday(); w == time.Saturday || w == time.Sunday {
			return 1
		}
		return 0
	}
	in := [2]int{} // working days and others
	for day := range days {
		in[weekend(day)]++
	}
	var drawn int32
	add := func(p *place, day int, key chance.Key) {
		at := p.from + units.Duration(key.Uniform()*float64(p.to-p.from))
		moved := warmup + units.Duration(day)*units.Day + at - list[p.job].Submitted
		for _, i := range with[p.job] {
			if t := list[i].Submitted + moved; t >= 0 && t < warmup+span {
				d.add(i, drawn, t, uint64(chance.Key(list[i].Key).For(chance.Alike, uint64(drawn), 0)))
			}
		}
		drawn++
	}
	for _, p := range d.places(warmup, span, weekend) {
		key := root.For(chance.Alike, list[p.job].Key, 0)
		for day := -int((warmup + units.Day - 1) / units.Day); day < days; day++ {
			often := 1 / float64(in[weekend(p.day)])
			switch {
			case p.once:
				if (day-p.day)%7 == 0 && (day == p.day || day < 0) {
					add(&p, day, key.For(chance.Alike, uint64(day), 0))
				}
				continue
			case p.stays && (day-p.day)%7 == 0 && (day == p.day || day < 0):
				often = 1
			case p.stays || weekend(day) != weekend(p.day):
				continue
			}
			key := key.For(chance.Alike, uint64(day), 0)
			for k := range chance.Poisson(often, key) {
				add(&p, day, key.For(chance.Alike, uint64(k), 1))
			}
		}
	}
}

// places says where jobs of the span may come: each among those of its class, on days of
// its kind, that are nearest by the time of day.
func (d *draw) places(warmup, span units.Duration, weekend func(day int) int) []place {
	type kind struct {
		class int32
		days  int
	}
	kinds := map[kind][]place{}
	var order []kind
	lead := d.leads()
	for i, job := range d.from.List {
		since := job.Submitted - warmup
		if lead[i] != int32(i) || since < 0 || since >= span {
			continue
		}
		day := int(since / units.Day)
		k := kind{job.Class, weekend(day)}
		if kinds[k] == nil {
			order = append(order, k)
		}
		kinds[k] = append(kinds[k], place{job: int32(i), day: day, at: since % units.Day})
	}
	var out []place
	for _, k := range order {
		list := kinds[k]
		slices.SortStableFunc(list, func(a, b place) int { return cmp.Compare(a.at, b.at) })
		for i := range list {
			p := &list[i]
			low, high, own := i, i, 1
			for range near {
				switch below, above := low > 0, high < len(list)-1; {
				case below && (!above || p.at-list[low-1].at <= list[high+1].at-p.at):
					low--
					own += same(list[low].day, p.day)
				case above:
					high++
					own += same(list[high].day, p.day)
				}
			}
			far := min(max(p.at-list[low].at, list[high].at-p.at), farthest)
			p.from, p.to = max(p.at-far, 0), min(p.at+far, units.Day-1)
			p.stays = 2*own > high-low+1
		}
		regular := timetable(list)
		for i := range list {
			list[i].once = regular[list[i].at/units.Hour]
		}
		out = append(out, list...)
	}
	return out
}

// timetable says in which hours of the day there are so nearly as many jobs on every day
// that chance has it so once in a hundred times at most: by the index of dispersion of a
// Poisson process, which has the chi-squared distribution.
//
// Source: Fisher, Statistical methods for research workers (1925).
func timetable(list []place) (regular [24]bool) {
	counts := map[int]*[24]float64{}
	for _, p := range list {
		if counts[p.day] == nil {
			counts[p.day] = new([24]float64)
		}
		counts[p.day][p.at/units.Hour]++
	}
	if len(counts) < 2 {
		return regular
	}
	least := 2 * portable.GammaQuantile(float64(len(counts)-1)/2, 0.01)
	for hour := range regular {
		sum, sq := 0.0, 0.0
		for _, c := range counts {
			sum, sq = sum+c[hour], sq+float64(c[hour]*c[hour])
		}
		mean := sum / float64(len(counts))
		regular[hour] = mean >= leastRegular && sq/mean-sum < least
	}
	return regular
}

func same(a, b int) int {
	if a == b {
		return 1
	}
	return 0
}

// together lists with each job that comes after none those that come after it, itself
// first.
func (d *draw) together() map[int32][]int32 {
	out := make(map[int32][]int32, len(d.from.List))
	lead := d.leads()
	for i, l := range lead {
		if int32(i) == l {
			out[l] = append([]int32{l}, out[l]...)
		} else {
			out[l] = append(out[l], int32(i))
		}
	}
	return out
}

// leads says for each job which one it comes after, through others or not, that comes
// after none; for most jobs it is themselves. Each job is walked over once, however long
// chains are.
func (d *draw) leads() []int32 {
	lead := make([]int32, len(d.from.List))
	for i := range lead {
		if lead[i] = int32(i); len(d.from.after[int32(i)]) > 0 {
			lead[i] = -1
		}
	}
	var path []int32
	for i := range lead {
		at := int32(i)
		for path = path[:0]; lead[at] < 0; at = d.from.after[at][0] {
			path = append(path, at)
		}
		for _, x := range path {
			lead[x] = lead[at]
		}
	}
	return lead
}
