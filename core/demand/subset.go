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

// Pieces returns recorded jobs of pieces of time, each as wide and from its moment on, as though they came
// one after the other from as on. What a job comes after is kept where that is in the same piece.
func (j *Jobs) Pieces(from []units.Duration, wide, as units.Duration) *Jobs {
	d := newDraw(j)
	for n, begin := range from {
		for i, job := range j.List {
			if job.Submitted >= begin && job.Submitted < begin+wide {
				d.add(placed{int32(i), int32(n)}, j.ids[i], job.Submitted-begin+as+units.Duration(n)*wide, chance.Key(job.Key))
			}
		}
	}
	return d.jobs()
}
