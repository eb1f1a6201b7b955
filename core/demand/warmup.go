package demand

import (
	"fmt"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// WithWarmup returns recorded jobs with others before them, over a time to warm up: those
// of the same hours one period later, as the hours before the log's start had no record
// of their own, and of two periods later where that is further back. Times count from the
// warm-up's start. The jobs before have ids and draws of their own; what they come after is
// kept where that is before with them. A period is above 0 and no longer than the log.
func (j *Jobs) WithWarmup(warmup, period units.Duration) *Jobs {
	d := newDraw(j)
	for back := int32((warmup + period - 1) / period); back >= 1; back-- {
		shift := warmup - units.Duration(back)*period
		for i, job := range j.List {
			if job.Submitted >= period {
				break
			}
			if at := job.Submitted + shift; at >= 0 {
				d.add(placed{int32(i), back}, before(j.ids[i], back), at, chance.Key(job.Key).For(chance.Before, uint64(back), 0))
			}
		}
	}
	for i, job := range j.List {
		d.add(placed{int32(i), 0}, j.ids[i], job.Submitted+warmup, chance.Key(job.Key))
	}
	return d.jobs()
}

// before is the id of a job that stands for another one some periods before it.
func before(id string, back int32) string {
	if back == 1 {
		return "before:" + id
	}
	return fmt.Sprintf("before-%d:%s", back, id)
}
