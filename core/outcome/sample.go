// Package outcome turns what runs observed into what people read: ribbons,
// delays with intervals, cost by pool and use, time lines, explanations and
// comparisons.
package outcome

import (
	"cmp"
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Sample holds the figures of one repeat, exact: its sums add up to the
// nanosecond and to the smallest unit of money.
type Sample struct {
	Repeat      int              `json:"repeat" doc:"Repeat, from 0."`
	Groups      []GroupSample    `json:"groups" doc:"All jobs first, then by class, then by template; in the order of the outcome's groups."`
	Cost        CostSample       `json:"cost" doc:"Money paid within the window."`
	Failures    []FailureSample  `json:"failures" doc:"Jobs that went wrong for good."`
	Trouble     []int64          `json:"trouble" doc:"What went wrong, in the order of the outcome's troubles; of the whole run."`
	Cache       CacheSample      `json:"cache" doc:"What the workspace cache did, in the whole run."`
	Percentiles PercentileSample `json:"percentiles" doc:"What the repeat adds to percentiles of all repeats together."`
	Lives       []LifeSample     `json:"lives,omitempty" doc:"Agents that went, by template in the order of the scenario."`
	Network     []CarriedSample  `json:"network,omitempty" doc:"What jobs fetched and sent, by class and in the order of its entries."`
	Aims        []aim.Tally      `json:"aims,omitempty" doc:"What the repeat says of each aim."`
	Events      int64            `json:"events" doc:"Events the engine went through."`

	early float64 // mean start delay of jobs that come early in the span, ns
}

// A PercentileSample is a repeat's part of percentiles of all jobs in all repeats: their mean is
// the percentile, and they vary as it does, so that differences are taken part by part.
type PercentileSample struct {
	DelayP50 float64 `json:"delayP50Ns" doc:"Of the median start delay."`
	DelayP95 float64 `json:"delayP95Ns" doc:"Of the start delay's 95th percentile."`
	LeadP95  float64 `json:"leadP95Ns" doc:"Of the lead time's 95th percentile."`
}

// A GroupSample is how one group of jobs fared in one repeat. Only jobs
// submitted within the window count.
type GroupSample struct {
	Jobs      int                         `json:"jobs" doc:"Jobs submitted."`
	Started   int                         `json:"started" doc:"Jobs that came to their own first step."`
	Ended     int                         `json:"ended" doc:"Jobs that ended."`
	Unmatched int                         `json:"unmatched" doc:"Jobs that no template fits."`
	Warm      int                         `json:"warm" doc:"Jobs that took an agent which stood idle when they came."`
	RibbonNs  []units.Sum[units.Duration] `json:"ribbonNs" doc:"Time of ended jobs by phase; adds up to leadNs."`
	CausesNs  []units.Sum[units.Duration] `json:"causesNs" doc:"Time of ended jobs by cause; adds up to leadNs."`
	LeadNs    units.Sum[units.Duration]   `json:"leadNs" doc:"Lead time of ended jobs."`
	Delay     stats.Summary               `json:"delay" doc:"Start delay of jobs that started."`
	Lead      stats.Summary               `json:"lead" doc:"Lead time of jobs that ended."`
	Results   []int                       `json:"results" doc:"Jobs by how they ended: unfinished, succeeded, out-of-memory, evicted, out-of-disk, timed-out, taken-back, dropped, gave-up, preempted, spoiled, no-tool, forgotten, orphaned."`
	Lost      int                         `json:"lost" doc:"Attempts that were cut short."`
	CostNano  units.Sum[units.Money]      `json:"costNano" doc:"Node cost that is the jobs' share, in billionths of the currency."`

	delays, leads stats.Spread // in the process that simulated it
}

// curvePoints are the percentiles at which the distribution of delays is kept.
var curvePoints = func() []float64 {
	p := make([]float64, 0, 110)
	for i := 0; i <= 99; i++ {
		p = append(p, float64(i))
	}
	return append(p, 99.5, 99.9, 100)
}()

// groupsOf names the groups of a world's jobs.
func groupsOf(w *world.World) []GroupName {
	g := []GroupName{{"all", "all jobs"}}
	for _, c := range w.Classes {
		g = append(g, GroupName{"class", c.Name})
	}
	for _, t := range w.Templates {
		g = append(g, GroupName{"template", t.Name})
	}
	return g
}

// A GroupName says which jobs a group holds.
type GroupName struct {
	By   string `json:"by" enum:"all,class,template" doc:"all, class or template."`
	Name string `json:"name" doc:"Name of the class or template."`
}

// gather collects one group's jobs.
type gather struct {
	GroupSample
	delays, leads []int64
	phases        [sim.Phases]units.Sum[units.Duration]
	causes        [sim.CauseCount]units.Sum[units.Duration]
}

const (
	// keptValues is about how many delays and lead times are kept of all repeats together,
	// leastCells and mostCells how many of one group's in a repeat.
	keptValues = 1 << 22
	leastCells = 256
	mostCells  = 8192
)

// cells is how many values are kept of each group's delays, and lead times, in a repeat.
func cells(w *world.World) int {
	spreads := 2 * w.Plan.Repeats * len(groupsOf(w))
	return min(max(keptValues/spreads, leastCells), mostCells)
}

// Measure reads the figures of one repeat off its trace.
func Measure(t *sim.Trace, repeat int) Sample {
	w := t.World
	most := cells(w)
	groups := make([]gather, len(groupsOf(w)))
	for g := range groups {
		groups[g].Results = make([]int, sim.Results)
	}
	costs, counted := JobCosts(t), CountOf(w.Aims, w)
	byClass, byTemplate := 1, 1+len(w.Classes)
	for j := range t.Records {
		job, r := &t.Jobs.List[j], &t.Records[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span {
			continue
		}
		in := [3]int{0, byClass + int(job.Class), -1}
		if r.Template >= 0 {
			in[2] = byTemplate + int(r.Template)
		}
		counted.Add(t, j)
		for _, g := range in {
			if g >= 0 {
				groups[g].add(t, j)
				groups[g].CostNano.Add(units.Money(costs[j]))
			}
		}
	}
	s := Sample{Repeat: repeat, Events: t.Events + t.Rounds + t.Scans, early: earlyDelay(t, w.Plan.Warmup, w.Early())}
	for i := range groups {
		s.Groups = append(s.Groups, groups[i].close(most))
	}
	s.Cost = costOf(t, s.Groups[0], costs)
	s.Aims = counted.Tallies(AMonth(w, s.Cost.TotalNano))
	s.Failures = failuresOf(t)
	for _, x := range troubles {
		s.Trouble = append(s.Trouble, x.of(t))
	}
	s.Lives, s.Network = livesOf(t), carriedOf(t)
	c := &t.Cache
	s.Cache = CacheSample{
		c.Hits, c.Stale, c.Misses, c.Saves, c.Kept.Mean(w.Plan.Span - w.Plan.Warmup), t.Moved[sim.StoreDown],
		t.Moved[sim.StoreUp],
	}
	return s
}

// Lean drops what only percentiles of all repeats together are taken from.
func (s *Sample) Lean() {
	for i := range s.Groups {
		s.Groups[i].delays, s.Groups[i].leads = stats.Spread{}, stats.Spread{}
	}
}

func (g *gather) add(t *sim.Trace, j int) {
	r, from := &t.Records[j], t.From(j)
	g.Jobs++
	g.Lost += int(r.Lost)
	if r.Template < 0 {
		g.Unmatched++
	} else if r.Result.Never() || r.Ended >= 0 {
		g.Results[r.Result]++
	} else {
		g.Results[sim.Unfinished]++
	}
	if r.Started >= 0 {
		g.Started++
		g.delays = append(g.delays, int64(r.Started-from))
		if r.Warm {
			g.Warm++
		}
	}
	if r.Ended >= 0 && r.Started >= 0 {
		g.Ended++
		g.leads = append(g.leads, int64(r.Ended-from))
		g.LeadNs.Add(r.Ended - from)
		t.Ribbon(j, &g.phases, &g.causes)
	}
}

func (g *gather) close(cells int) GroupSample {
	g.GroupSample.delays, g.GroupSample.leads = stats.SpreadOf(g.delays, cells), stats.SpreadOf(g.leads, cells)
	g.Delay, g.Lead = stats.Summarize(g.delays), stats.Summarize(g.leads)
	g.RibbonNs, g.CausesNs = g.phases[:], g.causes[:]
	return g.GroupSample
}

// longest returns the jobs of the window with the longest start delays, longest
// first; those that never started come first of all.
func longest(t *sim.Trace, n int) []int {
	var list []int
	delay := func(j int) units.Duration {
		if t.Records[j].Started < 0 {
			return 1<<62 - t.Jobs.List[j].Submitted
		}
		return t.Records[j].Started - t.From(j)
	}
	// A bounded selection: the list is kept sorted and never longer than 2n.
	order := func(a, b int) int { return cmp.Or(cmp.Compare(delay(b), delay(a)), cmp.Compare(a, b)) }
	for j := range t.Records {
		s := t.Jobs.List[j].Submitted
		if s < t.World.Plan.Warmup || s >= t.World.Plan.Span || t.Records[j].Template < 0 || t.Records[j].Result.Never() {
			continue
		}
		if list = append(list, j); len(list) == 2*n {
			slices.SortFunc(list, order)
			list = list[:n]
		}
	}
	slices.SortFunc(list, order)
	return list[:min(n, len(list))]
}
