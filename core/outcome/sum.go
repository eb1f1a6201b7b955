package outcome

import (
	"tachyphor/core/demand"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// slowestKept is how many of the slowest jobs an outcome names.
const slowestKept = 25

// A Sum collects the repeats of a scenario. The order in which they are added
// does not matter.
type Sum struct {
	world   *world.World
	samples []Sample
	alike   []Sample   // of jobs like the recorded ones, beside the first samples
	lines   *sim.Lines // summed over repeats
	first   *sim.Trace

	unmatched []Unmatched
}

// NewSum prepares to collect the world's repeats.
func NewSum(w *world.World) *Sum {
	return &Sum{world: w, samples: make([]Sample, w.Plan.Repeats), alike: make([]Sample, w.AlikeRuns())}
}

// AddAlike takes in a run of jobs like the recorded ones. Calls must not overlap, nor with
// those of Add.
func (s *Sum) AddAlike(sample Sample) {
	sample.Lean()
	s.alike[sample.Repeat] = sample
}

// Add takes in one repeat. Calls must not overlap.
func (s *Sum) Add(sample Sample, t *sim.Trace) {
	s.samples[sample.Repeat] = sample
	if s.lines == nil {
		s.lines = t.Lines.Like()
	}
	s.lines.Add(&t.Lines)
	if sample.Repeat == 0 {
		s.first = t
	}
}

// Outcome returns the outcome once every repeat was added, and the trace of the
// first.
func (s *Sum) Outcome() (*Outcome, *sim.Trace) {
	w := s.world
	o := &Outcome{
		Scenario: w.Scenario, Engine: Engine, Seed: w.Plan.Seed, Repeats: w.Plan.Repeats,
		Start: w.Start, Zone: w.Zone.String(), WarmupNs: int64(w.Plan.Warmup), SpanNs: int64(w.Plan.Span),
		Phases: sim.PhaseNames[:], Samples: s.samples, Weeks: w.AlikeWeeks(), Notes: append([]string{}, w.Notes...), Recorded: w.Recorded(),
	}
	for i, name := range groupsOf(w) {
		o.Groups = append(o.Groups, s.group(i, name))
	}
	o.Causes = s.causes()
	s.unmatched = unmatched(s.first)
	o.Unmatched = s.unmatched
	o.Failures = s.failures()
	o.Limits = Limits(s.first)
	o.Story = story(s.first)
	o.Troubles = s.troubles()
	o.Lives, o.Network = s.lives(), s.network()
	o.Cache = s.cache()
	o.Cost = s.cost()
	o.Lines = s.timeLines()
	o.Slowest = []JobBrief{}
	for _, j := range longest(s.first, slowestKept) {
		o.Slowest = append(o.Slowest, Brief(s.first, j))
	}
	o.Aims = s.aims()
	o.Judged = Verdicts(o.Aims)
	o.Headline, o.Means = headline(w, o), means(w, o)
	for i := range s.alike {
		s.alike[i].Groups = s.alike[i].Groups[:1] // what comparing needs
	}
	o.Alike = s.alike
	return o, s.first
}

// figure returns the figure of one value a repeat.
func (s *Sum) figure(value func(*Sample) float64) stats.Figure {
	return s.readings().Figure(value, s.world.AlikeWeeks())
}

func (s *Sum) readings() paired.Readings[Sample] {
	return paired.Readings[Sample]{Own: s.samples, Alike: s.alike}
}

// among says how far a figure may lie from that of all weeks like the recorded one, by a
// value that each run has of its own.
func (s *Sum) among(f stats.Figure, value func(*Sample) float64) stats.Figure {
	return f.AmongAmounts(s.readings().Weeks(value, s.world.AlikeWeeks()))
}

// pool puts the values of all repeats together.
func (s *Sum) pool(of func(*Sample) stats.Spread) *stats.Pool {
	spreads := make([]stats.Spread, len(s.samples))
	for i := range s.samples {
		spreads[i] = of(&s.samples[i])
	}
	return stats.PoolOf(spreads)
}

func (s *Sum) group(i int, name GroupName) Group {
	fig := func(value func(*GroupSample) float64) stats.Figure {
		return s.figure(func(x *Sample) float64 { return value(&x.Groups[i]) })
	}
	delays := s.pool(func(x *Sample) stats.Spread { return x.Groups[i].delays })
	leads := s.pool(func(x *Sample) stats.Spread { return x.Groups[i].leads })
	g := Group{
		GroupName:  name,
		WorkParts:  []WorkPart{},
		Jobs:       fig(func(g *GroupSample) float64 { return float64(g.Jobs) }),
		Started:    fig(func(g *GroupSample) float64 { return float64(g.Started) }),
		Wrong:      fig(func(g *GroupSample) float64 { return float64(g.Jobs - g.Results[sim.Succeeded]) }),
		Warm:       fig(func(g *GroupSample) float64 { return float64(g.Warm) / float64(max(1, g.Started)) }),
		Unfinished: fig(func(g *GroupSample) float64 { return float64(g.Results[sim.Unfinished]) }),
		Failed: fig(func(g *GroupSample) float64 {
			n := 0
			for r := sim.OutOfMemory; r < sim.Results; r++ {
				n += g.Results[r]
			}
			return float64(n)
		}),
		NodeCost: fig(func(g *GroupSample) float64 { return float64(units.AmountOf(g.CostNano)) / float64(max(1, g.Jobs)) }),
		Delay:    s.times(delays, func(x *Sample) *stats.Summary { return &x.Groups[i].Delay }),
		Lead:     s.times(leads, func(x *Sample) *stats.Summary { return &x.Groups[i].Lead }),
	}
	if name.By == "all" {
		half, most, lead := delays.ByRepeat(50), delays.ByRepeat(95), leads.ByRepeat(95)
		for r := range s.samples {
			s.samples[r].Percentiles = PercentileSample{half[r], most[r], lead[r]}
		}
	}
	for p := range sim.Phases {
		g.Ribbon = append(g.Ribbon, fig(func(g *GroupSample) float64 { return g.RibbonNs[p].Over(g.Ended) }))
	}
	for _, c := range []sim.Cause{sim.Working, sim.ColdWork, sim.Hindered, sim.AwaitsTool, sim.Fetching, sim.Stretched, sim.LostWork, sim.Rerun} {
		if f := fig(func(g *GroupSample) float64 { return g.CausesNs[c].Over(g.Ended) }); f.Mean > 0 {
			g.WorkParts = append(g.WorkParts, WorkPart{c.String(), f})
		}
	}
	if name.By != "template" {
		for _, p := range curvePoints {
			g.Curve = append(g.Curve, CurvePoint{p, float64(delays.Percentile(p))})
		}
	}
	return g
}

// times summarises values: those of all repeats together, and each run's own.
func (s *Sum) times(all *stats.Pool, own func(*Sample) *stats.Summary) Times {
	figure := func(pick func(*stats.Summary) float64) stats.Figure {
		return s.figure(func(x *Sample) float64 { return pick(own(x)) })
	}
	percentile := func(p float64, pick func(*stats.Summary) int64) *stats.Figure {
		f, ok := all.Figure(p)
		if !ok {
			return nil
		}
		f = s.among(f, func(x *Sample) float64 { return float64(pick(own(x))) })
		return &f
	}
	return Times{
		Mean: figure(func(s *stats.Summary) float64 { return s.Mean }),
		P50:  percentile(50, func(s *stats.Summary) int64 { return s.P50 }),
		P90:  percentile(90, func(s *stats.Summary) int64 { return s.P90 }),
		P95:  percentile(95, func(s *stats.Summary) int64 { return s.P95 }),
		P99:  percentile(99, func(s *stats.Summary) int64 { return s.P99 }),
		Max:  figure(func(s *stats.Summary) float64 { return float64(s.Max) }),
	}
}

// causes sums the start delay by cause.
func (s *Sum) causes() []CauseSum {
	out := []CauseSum{}
	total := 0.0
	for _, c := range sim.Causes() {
		if c.Phase() >= sim.Restore {
			continue
		}
		hours := s.figure(func(x *Sample) float64 { return x.Groups[0].CausesNs[c].Float() / float64(units.Hour) })
		total += hours.Mean
		if hours.Mean > 0 {
			out = append(out, CauseSum{Cause: c.String(), Phase: c.Phase().String(), Label: c.Label(), Hours: hours})
		}
	}
	sortBy(out, func(c CauseSum) float64 { return -c.Hours.Mean })
	for i := range out {
		out[i].Share = out[i].Hours.Mean / total
	}
	return out
}

// unmatched groups the jobs that nothing fits.
func unmatched(t *sim.Trace) []Unmatched {
	type key struct{ class, wants int32 }
	counts := map[key]int{}
	var order []key
	for _, j := range t.Unmatched {
		job := t.Jobs.List[j]
		k := key{job.Class, job.Wants}
		if counts[k] == 0 {
			order = append(order, k)
		}
		counts[k]++
	}
	out := []Unmatched{}
	for _, k := range order {
		wants := t.Jobs.Wants[k.wants]
		var m demand.Match = t.World.Match([][]string{wants})[0]
		out = append(out, Unmatched{
			Class: t.World.Classes[k.class].Name, Wants: wants, Jobs: counts[k],
			Nearest: t.World.Templates[m.Nearest].Name, Missing: m.Missing, Meant: m.Meant,
		})
	}
	return out
}
