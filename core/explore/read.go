package explore

import (
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Run is what is kept of one run of one variant.
type Run struct {
	Tallies []aim.Tally `json:"tallies"` // in the order of the aims
	P95     float64     `json:"p95"`     // of start delays, ns
	Lead    float64     `json:"lead"`    // mean, ns
	Bill    float64     `json:"bill"`    // of a month
	Waiting float64     `json:"waiting"` // what waiting is worth, a month

	delays stats.Spread // in the process that ran it
}

// read takes what is asked for off a run.
func (q *Question) read(t *sim.Trace) Run {
	w := t.World
	out := Run{Tallies: make([]aim.Tally, len(q.aims))}
	class := make([]int, len(q.aims))
	for i, a := range q.aims {
		class[i] = slices.IndexFunc(w.Classes, func(c world.Class) bool { return c.Name == a.Class })
	}
	var delays []int64
	lead, ended := 0.0, 0
	var waited units.Sum[units.Duration]
	for j := range t.Records {
		job, r := &t.Jobs.List[j], &t.Records[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span {
			continue
		}
		from := t.From(j)
		if r.Started >= 0 {
			delays = append(delays, int64(r.Started-from))
		}
		if r.Started >= 0 && r.Ended >= 0 {
			lead, ended = lead+float64(r.Ended-from), ended+1
			waited.Add(r.Started - from)
		}
		for i, a := range q.aims {
			if class[i] < 0 || class[i] == int(job.Class) {
				count(&out.Tallies[i], a, r, from, w.Plan.Span)
			}
		}
	}
	monthly := float64(units.Month) / float64(w.Plan.Span-w.Plan.Warmup)
	out.Bill = float64(outcome.Paid(t).Float()*monthly) / 1e9
	out.Waiting = float64(w.Waiting.ForAll(waited).Float()*monthly) / 1e9
	for i, a := range q.aims {
		if a.Kind == aim.Bill {
			out.Tallies[i] = aim.Tally{N: 1, X: out.Bill}
		}
	}
	slices.Sort(delays)
	if n := len(delays); n > 0 {
		out.P95 = float64(delays[min(n-1, (95*n+99)/100-1)])
	}
	if ended > 0 {
		out.Lead = lead / float64(ended)
	}
	out.delays = stats.SpreadOf(delays, 512)
	return out
}
