// Package outcome turns what runs observed into what people read: ribbons,
// delays with intervals, cost by pool and use, time lines, explanations and
// comparisons.
package outcome

import (
	"cmp"
	"slices"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Sample holds the figures of one repeat, exact: its sums add up to the
// nanosecond and to the smallest unit of money.
type Sample struct {
	Repeat int           `json:"repeat" doc:"Repeat, from 0."`
	Groups []GroupSample `json:"groups" doc:"All jobs first, then by class, then by template; in the order of the outcome's groups."`
	Cost   CostSample    `json:"cost" doc:"Money paid within the window."`
	Events int64         `json:"events" doc:"Events the engine went through."`
}

// A GroupSample is how one group of jobs fared in one repeat. Only jobs
// submitted within the window count.
type GroupSample struct {
	Jobs      int           `json:"jobs" doc:"Jobs submitted."`
	Started   int           `json:"started" doc:"Jobs that came to their own first step."`
	Ended     int           `json:"ended" doc:"Jobs that ended."`
	Unmatched int           `json:"unmatched" doc:"Jobs that no template fits."`
	Warm      int           `json:"warm" doc:"Jobs that took an idle agent."`
	RibbonNs  []int64       `json:"ribbonNs" doc:"Time of ended jobs by phase; adds up to leadNs."`
	CausesNs  []int64       `json:"causesNs" doc:"Time of ended jobs by cause; adds up to leadNs."`
	LeadNs    int64         `json:"leadNs" doc:"Lead time of ended jobs."`
	Delay     stats.Summary `json:"delay" doc:"Start delay of jobs that started."`
	Lead      stats.Summary `json:"lead" doc:"Lead time of jobs that ended."`
	curve     []int64       // start delay at curvePoints
}

// A CostSample is the bill of one repeat, in billionths of the currency.
type CostSample struct {
	TotalNano   int64        `json:"totalNano" doc:"Everything paid: pools and fee."`
	Pools       []PoolSample `json:"pools" doc:"By node pool."`
	FeeNano     int64        `json:"feeNano" doc:"The cluster's fixed fee."`
	WaitingNano int64        `json:"waitingNano" doc:"What the waiting of people is worth; not part of the total."`
}

// A PoolSample is one pool's part of the bill.
type PoolSample struct {
	Nano   int64   `json:"nano" doc:"Cost of the pool's nodes; the sum of its uses."`
	Uses   []int64 `json:"usesNano" doc:"Its cost by use: work, start, idle, empty."`
	NodeNs int64   `json:"nodeNs" doc:"Node time paid for."`
	Nodes  int     `json:"nodes" doc:"Nodes that lived within the window."`
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
func groupsOf(w *sim.World) []GroupName {
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
	phases        [sim.Phases]units.Duration
	causes        [sim.CauseCount]units.Duration
}

// Measure reads the figures of one repeat off its trace.
func Measure(t *sim.Trace, repeat int) Sample {
	w := t.World
	groups := make([]gather, len(groupsOf(w)))
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
		for _, g := range in {
			if g >= 0 {
				groups[g].add(t, j)
			}
		}
	}
	s := Sample{Repeat: repeat, Events: t.Events + t.Rounds + t.Scans}
	for i := range groups {
		s.Groups = append(s.Groups, groups[i].close())
	}
	s.Cost = costOf(t, s.Groups[0])
	return s
}

func (g *gather) add(t *sim.Trace, j int) {
	r, submitted := &t.Records[j], t.Jobs.List[j].Submitted
	g.Jobs++
	if r.Template < 0 {
		g.Unmatched++
	}
	if r.Started >= 0 {
		g.Started++
		g.delays = append(g.delays, int64(r.Started-submitted))
		if r.Warm {
			g.Warm++
		}
	}
	if r.Ended >= 0 {
		g.Ended++
		g.leads = append(g.leads, int64(r.Ended-submitted))
		g.LeadNs += int64(r.Ended - submitted)
		t.Ribbon(j, &g.phases, &g.causes)
	}
}

func (g *gather) close() GroupSample {
	g.Delay, g.Lead = stats.Summarize(g.delays), stats.Summarize(g.leads)
	for _, p := range curvePoints {
		g.curve = append(g.curve, stats.Percentile(g.delays, p))
	}
	for _, d := range g.phases {
		g.RibbonNs = append(g.RibbonNs, int64(d))
	}
	for _, d := range g.causes {
		g.CausesNs = append(g.CausesNs, int64(d))
	}
	return g.GroupSample
}

// costOf adds up the bill: each node's is its price for its time, rounded once,
// and split by what the time went to so that the parts add up to it.
func costOf(t *sim.Trace, all GroupSample) CostSample {
	w := t.World
	c := CostSample{Pools: make([]PoolSample, len(w.Pools))}
	for i := range c.Pools {
		c.Pools[i].Uses = make([]int64, sim.Uses)
	}
	for _, n := range t.Nodes {
		p := &c.Pools[n.Pool]
		bill := w.Pools[n.Pool].Price.For(n.Billed)
		for u, part := range bill.Split(n.Spent[:]) {
			p.Uses[u] += int64(part)
		}
		p.Nano += int64(bill)
		p.NodeNs += int64(n.Billed)
		if n.Billed > 0 {
			p.Nodes++
		}
		c.TotalNano += int64(bill)
	}
	c.FeeNano = int64(w.Fee.For(w.Plan.Span - w.Plan.Warmup))
	c.TotalNano += c.FeeNano
	var delay units.Duration
	for p, d := range all.RibbonNs {
		if sim.Phase(p) < sim.Restore {
			delay += units.Duration(d)
		}
	}
	c.WaitingNano = int64(w.Waiting.For(delay))
	return c
}

// longest returns the jobs of the window with the longest start delays, longest
// first; those that never started come first of all.
func longest(t *sim.Trace, n int) []int {
	var list []int
	delay := func(j int) units.Duration {
		if t.Records[j].Started < 0 {
			return 1<<62 - t.Jobs.List[j].Submitted
		}
		return t.Records[j].Started - t.Jobs.List[j].Submitted
	}
	// A bounded selection: the list is kept sorted and never longer than 2n.
	order := func(a, b int) int { return cmp.Or(cmp.Compare(delay(b), delay(a)), cmp.Compare(a, b)) }
	for j := range t.Records {
		s := t.Jobs.List[j].Submitted
		if s < t.World.Plan.Warmup || s >= t.World.Plan.Span || t.Records[j].Template < 0 {
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
