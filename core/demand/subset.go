package demand

import (
	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// Only returns the first jobs of one class, their times multiplied by a factor: less
// than 1 brings them closer together. What they come after is left out.
func (j *Jobs) Only(class int32, by float64, most int) *Jobs {
	most = min(most, len(j.List))
	out := &Jobs{List: make([]Job, 0, most), Wants: j.Wants, classes: j.classes}
	for i, job := range j.List {
		if job.Class != class {
			continue
		}
		if len(out.List) == most {
			break
		}
		job.Submitted = units.Duration(float64(job.Submitted) * by)
		out.List = append(out.List, job)
		if j.ids != nil {
			out.ids = append(out.ids, j.ids[i])
		}
		if j.made != nil {
			out.made = append(out.made, j.made[i])
		}
	}
	return out
}

// Between returns recorded jobs from a moment on and before another, as though they came from as on.
// What they come after is kept where that is among them.
func (j *Jobs) Between(from, until, as units.Duration) *Jobs {
	d := newDraw(j)
	for i, job := range j.List {
		if job.Submitted >= from && job.Submitted < until {
			d.add(placed{int32(i), 0}, j.ids[i], job.Submitted-from+as, chance.Key(job.Key))
		}
	}
	return d.jobs()
}
