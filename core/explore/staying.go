package explore

import (
	"tachyphor/core/outcome"
	"tachyphor/core/stats"
)

// Staying holds nodes that come and go beside the same nodes if they stayed on.
type Staying struct {
	Hours   string  `json:"hours" doc:"Working hours."`
	Outside float64 `json:"outside" doc:"Part of the jobs that are submitted outside them, 0 to 1."`
	Today   Bills   `json:"today" doc:"Of the scenario as it is."`
	Best    *Bills  `json:"best,omitempty" doc:"Of what is recommended; absent where nothing is."`
}

// Bills are a month's with one design in three ways.
type Bills struct {
	AsItIs  stats.Figure `json:"asItIsPerMonth" doc:"Nodes and agents come and go as the design says."`
	InHours stats.Figure `json:"inHoursPerMonth" doc:"As many of them as there are at most at once, off outside working hours."`
	Always  stats.Figure `json:"alwaysPerMonth" doc:"As many of them, always on."`
}

// staying tells an answer's: of the draws that it is confirmed on, else of those of the race.
func (q *Question) staying(a *Answer) *Staying {
	today := a.ran.of(a.list[0].v, 0)
	out := &Staying{Hours: outcome.WorkingHours(q.bases[0]).String()}
	if a.Confirm != nil {
		best := billsOf(a.ran.of(a.list[a.Best].v, fresh)[:a.Confirm.Repeats])
		out.Best, today = &best, a.ran.of(a.list[0].v, fresh)[:a.Confirm.Repeats]
	}
	out.Today = billsOf(today)
	for i := range today {
		out.Outside += today[i].Outside / float64(len(today))
	}
	return out
}

func billsOf(runs []Run) Bills {
	return Bills{
		AsItIs: figureOf(runs, func(r *Run) float64 { return r.Bill }), InHours: figureOf(runs, func(r *Run) float64 { return r.InHours }),
		Always: figureOf(runs, func(r *Run) float64 { return r.Always }),
	}
}

// figureOf is a figure over runs.
func figureOf(runs []Run, of func(*Run) float64) stats.Figure {
	list := make([]float64, len(runs))
	for i := range runs {
		list[i] = of(&runs[i])
	}
	return stats.OfAmounts(list)
}
