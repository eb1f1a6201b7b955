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
	Always  float64     `json:"always"`  // the bill with its most nodes always on
	InHours float64     `json:"inHours"` // with those off outside working hours
	Outside float64     `json:"outside"` // share of the jobs that come outside them
	// Delays are how start delays are spread; of fresh draws alone.
	Delays *stats.Spread `json:"delays,omitempty"`
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
	jobs, ended := 0, 0
	var lead, waited units.Sum[units.Duration]
	for j := range t.Records {
		job, r := &t.Jobs.List[j], &t.Records[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span {
			continue
		}
		jobs++
		from := t.From(j)
		if r.Started >= 0 {
			delays = append(delays, int64(r.Started-from))
		}
		if r.Started >= 0 && r.Ended >= 0 {
			ended++
			lead.Add(r.Ended - from)
			waited.Add(r.Started - from)
		}
		for i, a := range q.aims {
			if class[i] < 0 || class[i] == int(job.Class) {
				count(&out.Tallies[i], a, r, from, w.Plan.Span)
			}
		}
	}
	monthly := float64(units.Month) / float64(w.Plan.Span-w.Plan.Warmup)
	money := func(nano units.Sum[units.Money]) float64 { return float64(units.AmountOf(nano)) * monthly }
	out.Bill, out.Waiting = money(outcome.Paid(t)), money(w.Waiting.ForAll(waited))
	stays := outcome.StayingOn(t)
	out.Always, out.InHours = money(stays.AllNano), money(stays.HoursNano)
	out.Outside = float64(stays.Outside) / float64(max(1, jobs))
	for i, a := range q.aims {
		if a.Kind == aim.Bill {
			out.Tallies[i] = aim.Tally{N: 1, X: out.Bill}
		}
	}
	slices.Sort(delays)
	out.P95 = float64(stats.Percentile(delays, 95))
	if ended > 0 {
		out.Lead = lead.Over(ended)
	}
	spread := stats.SpreadOf(delays, 512)
	out.Delays = &spread
	return out
}
