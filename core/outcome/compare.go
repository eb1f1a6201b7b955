package outcome

import (
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Comparison holds outcomes beside each other. Differences are against the
// first.
type Comparison struct {
	Scenarios []string `json:"scenarios" doc:"Names of the scenarios, in order."`
	Paired    bool     `json:"paired" doc:"The outcomes share seed, repeats, span and jobs, so that differences are taken repeat by repeat and what they share cancels."`
	Note      string   `json:"note" doc:"What to keep in mind."`
	Headline  string   `json:"headline" doc:"The comparison in a sentence or two."`
	Metrics   []Metric `json:"metrics" doc:"Figures beside each other."`
	Design    []Change `json:"design" doc:"What differs in the scenarios."`
}

// A Metric is one figure of every outcome.
type Metric struct {
	Key         string         `json:"key" doc:"Short name."`
	Label       string         `json:"label" doc:"What it is."`
	Unit        string         `json:"unit" enum:"ns,money,share,ratio,count" doc:"ns, money, share (0 to 1), ratio or count."`
	Values      []stats.Figure `json:"values" doc:"One for each outcome."`
	Differences []stats.Figure `json:"differences" doc:"Each outcome less the first."`
	Sure        []bool         `json:"sure" doc:"The difference's 95 % interval leaves zero out; of recorded jobs, for the very week that was recorded."`
	SureAlike   []bool         `json:"sureAlike" doc:"It does for all weeks like it. Of made jobs it is the same, as each repeat has a week of its own."`
	TooFew      []bool         `json:"tooFew" doc:"Too few jobs say this of the outcome: its value is a guess without an interval, and no difference to it is sure."`
}

// A Change is a field of the scenario that is not the same everywhere.
type Change struct {
	Path   string   `json:"path" doc:"Field."`
	Values []string `json:"values" doc:"Its value in each scenario, empty where it is absent."`
}

// A measure is one figure that is compared.
type measure struct {
	key, label, unit string
	of               func(o *Outcome, s *Sample) float64 // of one repeat
	// Of a percentile of all repeats together: it, and that of a run's own.
	percentile func(*Outcome) *stats.Figure
	own        func(*Sample) int64
	always     bool // outcomes of before it was told do not have it
}

func plain(key, label, unit string, of func(*Outcome, *Sample) float64) measure {
	return measure{key: key, label: label, unit: unit, of: of}
}

// later is a measure that is read off what stays on.
func later(key, label, unit string, of func(*Outcome, *Sample) float64) measure {
	return measure{key: key, label: label, unit: unit, of: of, always: true}
}

// monthly scales an amount of one repeat to a month.
func (o *Outcome) monthly(nano units.Sum[units.Money]) float64 {
	return float64(units.AmountOf(nano)) * float64(units.Month) / float64(o.SpanNs-o.WarmupNs)
}

// run is what the measure is in one run by itself.
func (m *measure) run(o *Outcome, s *Sample) float64 {
	if m.own != nil {
		return float64(m.own(s))
	}
	return m.of(o, s)
}

// measures are what is compared, read off one repeat.
var measures = []measure{
	plain("wrong", "jobs that go wrong for good", "count", func(_ *Outcome, s *Sample) float64 {
		return float64(s.Groups[0].Jobs - s.Groups[0].Results[sim.Succeeded])
	}),
	plain("started", "jobs that start", "count", func(_ *Outcome, s *Sample) float64 { return float64(s.Groups[0].Started) }),
	{
		key: "delay-p95", label: "start delay, 95th percentile", unit: "ns", of: func(_ *Outcome, s *Sample) float64 { return s.Percentiles.DelayP95 },
		percentile: func(o *Outcome) *stats.Figure { return o.Groups[0].Delay.P95 }, own: func(s *Sample) int64 { return s.Groups[0].Delay.P95 },
	},
	{
		key: "delay-p50", label: "start delay, median", unit: "ns", of: func(_ *Outcome, s *Sample) float64 { return s.Percentiles.DelayP50 },
		percentile: func(o *Outcome) *stats.Figure { return o.Groups[0].Delay.P50 }, own: func(s *Sample) int64 { return s.Groups[0].Delay.P50 },
	},
	plain("delay-mean", "start delay, mean", "ns", func(_ *Outcome, s *Sample) float64 { return s.Groups[0].Delay.Mean }),
	plain("lead-mean", "lead time, mean", "ns", func(_ *Outcome, s *Sample) float64 { return s.Groups[0].Lead.Mean }),
	{
		key: "lead-p95", label: "lead time, 95th percentile", unit: "ns", of: func(_ *Outcome, s *Sample) float64 { return s.Percentiles.LeadP95 },
		percentile: func(o *Outcome) *stats.Figure { return o.Groups[0].Lead.P95 }, own: func(s *Sample) int64 { return s.Groups[0].Lead.P95 },
	},
	plain("cost-month", "cost a month", "money", func(o *Outcome, s *Sample) float64 {
		return o.monthly(s.Cost.TotalNano)
	}),
	plain("cost-year", "cost a year", "money", func(o *Outcome, s *Sample) float64 {
		return 12 * o.monthly(s.Cost.TotalNano)
	}),
	later("always-month", "cost a month with its most nodes always on", "money", func(o *Outcome, s *Sample) float64 {
		return o.monthly(s.Cost.Always.AllNano)
	}),
	later("hours-month", "cost a month with those off outside working hours", "money", func(o *Outcome, s *Sample) float64 {
		return o.monthly(s.Cost.Always.HoursNano)
	}),
	later("outside-share", "jobs that come outside working hours", "share", func(_ *Outcome, s *Sample) float64 {
		return float64(s.Cost.Always.Outside) / float64(max(1, s.Groups[0].Jobs))
	}),
	plain("cost-job", "cost a job", "money", func(_ *Outcome, s *Sample) float64 {
		return float64(units.AmountOf(s.Cost.TotalNano)) / float64(max(1, s.Groups[0].Jobs))
	}),
	plain("waiting-month", "worth of waiting a month, not paid", "money", func(o *Outcome, s *Sample) float64 {
		return o.monthly(s.Cost.WaitingNano)
	}),
	plain("empty-share", "node time with nobody on it", "share", useShare(sim.UseEmpty)),
	plain("idle-share", "node time held by idle agents", "share", useShare(sim.UseIdle)),
	plain("stranded-share", "node time too small for any agent", "share", useShare(sim.UseStranded)),
	plain("lost-share", "node time of attempts cut short", "share", useShare(sim.UseLost)),
	plain("times-floor", "bill over the floor under it", "ratio", func(_ *Outcome, s *Sample) float64 {
		return timesFloor(&s.Cost)
	}),
	plain("warm-share", "jobs that found an idle agent", "share", func(_ *Outcome, s *Sample) float64 {
		return float64(s.Groups[0].Warm) / float64(max(1, s.Groups[0].Started))
	}),
	plain("unfinished", "jobs that did not end", "count", func(_ *Outcome, s *Sample) float64 {
		return float64(s.Groups[0].Results[sim.Unfinished])
	}),
	plain("memory-kills", "attempts ended for want of memory", "count", trouble("out-of-memory")),
	plain("evictions", "agents evicted from nodes short of memory", "count", trouble("evicted")),
	plain("stretch-mean", "CPU wanted and not given, mean of a job", "ns", func(_ *Outcome, s *Sample) float64 {
		return s.Groups[0].CausesNs[sim.Stretched].Over(s.Groups[0].Ended)
	}),
	plain("lost", "attempts cut short", "count", func(_ *Outcome, s *Sample) float64 { return float64(s.Groups[0].Lost) }),
}

func useShare(u sim.Use) func(*Outcome, *Sample) float64 {
	return func(_ *Outcome, s *Sample) float64 {
		var part, whole units.Sum[units.Money]
		for _, p := range s.Cost.Pools {
			part, whole = part.Plus(p.Uses[u]), whole.Plus(p.Nano)
		}
		return part.Float() / max(1, whole.Float())
	}
}

// trouble counts one kind of what went wrong, in the whole run.
func trouble(key string) func(*Outcome, *Sample) float64 {
	i := 0
	for troubles[i].key != key {
		i++
	}
	return func(_ *Outcome, s *Sample) float64 {
		if i >= len(s.Trouble) {
			return 0
		}
		return float64(s.Trouble[i])
	}
}

// Compare holds outcomes beside each other; there must be two at least. designs
// are the scenarios' documents as JSON, in the same order; demands name the
// jobs each outcome was simulated with.
func Compare(list []*Outcome, designs [][]byte, demands []string) Comparison {
	first := list[0]
	c := Comparison{Paired: true, Design: []Change{}}
	for i, o := range list {
		c.Scenarios = append(c.Scenarios, o.Scenario)
		if o.Seed != first.Seed || o.Repeats != first.Repeats || o.SpanNs != first.SpanNs || o.WarmupNs != first.WarmupNs ||
			demands[i] != demands[0] {
			c.Paired = false
		}
	}
	switch {
	case !c.Paired:
		c.Note = "The outcomes differ in seed, repeats, span or jobs: differences are of means, with wider intervals."
	case first.Repeats == 1:
		c.Note = "With a single repeat no interval can be given; raise run.repeats to see which differences are sure."
	}
	old := slices.ContainsFunc(list, func(o *Outcome) bool { return o.Cost.Always == nil })
	for _, m := range measures {
		if m.always && old {
			continue
		}
		c.Metrics = append(c.Metrics, m.metric(list, c.Paired))
	}
	c.Design = designChanges(designs)
	c.Headline = c.sentence(first.Cost.Currency)
	return c
}

func (x *measure) metric(list []*Outcome, inPairs bool) Metric {
	m := Metric{Key: x.key, Label: x.label, Unit: x.unit}
	values, among := make([][]float64, len(list)), make([]stats.Weeks, len(list))
	for i, o := range list {
		values[i] = paired.Values(o.Samples, func(s *Sample) float64 { return x.of(o, s) })
		among[i] = paired.Readings[Sample]{Own: o.Samples, Alike: o.Alike}.Weeks(func(s *Sample) float64 { return x.run(o, s) }, o.Weeks)
		f, few := stats.OfAmounts(values[i]).AmongAmounts(among[i]), false
		if x.percentile != nil {
			if told := x.percentile(o); told != nil {
				f = *told
			} else {
				f.Half, f.Alike, few = 0, 0, true
			}
		}
		m.TooFew, m.Values = append(m.TooFew, few), append(m.Values, f)
		d, alike := stats.Figure{Runs: f.Runs}, !o.Recorded
		switch {
		case i == 0:
		case inPairs:
			d = stats.Paired(values[0], values[i])
			if w := among[i].Less(among[0]); len(w.Values) > 1 {
				d, alike = d.Among(w), true
			}
		default:
			d = stats.Unpaired(values[0], values[i])
			if m.Values[0].Alike > 0 && f.Alike > 0 {
				d.Alike, alike = math.Sqrt(float64(m.Values[0].Alike*m.Values[0].Alike)+float64(f.Alike*f.Alike)), true
			}
		}
		if few = few || m.TooFew[0]; few {
			d.Half, d.Alike = 0, 0
		}
		m.Differences = append(m.Differences, d)
		m.Sure = append(m.Sure, i > 0 && !few && d.Sure())
		m.SureAlike = append(m.SureAlike, m.Sure[i] && alike && math.Abs(d.Mean) > d.Alike)
	}
	return m
}

func (c *Comparison) metric(key string) Metric {
	return c.Metrics[slices.IndexFunc(c.Metrics, func(m Metric) bool { return m.Key == key })]
}

// otherDemand is by which share of the first's so many jobs more or fewer must start for it to
// be said: then bills are not of the same work.
const otherDemand = 0.02

// sentence says what the last outcome changes against the first.
func (c *Comparison) sentence(currency string) string {
	last := len(c.Scenarios) - 1
	delay, cost, lead, bad, started := c.metric("delay-p95"), c.metric("cost-month"), c.metric("lead-mean"), c.metric("wrong"), c.metric("started")
	say := func(m Metric, write func(float64) string) string {
		d := m.Differences[last]
		text := write(m.Values[last].Mean) + " instead of " + write(m.Values[0].Mean)
		week := ""
		if d.Runs > 1 && !m.SureAlike[last] {
			week = " in the recorded week, not surely in others like it"
		}
		switch {
		case d.Mean == 0 || d.Runs > 1 && !m.Sure[last]:
			return text + " (no sure difference)"
		case d.Mean < 0:
			return text + " (" + write(-d.Mean) + " less" + week + ")"
		default:
			return text + " (" + write(d.Mean) + " more" + week + ")"
		}
	}
	length := func(x float64) string { return units.Duration(x).Short() }
	text := "With " + c.Scenarios[last] + ", "
	if bad.Values[0].Mean >= 0.5 || bad.Values[last].Mean >= 0.5 {
		text += say(bad, whole) + " jobs go wrong for good, "
	}
	money := func(x float64) string { return units.Amount(x).Short(currency) }
	bill := say(cost, money)
	if d := started.Differences[last].Mean; started.Values[last].Mean > 0 && math.Abs(d) > otherDemand*started.Values[0].Mean &&
		(started.Sure[last] || started.Differences[last].Runs < 2) {
		bill += fmt.Sprintf("; %s jobs start instead of %s, at %s each", whole(started.Values[last].Mean), whole(started.Values[0].Mean),
			say(c.metric("cost-job"), money))
	}
	switch {
	case started.Values[last].Mean == 0:
		return text + "none starts, for a monthly bill of " + bill + "."
	case started.Values[0].Mean == 0:
		return fmt.Sprintf("%s95 %% of those that start do so within %s (with %s none does), for a monthly bill of %s.", text,
			length(delay.Values[last].Mean), c.Scenarios[0], bill)
	case delay.TooFew[0] || delay.TooFew[last]:
		return fmt.Sprintf("%sthose that start do so after %s on average and the mean job ends after %s, for a monthly bill of %s.", text,
			say(c.metric("delay-mean"), length), say(lead, length), bill)
	default:
		return fmt.Sprintf("%s95 %% of those that start do so within %s and the mean job ends after %s, for a monthly bill of %s.", text,
			say(delay, length), say(lead, length), bill)
	}
}

// designChanges lists the fields of the specs that are not the same everywhere.
func designChanges(designs [][]byte) []Change {
	flat := make([]map[string]string, len(designs))
	all := map[string]bool{}
	for i, d := range designs {
		flat[i] = map[string]string{}
		var doc struct {
			Spec any `json:"spec"`
		}
		if json.Unmarshal(d, &doc) == nil {
			flatten("", doc.Spec, flat[i])
		}
		for path := range flat[i] {
			all[path] = true
		}
	}
	changes := []Change{}
	for _, path := range slices.Sorted(maps.Keys(all)) {
		ch := Change{Path: path}
		same := true
		for i := range flat {
			ch.Values = append(ch.Values, flat[i][path])
			same = same && flat[i][path] == flat[0][path]
		}
		if !same {
			changes = append(changes, ch)
		}
	}
	return changes
}

// flatten writes a value's leaves under their paths. Entries of a list that name
// a template go by that name, so that the order does not matter.
func flatten(path string, v any, out map[string]string) {
	switch x := v.(type) {
	case map[string]any:
		for k, e := range x {
			sep := "."
			if path == "" {
				sep = ""
			}
			flatten(path+sep+k, e, out)
		}
	case []any:
		for i, e := range x {
			key := strconv.Itoa(i)
			if m, ok := e.(map[string]any); ok {
				if name, ok := m["template"].(string); ok {
					key = name
				}
			}
			flatten(path+"["+key+"]", e, out)
		}
	default:
		out[path] = fmt.Sprint(x)
	}
}
