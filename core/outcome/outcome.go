package outcome

import (
	"slices"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// Engine numbers the engine's behaviour: the same input gives the same outcome
// as long as it does not change.
const Engine = 2

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
	Limits    []Limit     `json:"limits" doc:"Ceilings, quotas and full pools that jobs of the first repeat waited at, what cost most first."`
	Troubles  []Trouble   `json:"troubles" doc:"What went wrong; only what did."`
	Cache     *Cache      `json:"cache,omitempty" doc:"What the workspace cache did; absent without one."`
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
	Failed     stats.Figure   `json:"failed" doc:"Jobs that ended badly or were dropped."`
	NodeCost   stats.Figure   `json:"nodeCost" doc:"Node cost that is a job's own share, on average: by what its agent requests over its time."`
	Delay      Times          `json:"delay" doc:"Start delay: submission to the job's own first step."`
	Lead       Times          `json:"lead" doc:"Lead time: submission to end."`
	Ribbon     []stats.Figure `json:"ribbonNs" doc:"Mean time of a job in each phase."`
	WorkParts  []WorkPart     `json:"workParts" doc:"What the mean job's work phase is made of; only what is there."`
	Curve      []CurvePoint   `json:"curve,omitempty" doc:"Distribution of start delay; for all jobs and classes."`
}

// A WorkPart is a part of the work phase.
type WorkPart struct {
	Cause string       `json:"cause" enum:"work,cold,stretch,lost,rerun" doc:"work: the job's own; cold: what a warm cache would have spared; stretch: CPU wanted and not given; lost: attempts cut short; rerun: waiting to run again."`
	Ns    stats.Figure `json:"ns" doc:"Mean time of a job that ended."`
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
	Currency   string       `json:"currency" doc:"Currency code."`
	PerMonth   stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	PerJob     stats.Figure `json:"perJob" doc:"Money paid for each job submitted."`
	Parts      []CostPart   `json:"parts" doc:"What is not node time, a month; only what is paid for."`
	Floor      stats.Figure `json:"floorPerMonth" doc:"The floor under the bill: the CPU and memory of the work itself at the cheapest prices that could hold it, and the fixed fee. No design on these pools can cost less."`
	TimesFloor stats.Figure `json:"timesFloor" doc:"The bill over its floor."`
	Waiting    stats.Figure `json:"waitingPerMonth" doc:"What people's waiting is worth; not part of the bill. 0 where the scenario does not price it."`
	Pools      []PoolCost   `json:"pools" doc:"By node pool."`
	Uses       []UseCost    `json:"uses" doc:"Node cost by what the node time went to."`
}

// PoolCost is one pool's part of the bill.
type PoolCost struct {
	Pool     string       `json:"pool" doc:"Name of the pool."`
	NodeType string       `json:"nodeType" doc:"Its node type."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	Nodes    stats.Figure `json:"nodes" doc:"Nodes on average."`
}

// A CostPart is a part of the bill that is not node time.
type CostPart struct {
	Part     string       `json:"part" doc:"What is paid for."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
}

// A Trouble is something that went wrong.
type Trouble struct {
	Key   string       `json:"key" doc:"Short name."`
	Label string       `json:"label" doc:"What went wrong."`
	Count stats.Figure `json:"count" doc:"How often, in a repeat."`
}

// Cache is what the workspace cache did.
type Cache struct {
	Found  stats.Figure `json:"found" doc:"Share of jobs with a cache plan that found their workspace up to date, 0 to 1."`
	Stale  stats.Figure `json:"stale" doc:"Share that found it out of date."`
	Saves  stats.Figure `json:"saves" doc:"Archives saved in a repeat."`
	KeptGB stats.Figure `json:"keptGB" doc:"In the store, on average."`
	DownGB stats.Figure `json:"downGB" doc:"Brought from the store in a repeat."`
	UpGB   stats.Figure `json:"upGB" doc:"Sent to the store in a repeat."`
}

// UseCost is node cost by use.
type UseCost struct {
	Use      string       `json:"use" enum:"work,start,lost,idle,stranded,empty" doc:"work: agents at work; start: agents on their way; lost: attempts that were cut short; idle: agents waiting for jobs; stranded: room too small for any agent; empty: room nobody asked for, and nodes booting."`
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
	CPU     []NamedLine `json:"cpu" doc:"Cores of ready nodes: room for agents, requested by them, used by jobs at work where that is known."`
	Memory  []NamedLine `json:"memory" doc:"GiB of ready nodes, likewise."`
	Stored  []float64   `json:"storedGB,omitempty" doc:"GB in the cache store; absent without archives."`
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
	all := t.Lines.All()
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
	o.Limits = limitsOf(s.first)
	o.Troubles = s.troubles()
	o.Cache = s.cache()
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
		WorkParts:  []WorkPart{},
		Jobs:       fig(func(g *GroupSample) float64 { return float64(g.Jobs) }),
		Warm:       fig(func(g *GroupSample) float64 { return float64(g.Warm) / float64(max(1, g.Started)) }),
		Unfinished: fig(func(g *GroupSample) float64 { return float64(g.Results[sim.Unfinished]) }),
		Failed: fig(func(g *GroupSample) float64 {
			n := 0
			for r := sim.OutOfMemory; r < sim.Results; r++ {
				n += g.Results[r]
			}
			return float64(n)
		}),
		NodeCost: fig(func(g *GroupSample) float64 { return units.Money(g.CostNano).Float() / float64(max(1, g.Jobs)) }),
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
	for c := sim.Working; c <= sim.Rerun; c++ {
		if f := fig(func(g *GroupSample) float64 { return float64(g.CausesNs[c]) / float64(max(1, g.Ended)) }); f.Mean > 0 {
			g.WorkParts = append(g.WorkParts, WorkPart{c.String(), f})
		}
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
		Floor:      s.figure(func(x *Sample) float64 { return money(x.Cost.FloorNano) }),
		TimesFloor: s.figure(func(x *Sample) float64 { return float64(x.Cost.TotalNano) / float64(max(1, x.Cost.FloorNano)) }),
		Parts:      []CostPart{},
		Waiting:    s.figure(func(x *Sample) float64 { return money(x.Cost.WaitingNano) }),
	}
	for i, p := range s.samples[0].Cost.Parts {
		if f := s.figure(func(x *Sample) float64 { return money(x.Cost.Parts[i].Nano) }); f.Mean > 0 {
			c.Parts = append(c.Parts, CostPart{p.Part, f})
		}
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
	at := 1 + sim.Groups + len(s.world.Pools)
	scaled := func(i int, by float64) []float64 {
		out := mean(s.lines[i])
		for b := range out {
			out[b] = rounded(out[b] * float64(units.Microsecond) / by)
		}
		return out
	}
	for k, name := range lineKinds {
		l.CPU = append(l.CPU, NamedLine{name, scaled(at+2*k, 1000)})
		l.Memory = append(l.Memory, NamedLine{name, scaled(at+2*k+1, 1024)})
	}
	if slices.ContainsFunc(s.world.Rules, func(r document.CacheRule) bool { return r.Plan == document.Archive }) {
		l.Stored = scaled(at+2*sim.LineKinds, float64(units.GB)/(1<<20))
	}
	return l
}

// lineKinds name the lines of CPU and memory.
var lineKinds = [sim.LineKinds]string{"room", "requested", "used"}

// troubles lists what went wrong.
func (s *Sum) troubles() []Trouble {
	out := []Trouble{}
	for i, x := range troubles {
		if f := s.figure(func(x *Sample) float64 { return float64(x.Trouble[i]) }); f.Mean > 0 {
			out = append(out, Trouble{x.key, x.label, f})
		}
	}
	return out
}

// cache sums up what the workspace cache did; nil when no class has a plan.
func (s *Sum) cache() *Cache {
	if len(s.world.Scopes) == 0 {
		return nil
	}
	fig := func(of func(*CacheSample) float64) stats.Figure {
		return s.figure(func(x *Sample) float64 { return of(&x.Cache) })
	}
	tried := func(c *CacheSample) float64 { return float64(max(1, c.Hits+c.Stale+c.Misses)) }
	gb := float64(units.GB)
	return &Cache{
		Found:  fig(func(c *CacheSample) float64 { return float64(c.Hits) / tried(c) }),
		Stale:  fig(func(c *CacheSample) float64 { return float64(c.Stale) / tried(c) }),
		Saves:  fig(func(c *CacheSample) float64 { return float64(c.Saves) }),
		KeptGB: fig(func(c *CacheSample) float64 { return c.KeptBytes / gb }),
		DownGB: fig(func(c *CacheSample) float64 { return float64(c.DownBytes) / gb }),
		UpGB:   fig(func(c *CacheSample) float64 { return float64(c.UpBytes) / gb }),
	}
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

// Fill makes the lists empty that an outcome of an earlier engine did not have.
func (o *Outcome) Fill() {
	orEmpty(&o.Limits)
	orEmpty(&o.Troubles)
	orEmpty(&o.Cost.Parts)
	orEmpty(&o.Lines.CPU)
	orEmpty(&o.Lines.Memory)
	for i := range o.Groups {
		orEmpty(&o.Groups[i].WorkParts)
	}
}

func orEmpty[T any](list *[]T) {
	if *list == nil {
		*list = []T{}
	}
}
