package demand

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// draw is jobs made of others: each may be there several times, or not at all.
type draw struct {
	from, to *Jobs
	at       map[placed]int32 // where each job went; nil when none comes after others
	source   []placed
}

// placed is a job of the source and which time it is there.
type placed struct{ job, time int32 }

func newDraw(from *Jobs) *draw {
	d := &draw{from: from, to: &Jobs{Wants: from.Wants, classes: from.classes}}
	if len(from.after) > 0 {
		d.to.after, d.at = map[int32][]int32{}, map[placed]int32{}
	}
	return d
}

// add adds a job of the source under an id, as it is submitted this time.
func (d *draw) add(p placed, id string, submitted units.Duration, key chance.Key) {
	job := d.from.List[p.job]
	job.Submitted, job.Key = submitted, uint64(key)
	if d.at != nil {
		d.at[p] = int32(len(d.to.List))
	}
	d.source = append(d.source, p)
	d.to.List, d.to.ids = append(d.to.List, job), append(d.to.ids, id)
	if d.from.Memory != nil {
		d.to.Memory, d.to.Disk = append(d.to.Memory, d.from.Memory[p.job]), append(d.to.Disk, d.from.Disk[p.job])
	}
}

// jobs are what was added, in order; each comes after those that were there with it.
func (d *draw) jobs() *Jobs {
	for k, p := range d.source {
		for _, x := range d.from.after[p.job] {
			if to, ok := d.at[placed{x, p.time}]; ok {
				d.to.after[int32(k)] = append(d.to.after[int32(k)], to)
			}
		}
	}
	d.to.sort()
	return d.to
}

// daysIn is how many days a time covers, the last one perhaps in part.
func daysIn(t units.Duration) int { return int((t + units.Day - 1) / units.Day) }
