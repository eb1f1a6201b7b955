package demand

import (
	"fmt"
	"math"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// nearBy is how far from a job another like it is at most.
const nearBy = 30 * units.Minute

// Times returns recorded jobs with each of them, and those that come after it, there so many times
// in the mean: less than once leaves some out; more adds others like it, each at some moment up to
// half an hour before or after, evenly drawn. Of a larger number the jobs of a smaller one are all
// there. by is above 0.
//
// Busy hours stay busy in proportion: counts of an hour vary up to as many times more than a Poisson
// process of the larger rate would, which is to the careful side for who asks whether it holds.
func (j *Jobs) Times(by float64) *Jobs {
	d := newDraw(j)
	lead, with := d.from.together()
	whole := math.Floor(by)
	for i := range j.List {
		if lead[i] != int32(i) {
			continue
		}
		key := chance.Key(j.List[i].Key).For(chance.Again, 0, 0)
		often := int32(whole)
		if key.Uniform() < by-whole {
			often++
		}
		for n := range often {
			var moved units.Duration
			if n > 0 {
				u := chance.Key(j.List[i].Key).For(chance.Again, uint64(n), 1).Uniform()
				moved = units.Duration(float64((2*u - 1) * float64(nearBy)))
				if j.List[i].Submitted+moved < 0 {
					moved = -moved
				}
			}
			add := func(k int32) {
				job := &j.List[k]
				if n == 0 {
					d.add(placed{k, 0}, j.ids[k], job.Submitted, chance.Key(job.Key))
					return
				}
				d.add(placed{k, n}, fmt.Sprintf("%s~%d", j.ids[k], n), job.Submitted+moved, chance.Key(job.Key).For(chance.Again, uint64(n), 2))
			}
			add(int32(i))
			for _, k := range with[int32(i)] {
				add(k)
			}
		}
	}
	return d.jobs()
}
