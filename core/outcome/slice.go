package outcome

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Filter says which jobs of a first repeat are meant. The zero value means all of them.
type Filter struct {
	From, To time.Time // submitted from, and before; zero: whenever
	Class    string
	Template string // none: no template fits
	Result   string
	Cause    string // what they waited for longest before they started
	Text     string // in their names
}

// A Slice is what became of some jobs of the first repeat: what was brushed of an outcome. Figures are of one run, without
// intervals.
type Slice struct {
	From     time.Time   `json:"from" doc:"When the part begins."`
	To       time.Time   `json:"to" doc:"When it ends."`
	Jobs     int         `json:"jobs" doc:"Jobs submitted in it."`
	Started  int         `json:"started" doc:"Of these, those that started."`
	Wrong    int         `json:"wrong" doc:"Of these, those that did not succeed."`
	Delay    PartTimes   `json:"delay" doc:"Start delay of those that started."`
	RibbonNs []int64     `json:"ribbonNs" doc:"Mean time by phase, of those that ended."`
	Causes   []PartCause `json:"causes" doc:"What those that ended waited for before they started, the most first."`
	Classes  []PartClass `json:"classes" doc:"The same by class, the most jobs first."`
	Money    float64     `json:"money" doc:"What all nodes cost in this time, by the clock."`
	Own      float64     `json:"own" doc:"The jobs' own share of node cost."`
	Currency string      `json:"currency" doc:"Currency."`
}

// PartTimes sum up times in ns; percentiles that too few jobs bear are absent.
type PartTimes struct {
	MeanNs float64 `json:"meanNs" doc:"Mean."`
	P50Ns  *int64  `json:"p50Ns,omitempty" doc:"Half are within."`
	P95Ns  *int64  `json:"p95Ns,omitempty" doc:"95 % are within."`
	MaxNs  int64   `json:"maxNs" doc:"The longest."`
}

// PartCause is what jobs waited for.
type PartCause struct {
	Cause    string  `json:"cause" doc:"What it is."`
	Label    string  `json:"label" doc:"The same in words."`
	Phase    string  `json:"phase" doc:"Phase that it belongs to."`
	JobHours float64 `json:"jobHours" doc:"Hours that jobs waited for it, added up."`
	Share    float64 `json:"share" doc:"Share of all waiting."`
}

// PartClass is the jobs of one class.
type PartClass struct {
	Name     string    `json:"name" doc:"Name of the class."`
	Jobs     int       `json:"jobs" doc:"Its jobs."`
	Delay    PartTimes `json:"delay" doc:"Start delay of those that started."`
	RibbonNs []int64   `json:"ribbonNs" doc:"Mean time by phase, of those that ended."`
}

// A Looker looks at the jobs of a first repeat. Its methods may be called from several goroutines.
type Looker struct {
	*Rower
}

// NewLooker prepares to look at a trace's jobs.
func NewLooker(t *sim.Trace) *Looker { return &Looker{NewRower(t)} }

// cause is what a job waited for longest before it started; ok is false where it waited for nothing, or never started.
func (l *Looker) cause(j int) (longest sim.Cause, ok bool) {
	if l.t.Records[j].Started < 0 {
		return 0, false
	}
	most := units.Duration(0)
	l.t.EachStay(j, func(s sim.Stay) {
		if d := s.To - s.From; s.Cause.Phase() < sim.Restore && d > most {
			most, longest, ok = d, s.Cause, true
		}
	})
	return longest, ok
}

// NoTemplate stands for no template in a filter.
const NoTemplate = "none"

// Jobs are the jobs that a filter means, in the order of their submission.
func (l *Looker) Jobs(f Filter) []int32 {
	w := l.t.World
	from, to := units.Duration(0), units.Duration(1<<62)
	if !f.From.IsZero() {
		from = units.Duration(f.From.Sub(w.Start))
	}
	if !f.To.IsZero() {
		to = units.Duration(f.To.Sub(w.Start))
	}
	out := []int32{}
	for j := range l.t.Records {
		job, r := &l.t.Jobs.List[j], &l.t.Records[j]
		switch {
		case l.t.From(j) < from || l.t.From(j) >= to,
			f.Class != "" && w.Classes[job.Class].Name != f.Class,
			f.Template == NoTemplate && r.Template >= 0,
			f.Template != "" && f.Template != NoTemplate && (r.Template < 0 || w.Templates[r.Template].Name != f.Template),
			f.Result != "" && r.Result.String() != f.Result,
			f.Text != "" && !strings.Contains(l.t.Jobs.ID(j), f.Text):
			continue
		}
		if f.Cause != "" {
			if c, ok := l.cause(j); !ok || c.String() != f.Cause {
				continue
			}
		}
		out = append(out, int32(j))
	}
	return out
}

// Orders are what jobs can be sorted by.
func Orders() []string {
	return []string{"submitted", "id", "class", "template", "result", "cause", "delay", "lead", "cost"}
}

// Sort puts jobs into an order, those that are alike by their submission. It is an error where there is no such order.
func (l *Looker) Sort(jobs []int32, by string, down bool) error {
	t := l.t
	var number func(j int) int64
	var word func(j int) string
	switch by {
	case "", "submitted":
		number = func(j int) int64 { return int64(t.From(j)) }
	case "id":
		word = t.Jobs.ID
	case "class":
		word = func(j int) string { return t.World.Classes[t.Jobs.List[j].Class].Name }
	case "template":
		word = func(j int) string {
			if t.Records[j].Template < 0 {
				return ""
			}
			return t.World.Templates[t.Records[j].Template].Name
		}
	case "result":
		word = func(j int) string { return t.Records[j].Result.String() }
	case "cause":
		word = func(j int) string {
			if c, ok := l.cause(j); ok {
				return c.String()
			}
			return ""
		}
	case "delay": // what never started waits longest
		number = func(j int) int64 {
			if t.Records[j].Started < 0 {
				return 1<<63 - 1
			}
			return int64(t.Records[j].Started - t.From(j))
		}
	case "lead":
		number = func(j int) int64 {
			if t.Records[j].Ended < 0 || t.Records[j].Started < 0 {
				return 1<<63 - 1
			}
			return int64(t.Records[j].Ended - t.From(j))
		}
	case "cost":
		number = func(j int) int64 { return l.costs[j] }
	default:
		return fmt.Errorf("jobs are not sorted by %q; by one of %s", by, strings.Join(Orders(), ", "))
	}
	type keyed struct {
		number int64
		word   string
		job    int32
	}
	list := make([]keyed, len(jobs))
	for i, j := range jobs {
		list[i].job = j
		if number != nil {
			list[i].number = number(int(j))
		} else {
			list[i].word = word(int(j))
		}
	}
	slices.SortFunc(list, func(a, b keyed) int {
		c := cmp.Compare(a.number, b.number)
		if word != nil {
			c = strings.Compare(a.word, b.word)
		}
		if down {
			c = -c
		}
		return cmp.Or(c, cmp.Compare(a.job, b.job))
	})
	for i := range list {
		jobs[i] = list[i].job
	}
	return nil
}

// Slice sums up what became of the jobs that a filter means. Jobs of the warm-up, and those that come after the span, are
// left out, as in every figure.
func (l *Looker) Slice(f Filter) Slice {
	t, w := l.t, l.t.World
	at := func(d units.Duration) time.Time { return w.Start.Add(time.Duration(d)).UTC() }
	p := Slice{From: f.From.UTC(), To: f.To.UTC(), Causes: []PartCause{}, Classes: []PartClass{}, Currency: w.Currency}
	if begin := at(w.Plan.Warmup); p.From.Before(begin) {
		p.From = begin
	}
	if end := at(w.Plan.Span); f.To.IsZero() || p.To.After(end) {
		p.To = end
	}
	groups := make([]gather, 1+len(w.Classes))
	for g := range groups {
		groups[g].Results = make([]int, sim.Results)
	}
	own := units.Sum[units.Money]{}
	for _, j := range l.Jobs(f) {
		if at := t.Jobs.List[j].Submitted; at < w.Plan.Warmup || at >= w.Plan.Span {
			continue
		}
		groups[0].add(t, int(j))
		groups[1+t.Jobs.List[j].Class].add(t, int(j))
		own.Add(units.Money(l.costs[j]))
	}
	all := &groups[0]
	p.Jobs, p.Started, p.Wrong = all.Jobs, all.Started, all.Jobs-all.Results[sim.Succeeded]
	p.Delay, p.RibbonNs = timesOf(all.delays), meanRibbon(all)
	p.Own, p.Money = float64(units.AmountOf(own)), l.money(p.From, p.To)
	total := 0.0
	for _, c := range sim.Causes() {
		if hours := all.causes[c].Float() / float64(units.Hour); c.Phase() < sim.Restore && hours > 0 {
			total += hours
			p.Causes = append(p.Causes, PartCause{Cause: c.String(), Label: c.Label(), Phase: c.Phase().String(), JobHours: hours})
		}
	}
	sortBy(p.Causes, func(c PartCause) float64 { return -c.JobHours })
	for i := range p.Causes {
		p.Causes[i].Share = p.Causes[i].JobHours / total
	}
	for i := range w.Classes {
		if g := &groups[1+i]; g.Jobs > 0 {
			p.Classes = append(p.Classes, PartClass{w.Classes[i].Name, g.Jobs, timesOf(g.delays), meanRibbon(g)})
		}
	}
	sortBy(p.Classes, func(c PartClass) float64 { return -float64(c.Jobs) })
	return p
}

// money is what all nodes cost between two moments, by the clock: as the line of money over time has it.
func (l *Looker) money(from, to time.Time) float64 {
	t, w := l.t, l.t.World
	a, b := units.Duration(from.Sub(w.Start)), units.Duration(to.Sub(w.Start))
	total := 0.0
	for p, pool := range w.Pools {
		means := binMeans(t.Lines.Nodes[p], t.Lines.Width, w.Plan.Span)
		for i, nodes := range means {
			begin := units.Duration(i) * t.Lines.Width
			if in := min(b, begin+t.Lines.Width, w.Plan.Span) - max(a, begin); in > 0 {
				total += float64(nodes * units.Money(pool.Price).Float() * float64(in) / float64(units.Hour))
			}
		}
	}
	return total
}

func timesOf(ns []int64) (out PartTimes) {
	if len(ns) == 0 {
		return out
	}
	s := stats.Summarize(ns)
	out.MeanNs, out.MaxNs = s.Mean, s.Max
	if stats.Supports(len(ns), 50) {
		out.P50Ns = &s.P50
	}
	if stats.Supports(len(ns), 95) {
		out.P95Ns = &s.P95
	}
	return out
}

func meanRibbon(g *gather) []int64 {
	out := make([]int64, sim.Phases)
	for p := range out {
		out[p] = int64(g.phases[p].Float() / float64(max(1, g.Ended)))
	}
	return out
}
