package demand

import (
	"cmp"
	"slices"

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

// Alike draws jobs like the recorded ones for a span after a warm-up; they cover a length
// of time after it.
//
// Of four whole weeks or more each day is drawn from those of the same day of the week, so
// that busy days and quiet ones stay what they are. Of less each job is there as often as a
// Poisson draw of mean one says, together with those that come after it: the sum of many
// such draws varies as a Poisson process of the recorded rates does. Where a job is there
// again it is submitted at some moment between the two of its class around it, within a
// quarter of an hour, so that bursts stay bursts.
//
// Sources: Künsch, The jackknife and the bootstrap for general stationary observations
// (1989), with days as blocks; Rubin, The Bayesian bootstrap (1981), with Poisson weights.
func (j *Jobs) Alike(warmup, span, length units.Duration, root chance.Key) *Jobs {
	d := draw{from: j, to: &Jobs{Wants: j.Wants, classes: j.classes}}
	if len(j.after) > 0 {
		d.to.after, d.at = map[int32][]int32{}, map[placed]int32{}
	}
	if weeks := WeeksIn(length); weeks > 0 {
		d.days(warmup, span, weeks, root)
	} else {
		d.jobs(warmup+span, root)
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

// jobs draws how often each job is there.
func (d *draw) jobs(end units.Duration, root chance.Key) {
	list := d.from.List
	before, after := make([]units.Duration, len(list)), make([]units.Duration, len(list))
	last := map[int32]units.Duration{}
	for i := range list {
		at := list[i].Submitted
		before[i] = max(at-slot, last[list[i].Class])
		last[list[i].Class] = at
	}
	clear(last)
	for i := len(list) - 1; i >= 0; i-- {
		at := list[i].Submitted
		after[i] = min(at+slot, end-1)
		if next, ok := last[list[i].Class]; ok {
			after[i] = min(after[i], next)
		}
		last[list[i].Class] = at
	}
	lead := d.leads()
	for i := range list {
		root := root.For(chance.Alike, list[lead[i]].Key, 0) // of the job that it comes after, at last
		for time := range chance.Poisson(1, root) {
			at, key := list[i].Submitted, list[i].Key
			if time > 0 {
				from := lead[i]
				span := float64(after[from] - before[from])
				moved := before[from] + units.Duration(root.For(chance.Alike, uint64(time), 0).Uniform()*span)
				at = min(max(at+moved-list[from].Submitted, 0), max(at, end-1))
				key = uint64(chance.Key(key).For(chance.Alike, uint64(time), 0))
			}
			d.add(int32(i), int32(time), at, key)
		}
	}
}

// leads says for each job which one it comes after, through others or not, that comes
// after none; for most jobs it is themselves.
func (d *draw) leads() []int32 {
	lead := make([]int32, len(d.from.List))
	for i := range lead {
		lead[i] = int32(i)
	}
	for i := range d.from.after {
		at := i
		for len(d.from.after[at]) > 0 {
			at = d.from.after[at][0]
		}
		lead[i] = at
	}
	return lead
}
