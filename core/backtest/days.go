package backtest

import (
	"time"

	"tachyphor/core/drift"
	"tachyphor/core/paired"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// dayRuns is how many runs a day is held beside: if what was observed lies beyond all of them for three
// or four days in a row, that is no chance.
const dayRuns = 40

// leastADay is how few jobs of a class a day may have to be looked at.
const leastADay = 10

// dayPercentiles are those of a day that are looked at, where it has the jobs for them.
var dayPercentiles = []float64{50, 90}

// Days runs the designs and holds each whole day beside them: percentiles of start delays of all
// jobs, and of each class. Only days are told that begin and end within what is scored, in the
// workload's time zone, or until Options.Until.
func (q *Question) Days(workers int, progress paired.Progress) ([]drift.HeldDay, error) {
	read, err := q.run(worldsOf(q.designs), dayRuns, workers, progress)
	if err != nil {
		return nil, err
	}
	of := q.predicted(read)
	byDay := map[time.Time][]int{}
	for i := range q.jobs {
		if q.jobs[i].scored && of.delay[0][i] >= 0 {
			day := q.dayOf(q.jobs[i].at)
			byDay[day] = append(byDay[day], i)
		}
	}
	plan := &q.designs[0].w.Plan
	end := q.start.Add(time.Duration(plan.Span))
	if q.until.After(end) {
		end = q.until
	}
	out := []drift.HeldDay{}
	for day := q.dayOf(max(plan.Warmup, units.Duration(q.split.From.Sub(q.start)))); ; {
		next := day.AddDate(0, 0, 1)
		if next.After(end) {
			return out, nil
		}
		if !day.Before(q.split.From) && !day.Before(q.start.Add(time.Duration(plan.Warmup))) {
			out = append(out, drift.HeldDay{Day: day, Looked: q.looked(of, byDay[day])})
		}
		day = next
	}
}

// dayOf is when the day of a moment began.
func (q *Question) dayOf(at units.Duration) time.Time {
	y, m, d := q.start.Add(time.Duration(at)).In(q.zone.Location()).Date()
	return time.Date(y, m, d, 0, 0, 0, 0, q.zone.Location())
}

// looked holds the jobs of a day beside the runs.
func (q *Question) looked(of prediction, list []int) []drift.Looked {
	out := []drift.Looked{}
	look := func(name string, list []int) {
		if len(list) < leastADay {
			return
		}
		observed, runs := q.sorted(list, of.delay, func(j *job) float64 { return j.waited })
		for _, p := range dayPercentiles {
			if !stats.Supports(len(observed), p) && p != 50 {
				continue
			}
			at := each(runs, p)
			for r := range at {
				at[r] *= second
			}
			out = append(out, drift.Look(name, p, len(list), stats.Percentile(observed, p)*second, at))
		}
	}
	look("", list)
	for c, name := range q.classes {
		var own []int
		for _, j := range list {
			if q.jobs[j].class == int32(c) {
				own = append(own, j)
			}
		}
		look(name, own)
	}
	return out
}
