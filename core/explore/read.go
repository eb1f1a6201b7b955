package explore

import (
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Run is what is kept of one run of one variant: with each of several workloads, where a sweep
// is across them.
type Run struct {
	Tallies []aim.Tally `json:"tallies"` // in the order of the aims; of several workloads of the first
	// Others are the tallies of the other workloads, in their order.
	Others  [][]aim.Tally `json:"others,omitempty"`
	P95     float64       `json:"p95"`     // of start delays, ns
	Lead    float64       `json:"lead"`    // mean, ns
	Bill    float64       `json:"bill"`    // of a month; of several workloads their mean, as are the amounts below
	Waiting float64       `json:"waiting"` // what waiting is worth, a month
	Always  float64       `json:"always"`  // the bill with its most nodes always on
	InHours float64       `json:"inHours"` // with those off outside working hours
	Outside float64       `json:"outside"` // share of the jobs that come outside them
	// Delays are how start delays are spread; of fresh draws alone.
	Delays *stats.Spread `json:"delays,omitempty"`
}

// of are the tallies of a workload.
func (r *Run) of(workload int) []aim.Tally {
	if workload == 0 {
		return r.Tallies
	}
	return r.Others[workload-1]
}

// tells reports whether a run may be that of a repeat.
func (q *Question) tells(r *Run, repeat int) bool {
	if len(r.Tallies) != len(q.aims) || len(r.Others) != len(q.ins)-1 || (r.Delays == nil) == (repeat >= fresh) {
		return false
	}
	return !slices.ContainsFunc(r.Others, func(t []aim.Tally) bool { return len(t) != len(q.aims) })
}

// run is one run of a variant: a repeat with each of its workloads.
func (q *Question) run(worlds []*world.World, repeat int, watch sim.Watcher) (Run, error) {
	r := reader{q: q}
	for _, w := range worlds {
		if _, err := paired.Run(w, paired.Draw{Repeat: repeat}, watch, func(t *sim.Trace) (struct{}, error) {
			r.read(t)
			return struct{}{}, nil
		}); err != nil {
			return Run{}, err
		}
	}
	return r.run(len(worlds), repeat), nil
}

// A reader takes what is asked for off the runs with each workload.
type reader struct {
	q                    *Question
	out                  Run
	tallies              [][]aim.Tally
	delays               []int64
	jobs, ended, outside int
	lead                 units.Sum[units.Duration]
}

func (x *reader) read(t *sim.Trace) {
	w, q := t.World, x.q
	count := outcome.CountOf(q.aims, w)
	var waited units.Sum[units.Duration]
	for j := range t.Records {
		job, r := &t.Jobs.List[j], &t.Records[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span {
			continue
		}
		x.jobs++
		from := t.From(j)
		if r.Started >= 0 {
			x.delays = append(x.delays, int64(r.Started-from))
		}
		if r.Started >= 0 && r.Ended >= 0 {
			x.ended++
			x.lead.Add(r.Ended - from)
			waited.Add(r.Started - from)
		}
		count.Add(t, j)
	}
	money := func(nano units.Sum[units.Money]) float64 { return outcome.AMonth(w, nano) }
	bill, stays := money(outcome.Paid(t)), outcome.StayingOn(t)
	x.out.Bill += bill
	x.out.Waiting += money(w.Waiting.ForAll(waited))
	x.out.Always += money(stays.AllNano)
	x.out.InHours += money(stays.HoursNano)
	x.outside += stays.Outside
	x.tallies = append(x.tallies, count.Tallies(bill))
}

// run is what all say together.
func (x *reader) run(workloads, repeat int) Run {
	out := x.out
	out.Tallies = x.tallies[0]
	if workloads > 1 {
		out.Others = x.tallies[1:]
	}
	n := float64(workloads)
	out.Bill, out.Waiting, out.Always, out.InHours = out.Bill/n, out.Waiting/n, out.Always/n, out.InHours/n
	out.Outside = float64(x.outside) / float64(max(1, x.jobs))
	slices.Sort(x.delays)
	out.P95 = float64(stats.Percentile(x.delays, 95))
	if x.ended > 0 {
		out.Lead = x.lead.Over(x.ended)
	}
	if repeat >= fresh { // percentiles of all runs together are told of fresh draws alone
		spread := stats.SpreadOf(x.delays, 512)
		out.Delays = &spread
	}
	return out
}
