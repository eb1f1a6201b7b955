package brief

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// OfOutcomes tells what simulating came to, of one design or of several beside each other; how
// those compare is nil for one.
func OfOutcomes(list []*outcome.Outcome, compared *outcome.Comparison, about About) *Brief {
	first := list[0]
	var names []string
	for _, o := range list {
		names = append(names, o.Scenario)
	}
	b := &Brief{Title: "What " + first.Scenario + " does", Answer: []string{first.Headline}, Change: about.Diff}
	if first.Judged != "" && compared == nil {
		b.Answer = append(b.Answer, first.Judged)
	}
	days := units.Duration(first.SpanNs - first.WarmupNs).Short()
	b.Question = append(b.Question, fmt.Sprintf("How long do jobs wait, and what does it cost, over %s?", days))
	if compared != nil {
		b.Title = strings.Join(names, " beside ")
		b.Question = []string{fmt.Sprintf("Which of %s, over %s: what does each buy, and what does it cost?", strings.Join(names, ", "), days)}
		b.Answer = []string{compared.Headline}
		if compared.Note != "" {
			b.Answer = append(b.Answer, compared.Note)
		}
	}
	cash := money(first.Cost.Currency)
	costs := Table{Title: "What it costs, and what it buys", Head: head("", names...)}
	row := func(name string, of func(*outcome.Outcome) string) {
		cells := []string{name}
		for _, o := range list {
			cells = append(cells, of(o))
		}
		costs.Rows = append(costs.Rows, cells)
	}
	row("mean start delay", func(o *outcome.Outcome) string { return within(o.Groups[0].Delay.Mean, times) })
	row("95 % of jobs start within", func(o *outcome.Outcome) string {
		if o.Groups[0].Delay.P95 == nil {
			return "too few jobs say"
		}
		return within(*o.Groups[0].Delay.P95, times)
	})
	row("mean lead time", func(o *outcome.Outcome) string { return within(o.Groups[0].Lead.Mean, times) })
	row("jobs that go wrong for good", func(o *outcome.Outcome) string {
		return within(o.Groups[0].Wrong, func(x float64) string { return fmt.Sprintf("%.4g", x) })
	})
	row("a month", func(o *outcome.Outcome) string { return within(o.Cost.PerMonth, cash) })
	row("a year", func(o *outcome.Outcome) string { return cash(12 * o.Cost.PerMonth.Mean) })
	if a := first.Cost.Always; a != nil {
		always := func(of func(*outcome.AlwaysOn) stats.Figure) func(*outcome.Outcome) string {
			return func(o *outcome.Outcome) string {
				if o.Cost.Always == nil {
					return "–"
				}
				x := of(o.Cost.Always).Mean
				return cash(x) + " (" + cash(12*x) + " a year)"
			}
		}
		row("a month with its most nodes always on", always(func(a *outcome.AlwaysOn) stats.Figure { return a.All }))
		row("a month with those off outside "+a.Hours, always(func(a *outcome.AlwaysOn) stats.Figure { return a.InHours }))
	}
	row("no bill is below, a month", func(o *outcome.Outcome) string { return cash(o.Cost.Floor.Mean) })
	if slices.ContainsFunc(list, func(o *outcome.Outcome) bool { return len(o.Aims) > 0 }) {
		row("its aims", func(o *outcome.Outcome) string { return cmp.Or(string(outcome.Worst(o.Aims)), "it has none") })
	}
	b.Costs = &costs
	b.Sure = append(b.Sure, first.Means)
	for _, x := range first.Aims {
		if compared == nil {
			b.Sure = append(b.Sure, fmt.Sprintf("%s: %s (%s), where all verdicts together are right in 95 of 100 cases.", x.Says, x.Verdict, x.Reads))
		}
	}
	b.Pictures = append(b.Pictures, ribbons(list))
	if compared != nil {
		b.differences(compared, first.Cost.Currency)
	} else {
		b.Pictures = append(b.Pictures, overTime(first))
		b.causes(first)
	}
	b.Watch = append(b.Watch, fmt.Sprintf("95 %% of start delays and the bill: they are to come out within the intervals above in 19 of 20 such %s.",
		map[bool]string{true: "weeks", false: "times"}[first.Recorded]))
	for _, l := range first.Limits[:min(len(first.Limits), 2)] {
		b.Watch = append(b.Watch, fmt.Sprintf("%s: %d jobs waited %.1f h there in the first repeat.", l.Label, l.Jobs, l.JobHours))
	}
	b.rests(about)
	b.made(about, fmt.Sprintf("Engine %d, seed %d, %d repeats.", first.Engine, first.Seed, first.Repeats))
	return b
}

// differences tells of which figures the outcomes surely differ.
func (b *Brief) differences(c *outcome.Comparison, currency string) {
	t := Table{Title: "What differs, each less the first", Head: head("", c.Scenarios[1:]...)}
	for _, m := range c.Metrics {
		say := map[string]func(float64) string{
			"ns": times, "money": money(currency), "share": func(x float64) string { return fmt.Sprintf("%.1f %%", 100*x) },
		}[m.Unit]
		if say == nil {
			say = func(x float64) string { return fmt.Sprintf("%.3g", x) }
		}
		cells, any := []string{m.Label}, false
		for i := 1; i < len(m.Values); i++ {
			d := m.Differences[i]
			if !m.Sure[i] {
				d = stats.Figure{Mean: 1, Half: 1, Runs: 2}
			}
			any = any || m.Sure[i]
			cells = append(cells, change(d, say))
		}
		if any {
			t.Rows = append(t.Rows, cells)
		}
	}
	t.Note = "Only what surely differs somewhere, taken repeat by repeat where both have the same draws."
	b.Tables = append(b.Tables, t)
	if len(c.Design) > 0 {
		d := Table{Title: "What is otherwise in the designs"}
		d.Head = append(d.Head, Cell{Says: "field"})
		for _, s := range c.Scenarios {
			d.Head = append(d.Head, Cell{Says: s})
		}
		for _, x := range c.Design {
			d.Rows = append(d.Rows, append([]string{x.Path}, x.Values...))
		}
		b.Tables = append(b.Tables, d)
	}
}

// causes tells what start delay was spent on.
func (b *Brief) causes(o *outcome.Outcome) {
	t := Table{Title: "What start delay was spent on", Head: head("waiting for", "of it", "job-hours")}
	for _, c := range o.Causes[:min(len(o.Causes), 8)] {
		t.Rows = append(t.Rows, []string{c.Label, fmt.Sprintf("%.0f %%", 100*c.Share), fmt.Sprintf("%.1f h", c.Hours.Mean)})
	}
	b.Tables = append(b.Tables, t)
}
