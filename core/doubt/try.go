package doubt

import (
	"cmp"
	"math"
	"slices"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// An Effect is what an outcome would be otherwise if a fact were.
type Effect struct {
	P95  stats.Figure `json:"p95Ns" doc:"By how much the start delay's 95th percentile would change."`
	Mean stats.Figure `json:"meanNs" doc:"By how much the mean start delay would."`
	Cost stats.Figure `json:"costPerMonth" doc:"By how much a month's bill would."`
}

// none reports whether neither the percentile nor the bill would change in any repeat.
func (e Effect) none() bool {
	for _, f := range []stats.Figure{e.P95, e.Cost} {
		if f.Mean != 0 || f.Half != 0 {
			return false
		}
	}
	return true
}

// A Doubt is a fact, and what hangs on it.
type Doubt struct {
	Fact
	AtLow  Effect `json:"atLow" doc:"If it were the least."`
	AtHigh Effect `json:"atHigh" doc:"If it were the most."`
	Moot   bool   `json:"moot,omitempty" doc:"Nothing at all would change."`
}

// weight is how much hangs on the fact: the larger change of the 95th percentile as a share
// of what it is, or of the bill.
func (d *Doubt) weight(p95, cost float64) float64 {
	share := func(f stats.Figure, of float64) float64 {
		if of <= 0 {
			return 0
		}
		return math.Abs(f.Mean) / of
	}
	return max(share(d.AtLow.P95, p95), share(d.AtHigh.P95, p95), share(d.AtLow.Cost, cost), share(d.AtHigh.Cost, cost))
}

// Doubts is what an outcome hangs on, most first.
type Doubts struct {
	Scenario string  `json:"scenario" doc:"Name of the scenario."`
	Currency string  `json:"currency" doc:"Currency of the bill."`
	Repeats  int     `json:"repeats" doc:"Repeats that each was tried with, on the same draws."`
	P95      float64 `json:"p95Ns" doc:"The start delay's 95th percentile as the document has it, mean over the repeats."`
	Cost     float64 `json:"costPerMonth" doc:"A month's bill as the document has it."`
	Facts    []Doubt `json:"facts" doc:"Facts, those first on which most hangs."`
	Next     string  `json:"next,omitempty" doc:"The fact to measure next: the first that is not measured and not moot; absent where there is none."`
}

// mostRepeats is how many repeats each fact is tried with at most.
const mostRepeats = 4

// reading is what is read of a run.
type reading struct{ p95, mean, cost float64 }

// A Question is a scenario and the facts of its cluster that are tried, each at the ends of
// what it may be.
type Question struct {
	facts  []Fact
	worlds []*world.World // as it is, then two for each fact
}

// Ask puts the worlds together in which each fact is at the ends of what it may be. plan, where
// it is not nil, changes how each is run.
func Ask(in world.Input, now time.Time, plan func(*world.World)) (*Question, error) {
	in.Bound = new(world.Bound)
	base, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, err
	}
	facts := Facts(&in.Cluster.Value.(*document.Cluster).Spec, base.ImageNames(), now)
	worlds := []*world.World{base}
	for _, f := range facts {
		for _, value := range []any{f.low, f.high} {
			edit := document.Edit{Op: "replace", Path: f.path, Value: document.Plain(value)}
			w, faults, err := in.Changed([]document.Changes{{Kind: document.KindCluster, Name: in.Cluster.Name, Edits: []document.Edit{edit}}})
			if err == nil {
				err = faults.Err()
			}
			if err != nil {
				return nil, err
			}
			worlds = append(worlds, w)
		}
	}
	if plan != nil {
		for _, w := range worlds {
			plan(w)
		}
	}
	return &Question{facts, worlds}, nil
}

// Need is how much memory trying takes with so many workers, about.
func (q *Question) Need(workers int) units.Bytes { return outcome.Need(q.worlds[0], workers) }

// Try runs the scenario with each fact at the ends of what it may be.
func (q *Question) Try(workers int, progress paired.Progress) (*Doubts, error) {
	base, worlds, facts := q.worlds[0], q.worlds, q.facts
	out := &Doubts{Scenario: base.Scenario, Currency: base.Currency, Repeats: min(mostRepeats, base.Plan.Repeats), Facts: []Doubt{}}
	monthly := float64(units.Month) / float64(base.Plan.Span-base.Plan.Warmup)
	study := paired.Study[reading]{
		Worlds: worlds, Draws: paired.Draws(out.Repeats, 0), Workers: workers, Progress: progress,
		Read: func(_, d int, t *sim.Trace) (reading, error) {
			s := outcome.Measure(t, d)
			all := &s.Groups[0].Delay
			return reading{float64(all.P95), all.Mean, float64(s.Cost.TotalNano.Float() * monthly / 1e9)}, nil
		},
	}
	read, err := study.Run()
	if err != nil {
		return nil, err
	}
	of := func(v int, what func(reading) float64) []float64 {
		list := make([]float64, len(read[v]))
		for i, r := range read[v] {
			list[i] = what(r)
		}
		return list
	}
	p95, mean := func(r reading) float64 { return r.p95 }, func(r reading) float64 { return r.mean }
	cost := func(r reading) float64 { return r.cost }
	effect := func(v int) Effect {
		return Effect{stats.Paired(of(0, p95), of(v, p95)), stats.Paired(of(0, mean), of(v, mean)), stats.Paired(of(0, cost), of(v, cost))}
	}
	out.P95, out.Cost = stats.Of(of(0, p95)).Mean, stats.Of(of(0, cost)).Mean
	for i, f := range facts {
		d := Doubt{Fact: f, AtLow: effect(1 + 2*i), AtHigh: effect(2 + 2*i)}
		d.Moot = d.AtLow.none() && d.AtHigh.none()
		out.Facts = append(out.Facts, d)
	}
	slices.SortStableFunc(out.Facts, func(a, b Doubt) int { return cmp.Compare(b.weight(out.P95, out.Cost), a.weight(out.P95, out.Cost)) })
	if i := slices.IndexFunc(out.Facts, func(d Doubt) bool { return d.Known != Measured && !d.Moot }); i >= 0 {
		out.Next = out.Facts[i].Fact.Fact
	}
	return out, nil
}
