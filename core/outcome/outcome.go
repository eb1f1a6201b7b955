package outcome

import (
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// Engine numbers the engine's behaviour: the same input gives the same outcome
// as long as it does not change.
const Engine = 1

// An Outcome is what simulating a scenario gave. All times are in nanoseconds;
// figures carry their 95 % interval over the repeats.
type Outcome struct {
	Scenario  string      `json:"scenario" doc:"Name of the scenario."`
	Engine    int         `json:"engine" doc:"Number of the engine's behaviour."`
	Seed      uint64      `json:"seed" doc:"Seed of every draw."`
	Repeats   int         `json:"repeats" doc:"Independent runs."`
	Start     time.Time   `json:"start" doc:"Moment at which simulated time begins."`
	Zone      string      `json:"zone" doc:"Time zone of the workload."`
	WarmupNs  int64       `json:"warmupNs" doc:"First part of the span, left out of every figure."`
	SpanNs    int64       `json:"spanNs" doc:"Simulated time in which jobs arrived."`
	Headline  string      `json:"headline" doc:"The outcome in a sentence or two."`
	Phases    []string    `json:"phases" doc:"Names of the phases of every ribbon, in order."`
	Groups    []Group     `json:"groups" doc:"How jobs fared: all, by class, by template."`
	Causes    []CauseSum  `json:"causes" doc:"What start delay was spent waiting for, most first."`
	Unmatched []Unmatched `json:"unmatched" doc:"Jobs that no template fits."`
	Cost      Cost        `json:"cost" doc:"The bill."`
	Lines     Lines       `json:"lines" doc:"Quantities over time, means over the repeats."`
	Slowest   []JobBrief  `json:"slowest" doc:"Jobs of the first repeat that waited longest."`
	Samples   []Sample    `json:"samples,omitempty" doc:"Exact figures of each repeat."`
}

// Times are a set of durations summarised. A percentile that too few jobs
// support is left out.
type Times struct {
	Mean stats.Figure  `json:"meanNs" doc:"Mean."`
	P50  *stats.Figure `json:"p50Ns,omitempty" doc:"Half are shorter."`
	P90  *stats.Figure `json:"p90Ns,omitempty" doc:"90 % are shorter."`
	P95  *stats.Figure `json:"p95Ns,omitempty" doc:"95 % are shorter."`
	P99  *stats.Figure `json:"p99Ns,omitempty" doc:"99 % are shorter."`
	Max  stats.Figure  `json:"maxNs" doc:"Longest."`
}

// A Group is how some of the jobs fared.
type Group struct {
	GroupName
	Jobs       stats.Figure   `json:"jobs" doc:"Jobs submitted in a repeat."`
	Warm       stats.Figure   `json:"warm" doc:"Share of started jobs that took an idle agent, 0 to 1."`
	Unfinished stats.Figure   `json:"unfinished" doc:"Jobs that fit a template and did not end."`
	Delay      Times          `json:"delay" doc:"Start delay: submission to the job's own first step."`
	Lead       Times          `json:"lead" doc:"Lead time: submission to end."`
	Ribbon     []stats.Figure `json:"ribbonNs" doc:"Mean time of a job in each phase."`
	Curve      []CurvePoint   `json:"curve,omitempty" doc:"Distribution of start delay; for all jobs and classes."`
}

// A CurvePoint is one point of a distribution.
type CurvePoint struct {
	Percent float64 `json:"percent" doc:"Share of jobs, 0 to 100."`
	Ns      float64 `json:"ns" doc:"Start delay that they stay within."`
}

// A CauseSum is what one cause of delay came to.
type CauseSum struct {
	Cause string       `json:"cause" doc:"Short name of the cause."`
	Phase string       `json:"phase" doc:"Phase it belongs to."`
	Label string       `json:"label" doc:"What was waited for."`
	Hours stats.Figure `json:"jobHours" doc:"Hours of start delay over all jobs of a repeat."`
	Share float64      `json:"share" doc:"Part of all start delay, 0 to 1."`
}

// Unmatched are jobs that wait for ever.
type Unmatched struct {
	Class   string   `json:"class" doc:"Class of the jobs."`
	Wants   []string `json:"wants" doc:"What they want."`
	Jobs    int      `json:"jobs" doc:"How many there are in the first repeat."`
	Nearest string   `json:"nearest" doc:"Template that offers most of it."`
	Missing []string `json:"missing" doc:"Words that it lacks."`
	Meant   []string `json:"meant" doc:"For each of them the offered word most like it, or empty."`
}

// Cost is the bill, scaled to a month of 730 h where it says so.
type Cost struct {
	Currency string       `json:"currency" doc:"Currency code."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	PerJob   stats.Figure `json:"perJob" doc:"Money paid for each job submitted."`
	Fee      float64      `json:"feePerMonth" doc:"The cluster's fixed fee, part of the bill."`
	Waiting  stats.Figure `json:"waitingPerMonth" doc:"What people's waiting is worth; not part of the bill. 0 where the scenario does not price it."`
	Pools    []PoolCost   `json:"pools" doc:"By node pool."`
	Uses     []UseCost    `json:"uses" doc:"Node cost by what the node time went to."`
}

// PoolCost is one pool's part of the bill.
type PoolCost struct {
	Pool     string       `json:"pool" doc:"Name of the pool."`
	NodeType string       `json:"nodeType" doc:"Its node type."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	Nodes    stats.Figure `json:"nodes" doc:"Nodes on average."`
}

// UseCost is node cost by use.
type UseCost struct {
	Use      string       `json:"use" enum:"work,start,idle,empty" doc:"work: agents at work; start: agents on their way; idle: agents waiting for jobs; empty: room nobody asked for, and nodes booting."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	Share    float64      `json:"share" doc:"Part of node cost, 0 to 1."`
}

// Lines are quantities over time: mean values in bins of equal width from the
// start of simulated time.
type Lines struct {
	BinNs   int64       `json:"binNs" doc:"Width of a bin."`
	Waiting []float64   `json:"waiting" doc:"Jobs submitted and not started."`
	Agents  []NamedLine `json:"agents" doc:"Agents by what they do."`
	Nodes   []NamedLine `json:"nodes" doc:"Nodes by pool, booting ones included."`
	Money   []float64   `json:"moneyPerHour" doc:"Money spent on nodes, an hour."`
}

// A NamedLine is one of several lines.
type NamedLine struct {
	Name   string    `json:"name" doc:"What it is of."`
	Values []float64 `json:"values" doc:"One value a bin."`
}

// A JobBrief is a job in a line.
type JobBrief struct {
	ID        string    `json:"id" doc:"Job."`
	Class     string    `json:"class" doc:"Its class."`
	Template  string    `json:"template" doc:"Template it got."`
	Submitted time.Time `json:"submitted" doc:"When it was submitted."`
	DelayNs   int64     `json:"delayNs" doc:"Start delay; below 0 when it never started."`
	Warm      bool      `json:"warm" doc:"It took an idle agent."`
	Phase     string    `json:"phase" doc:"Phase of the cause that cost most."`
	Reason    string    `json:"reason" doc:"What it waited for longest."`
}

// slowestKept is how many of the slowest jobs an outcome names.
const slowestKept = 25

// A Sum collects the repeats of a scenario. The order in which they are added
// does not matter.
type Sum struct {
	world   *sim.World
	samples []Sample
	lines   [][]int64 // by line: area by bin, summed over repeats
	first   *sim.Trace
}

// NewSum prepares to collect the world's repeats.
func NewSum(w *sim.World) *Sum { return &Sum{world: w, samples: make([]Sample, w.Plan.Repeats)} }

// Add takes in one repeat. Calls must not overlap.
func (s *Sum) Add(sample Sample, t *sim.Trace) {
	s.samples[sample.Repeat] = sample
	all := []sim.Line{t.Lines.Waiting}
	all = append(append(all, t.Lines.Agents[:]...), t.Lines.Nodes...)
	if s.lines == nil {
		s.lines = make([][]int64, len(all))
		for i := range all {
			s.lines[i] = make([]int64, len(all[i].Area))
		}
	}
	for i, l := range all {
		for b, a := range l.Area {
			s.lines[i][b] += a
		}
	}
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
		Phases: sim.PhaseNames[:], Samples: s.samples,
	}
	for i, name := range groupsOf(w) {
		o.Groups = append(o.Groups, s.group(i, name))
	}
	o.Causes = s.causes()
	o.Unmatched = unmatched(s.first)
	o.Cost = s.cost()
	o.Lines = s.timeLines()
	for _, j := range longest(s.first, slowestKept) {
		o.Slowest = append(o.Slowest, Brief(s.first, j))
	}
	o.Headline = headline(o)
	return o, s.first
}

// figure returns the figure of one value a repeat.
func (s *Sum) figure(value func(*Sample) float64) stats.Figure {
	values := make([]float64, len(s.samples))
	for i := range s.samples {
		values[i] = value(&s.samples[i])
	}
	return stats.Of(values)
}

func (s *Sum) group(i int, name GroupName) Group {
	fig := func(value func(*GroupSample) float64) stats.Figure {
		return s.figure(func(x *Sample) float64 { return value(&x.Groups[i]) })
	}
	g := Group{
		GroupName:  name,
		Jobs:       fig(func(g *GroupSample) float64 { return float64(g.Jobs) }),
		Warm:       fig(func(g *GroupSample) float64 { return float64(g.Warm) / float64(max(1, g.Started)) }),
		Unfinished: fig(func(g *GroupSample) float64 { return float64(g.Jobs - g.Unmatched - g.Ended) }),
		Delay: times(func(pick func(*stats.Summary) float64) stats.Figure {
			return fig(func(g *GroupSample) float64 { return pick(&g.Delay) })
		}),
		Lead: times(func(pick func(*stats.Summary) float64) stats.Figure {
			return fig(func(g *GroupSample) float64 { return pick(&g.Lead) })
		}),
	}
	for p := range sim.Phases {
		g.Ribbon = append(g.Ribbon, fig(func(g *GroupSample) float64 { return float64(g.RibbonNs[p]) / float64(max(1, g.Ended)) }))
	}
	if name.By != "template" {
		for c, p := range curvePoints {
			g.Curve = append(g.Curve, CurvePoint{p, fig(func(g *GroupSample) float64 { return float64(g.curve[c]) }).Mean})
		}
	}
	return g
}

// times summarises by a way to make figures of summaries.
func times(fig func(func(*stats.Summary) float64) stats.Figure) Times {
	count := int(fig(func(s *stats.Summary) float64 { return float64(s.Count) }).Mean)
	percentile := func(p float64, pick func(*stats.Summary) float64) *stats.Figure {
		if !stats.Supports(count, p) {
			return nil
		}
		f := fig(pick)
		return &f
	}
	return Times{
		Mean: fig(func(s *stats.Summary) float64 { return s.Mean }),
		P50:  percentile(50, func(s *stats.Summary) float64 { return float64(s.P50) }),
		P90:  percentile(90, func(s *stats.Summary) float64 { return float64(s.P90) }),
		P95:  percentile(95, func(s *stats.Summary) float64 { return float64(s.P95) }),
		P99:  percentile(99, func(s *stats.Summary) float64 { return float64(s.P99) }),
		Max:  fig(func(s *stats.Summary) float64 { return float64(s.Max) }),
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
		hours := s.figure(func(x *Sample) float64 { return float64(x.Groups[0].CausesNs[c]) / float64(units.Hour) })
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

// cost scales the repeats' bills to a month.
func (s *Sum) cost() Cost {
	w := s.world
	window := w.Plan.Span - w.Plan.Warmup
	monthly := float64(units.Month) / float64(window)
	money := func(nano int64) float64 { return units.Money(nano).Float() * monthly }
	c := Cost{
		Currency: w.Currency,
		PerMonth: s.figure(func(x *Sample) float64 { return money(x.Cost.TotalNano) }),
		PerJob: s.figure(func(x *Sample) float64 {
			return units.Money(x.Cost.TotalNano).Float() / float64(max(1, x.Groups[0].Jobs))
		}),
		Fee:     s.figure(func(x *Sample) float64 { return money(x.Cost.FeeNano) }).Mean,
		Waiting: s.figure(func(x *Sample) float64 { return money(x.Cost.WaitingNano) }),
	}
	for p, pool := range w.Pools {
		c.Pools = append(c.Pools, PoolCost{
			Pool: pool.Name, NodeType: pool.Type,
			PerMonth: s.figure(func(x *Sample) float64 { return money(x.Cost.Pools[p].Nano) }),
			Nodes:    s.figure(func(x *Sample) float64 { return float64(x.Cost.Pools[p].NodeNs) / float64(window) }),
		})
	}
	total := 0.0
	for u, name := range sim.UseNames {
		f := s.figure(func(x *Sample) float64 {
			var sum int64
			for _, p := range x.Cost.Pools {
				sum += p.Uses[u]
			}
			return money(sum)
		})
		total += f.Mean
		c.Uses = append(c.Uses, UseCost{Use: name, PerMonth: f})
	}
	for i := range c.Uses {
		if total > 0 {
			c.Uses[i].Share = c.Uses[i].PerMonth.Mean / total
		}
	}
	return c
}

func (s *Sum) timeLines() Lines {
	width := s.first.Lines.Width
	mean := func(areas []int64) []float64 {
		out := make([]float64, len(areas))
		for b, a := range areas {
			in := min(units.Duration(b+1)*width, s.world.Plan.Span) - units.Duration(b)*width
			out[b] = rounded(float64(a) / float64(in) / float64(len(s.samples)))
		}
		return out
	}
	l := Lines{BinNs: int64(width), Waiting: mean(s.lines[0]), Money: make([]float64, len(s.lines[0]))}
	for g, name := range sim.GroupNames {
		l.Agents = append(l.Agents, NamedLine{name, mean(s.lines[1+g])})
	}
	for p, pool := range s.world.Pools {
		line := NamedLine{pool.Name, mean(s.lines[1+sim.Groups+p])}
		l.Nodes = append(l.Nodes, line)
		for b, v := range line.Values {
			l.Money[b] = rounded(l.Money[b] + v*units.Money(pool.Price).Float())
		}
	}
	return l
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
