package demand

import (
	"fmt"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// WithWarmup returns recorded jobs with others before them, over a time to warm up: those
// of the same hours one period later, as the hours before the log's start had no record
// of their own, and of two periods later where that is further back. Times count from the
// warm-up's start. The jobs before have ids and draws of their own; what they come after is
// kept where that is before with them. A period is above 0 and no longer than the log.
func (j *Jobs) WithWarmup(warmup, period units.Duration) *Jobs {
	out := &Jobs{Wants: j.Wants, classes: j.classes, after: map[int32][]int32{}}
	add := func(i int, id string, job Job) {
		out.List, out.ids = append(out.List, job), append(out.ids, id)
		if j.Memory != nil {
			out.Memory, out.Disk = append(out.Memory, j.Memory[i]), append(out.Disk, j.Disk[i])
		}
	}
	periods := int64((warmup + period - 1) / period)
	for back := periods; back >= 1; back-- {
		shift := warmup - units.Duration(back)*period
		at := map[int32]int32{} // where a job of this period went
		for i, job := range j.List {
			if job.Submitted >= period {
				break
			}
			if job.Submitted+shift < 0 {
				continue
			}
			at[int32(i)] = int32(len(out.List))
			job.Submitted += shift
			job.Key = uint64(chance.Key(job.Key).For(chance.Before, uint64(back), 0))
			add(i, before(j.ids[i], back), job)
		}
		for i, now := range at {
			for _, x := range j.after[i] {
				if to, ok := at[x]; ok {
					out.after[now] = append(out.after[now], to)
				}
			}
		}
	}
	first := int32(len(out.List))
	for i, job := range j.List {
		job.Submitted += warmup
		add(i, j.ids[i], job)
		if list := j.after[int32(i)]; list != nil {
			moved := slices.Clone(list)
			for k := range moved {
				moved[k] += first
			}
			out.after[first+int32(i)] = moved
		}
	}
	if len(out.after) == 0 {
		out.after = nil
	}
	out.sort()
	return out
}

// before is the id of a job that stands for another one some periods before it.
func before(id string, back int64) string {
	if back == 1 {
		return "before:" + id
	}
	return fmt.Sprintf("before-%d:%s", back, id)
}
