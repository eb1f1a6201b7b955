package explore

import (
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/stats"
)

// Phase is what is done of exploring.
type Phase string

// The phases, in their order.
const (
	Beginning  Phase = "first runs"
	Spreading  Phase = "spread over all that is possible"
	Stepping   Phase = "steps from the best"
	Racing     Phase = "race"
	Confirming Phase = "fresh draws"
	Telling    Phase = "what the changes bring"
)

// A Standing is how an answer stands while it is looked for.
type Standing struct {
	Phase     Phase        `json:"phase" doc:"What is done now."`
	Runs      int          `json:"runs" doc:"Runs that are over."`
	Variants  int          `json:"variants" doc:"Variants that were run so far."`
	Out       int          `json:"out" doc:"Those of them that get no more repeats."`
	Unfit     int          `json:"unfit" doc:"Variants that cannot be run: they make no valid documents, or agents fit on no node."`
	Struck    int          `json:"struck,omitempty" doc:"Variants that are not run because they cannot be what is looked for."`
	Best      string       `json:"best,omitempty" doc:"The best so far, as its changes in a line."`
	Elsewhere string       `json:"elsewhere,omitempty" doc:"How it stands with the pods of a cluster that compute it, where some do."`
	Verdict   aim.Verdict  `json:"verdict,omitempty" doc:"What is said of its aims so far."`
	Delay     stats.Figure `json:"delayP95Ns" doc:"95 % of its jobs start within this, ns."`
	Bill      stats.Figure `json:"billPerMonth" doc:"Its bill of a month."`
}

// standing tells how it stands with the variants of a race.
func (q *Question) standing(r *runner, phase Phase, lanes []*lane) {
	list, out := make([]variant, len(lanes)), 0
	for i, l := range lanes {
		if list[i] = l.v; l.out != "" {
			out++
		}
	}
	q.stands(r, phase, list, out)
}

// stands tells how it stands with the variants so far, of which some are out.
func (q *Question) stands(r *runner, phase Phase, list []variant, out int) {
	if r.way.Standing == nil {
		return
	}
	s := Standing{Phase: phase, Runs: int(r.done.Load()), Variants: len(list), Out: out, Unfit: len(r.faults), Struck: len(r.struck)}
	list = slices.DeleteFunc(slices.Clone(list), func(v variant) bool { return len(r.of(v, 0)) < firstRepeats })
	if len(list) > 0 {
		best := slices.MinFunc(list, func(a, b variant) int { return q.better(r, a, b) })
		m := q.measures(r.of(best, 0))
		s.Best, s.Delay, s.Bill = said(q.settings(best)), m.Delay, m.Bill
		s.Verdict, _ = worst(m.Aims)
	}
	r.way.Standing(s)
}
