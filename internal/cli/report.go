package cli

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// report prints an outcome for people.
func (p *program) report(o *outcome.Outcome) {
	window := units.Duration(o.SpanNs - o.WarmupNs)
	fmt.Fprintln(p.out, p.strong(o.Scenario)+p.faint(fmt.Sprintf("  %s jobs in %s, %s, seed %d",
		units.Count(int64(o.Groups[0].Jobs.Mean)), window.Short(), counted(o.Repeats, "repeat"), o.Seed)))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.wrap(o.Headline))
	if o.Judged != "" {
		fmt.Fprintln(p.out, p.wrap(o.Judged))
	}
	for _, n := range o.Notes {
		fmt.Fprintln(p.out, p.warn(p.wrap("! "+n)))
	}
	for _, u := range o.Unmatched {
		fmt.Fprintln(p.out, p.warn(p.wrap("! "+u.Sentence())))
	}
	fmt.Fprintln(p.out)
	p.reportRibbon(o)
	if len(o.Aims) > 0 {
		fmt.Fprintln(p.out, p.table(p.judged(o)))
		fmt.Fprintln(p.out)
	}
	fmt.Fprintln(p.out, p.table(delays(o)))
	fmt.Fprintln(p.out)
	if len(o.Causes) > 0 {
		fmt.Fprintln(p.out, p.table(causes(o)))
		fmt.Fprintln(p.out)
	}
	for _, l := range []listing{failures(o), limits(o), story(o), lives(o), network(o), troubles(o)} {
		if len(l.rows) > 0 {
			fmt.Fprintln(p.out, p.table(l))
			fmt.Fprintln(p.out)
		}
	}
	if o.Cache != nil {
		fmt.Fprintln(p.out, p.table(cached(o)))
		fmt.Fprintln(p.out)
		if l := entries(o); len(l.rows) > 0 {
			fmt.Fprintln(p.out, p.table(l))
			fmt.Fprintln(p.out)
		}
	}
	fmt.Fprintln(p.out, p.table(bill(o)))
	says := o.Means
	if o.Repeats == 1 {
		says = "One repeat: no intervals. Use --repeats 8 to see how sure the figures are."
	}
	if says != "" { // not in outcomes of before
		fmt.Fprintln(p.out, p.faint(p.wrap(says)))
	}
}

// workPart names the parts of the work phase.
var workPart = map[string]string{
	"work": "its own", "cold": "cold", "leftovers": "what earlier jobs left", "tool": "waiting for a boot tool", "fetch": "waiting for the network", "stretch": "stretch",
	"lost":  "lost attempts",
	"rerun": "waiting to run again",
}

// reportRibbon draws the mean job.
func (p *program) reportRibbon(o *outcome.Outcome) {
	mean := means(o.Groups[0].Ribbon)
	total := 0.0
	for _, x := range mean {
		total += x
	}
	if total == 0 {
		return
	}
	fmt.Fprintln(p.out, p.faint("the mean job, "+units.Duration(total).Short()+" from submission to end"))
	fmt.Fprintln(p.out, p.bar(mean, total, min(p.term.width, 100)))
	fmt.Fprintln(p.out, p.legend(mean))
	if parts := o.Groups[0].WorkParts; len(parts) > 1 {
		var words []string
		for _, x := range parts {
			words = append(words, workPart[x.Cause]+" "+units.Duration(x.Ns.Mean).Short())
		}
		fmt.Fprintln(p.out, p.faint("of the work: "+strings.Join(words, ", ")))
	}
	fmt.Fprintln(p.out)
	p.reportClasses(o)
}

// reportClasses draws the start delay of each class on one scale. A class that
// waits far longer than the others would flatten them, so the scale is that of
// the second longest and a longer bar is cut.
func (p *program) reportClasses(o *outcome.Outcome) {
	var classes []outcome.Group
	widest := 0
	for _, g := range o.Groups {
		if g.By == "class" && g.Delay.Mean.Mean > 0 {
			classes = append(classes, g)
			widest = max(widest, len(g.Name))
		}
	}
	if len(classes) < 2 {
		return
	}
	lengths := make([]float64, len(classes))
	for i, g := range classes {
		lengths[i] = g.Delay.Mean.Mean
	}
	slices.Sort(lengths)
	scale := lengths[len(lengths)-1]
	if second := lengths[len(lengths)-2]; scale > 4*second {
		scale = 1.25 * second
	}
	width := max(10, min(p.term.width, 100)-widest-16)
	fmt.Fprintln(p.out, p.faint("mean start delay of each class, on one scale"))
	for _, g := range classes {
		phases, cut := delayOf(g.Ribbon), ""
		if mean := g.Delay.Mean.Mean; mean > scale {
			cut = "…"
			for i := range phases {
				phases[i] *= scale / mean
			}
		}
		fmt.Fprintf(p.out, "%-*s  %s%s %s\n", widest, g.Name, p.bar(phases, scale, width), cut, units.Duration(g.Delay.Mean.Mean).Short())
	}
	fmt.Fprintln(p.out)
}

func means(figures []stats.Figure) []float64 {
	out := make([]float64, len(figures))
	for i, f := range figures {
		out[i] = f.Mean
	}
	return out
}

// delayOf keeps the phases before a job's own first step.
func delayOf(ribbon []stats.Figure) []float64 {
	return append(means(ribbon)[:sim.Restore:sim.Restore], make([]float64, int(sim.Phases-sim.Restore))...)
}

func short(f *stats.Figure) string {
	if f == nil {
		return "too few"
	}
	return units.Duration(f.Mean).Short()
}

// sure is short with its interval.
func sure(f *stats.Figure) string {
	if f == nil {
		return "too few"
	}
	return outcome.Time(*f)
}

// judged tells how the design stands with its aims.
func (p *program) judged(o *outcome.Outcome) listing {
	says := func(r aim.Reading, words string) string { return p.verdicts([]aim.Reading{r}) + ": " + words }
	l := listing{columns: []column{{"aim", false}, {"it is", false}}}
	if slices.ContainsFunc(o.Aims, func(x outcome.Aimed) bool { return x.Weeks != nil }) {
		l.columns = []column{{"aim", false}, {"as recorded", false}, {"in weeks like them", false}}
	}
	for i := range o.Aims {
		x := &o.Aims[i]
		row := []string{x.Says, says(x.Reading, x.Reads)}
		if x.Weeks != nil {
			row = append(row, says(x.Weeks.Reading, x.Weeks.Reads))
		}
		l.rows = append(l.rows, row)
	}
	return l
}

// delays tells start delay by group.
func delays(o *outcome.Outcome) listing {
	l := listing{columns: []column{
		{"start delay", false}, {"jobs", true}, {"mean ± 95 %", true}, {"p50", true}, {"p95 ± 95 %", true}, {"p99", true}, {"warm", true},
	}, value: o.Groups}
	for _, g := range o.Groups {
		if g.Jobs.Mean == 0 {
			continue
		}
		name := g.Name
		if g.By != "all" {
			name = g.By + " " + g.Name
		}
		row := []string{
			name, units.Count(int64(g.Jobs.Mean)), outcome.Time(g.Delay.Mean), short(g.Delay.P50), sure(g.Delay.P95), short(g.Delay.P99),
			fmt.Sprintf("%.0f %%", 100*g.Warm.Mean),
		}
		if g.Started.Mean == 0 {
			row = []string{name, row[1], "never start", "", "", "", ""}
		}
		l.rows = append(l.rows, row)
	}
	return l
}

// causes tells what start delay was spent on.
func causes(o *outcome.Outcome) listing {
	l := listing{columns: []column{{"waiting for", false}, {"phase", false}, {"job-hours", true}, {"share", true}}, value: o.Causes}
	for _, c := range o.Causes {
		if c.Share < 0.0005 && len(l.rows) > 0 { // JSON has them all
			continue
		}
		l.rows = append(l.rows, []string{c.Label, c.Phase, interval(c.Hours, 1), fmt.Sprintf("%.1f %%", 100*c.Share)})
	}
	return l
}

// yearly writes what an amount of a month comes to in twelve.
func yearly(f stats.Figure) string { return units.Amount(12 * f.Mean).Short("") }

// bill tells the cost.
func bill(o *outcome.Outcome) listing {
	c := o.Cost
	l := listing{columns: []column{{"cost", false}, {"nodes", true}, {c.Currency + " a month", true}, {"a year", true}, {"share", true}}, value: c}
	nodes := 0.0
	for _, pool := range c.Pools {
		if pool.PerMonth.Mean == 0 {
			continue
		}
		nodes += pool.PerMonth.Mean
		l.rows = append(l.rows, []string{"pool " + pool.Pool + " (" + pool.NodeType + ")", interval(pool.Nodes, 2), money(pool.PerMonth), yearly(pool.PerMonth), ""})
	}
	labels := map[string]string{
		"work": "  agents at work", "start": "  agents starting", "lost": "  attempts cut short",
		"idle": "  agents idle", "stranded": "  room too small for any agent", "empty": "  empty room and booting", "controller": "  the controller",
	}
	for _, u := range c.Uses {
		if u.PerMonth.Mean == 0 {
			continue
		}
		l.rows = append(l.rows, []string{labels[u.Use], "", money(u.PerMonth), yearly(u.PerMonth), fmt.Sprintf("%.1f %%", 100*u.Share)})
	}
	for _, x := range c.Parts {
		l.rows = append(l.rows, []string{x.Part, "", money(x.PerMonth), yearly(x.PerMonth), ""})
	}
	l.rows = append(l.rows, []string{"all that is paid", "", money(c.PerMonth), yearly(c.PerMonth), ""})
	if a := c.Always; a != nil && a.Nodes.Mean > 0 {
		times := func(f stats.Figure) string { return fmt.Sprintf("%.1f × the bill", f.Mean/max(c.PerMonth.Mean, 1e-9)) }
		l.rows = append(l.rows,
			[]string{"its most nodes at once, always on", interval(a.Nodes, 2), money(a.All), yearly(a.All), times(a.All)},
			[]string{"  off outside " + a.Hours, "", money(a.InHours), yearly(a.InHours), fmt.Sprintf("%.0f %% of jobs come outside", 100*a.Outside)})
	}
	if c.Floor.Mean > 0 {
		l.rows = append(l.rows, []string{
			"floor under it: no bill is below", "", money(c.Floor), yearly(c.Floor),
			fmt.Sprintf("bill is %.1f ×", c.TimesFloor.Mean),
		})
	}
	if c.Waiting.Mean > 0 {
		l.rows = append(l.rows, []string{"worth of people's waiting, not paid", "", money(c.Waiting), yearly(c.Waiting), ""})
	}
	return l
}

// limits tells at which ceilings jobs waited, and what one more would do.
func limits(o *outcome.Outcome) listing {
	l := listing{columns: []column{
		{"held up by (first repeat)", false},
		{"jobs", true},
		{"job-hours", true},
		{"hours", true},
		{"with one more", false},
	}, value: o.Limits}
	for i, x := range o.Limits {
		if i == 6 || x.JobHours < 0.005 { // JSON has them all
			break
		}
		more := ""
		if m := x.More; m != nil {
			more = fmt.Sprintf("%s%s h, %s", sign(-m.MetHours), units.Fixed(math.Abs(m.MetHours), 1), outcome.Signed(m.CostNano, o.Cost.Currency))
			if m.MoreStarted != 0 { // then the hours are of other jobs
				more = fmt.Sprintf("%s%s jobs start, %s", sign(float64(m.MoreStarted)), units.Count(int64(max(m.MoreStarted, -m.MoreStarted))), outcome.Signed(m.CostNano, o.Cost.Currency))
			}
		}
		l.rows = append(l.rows, []string{
			x.Label, units.Count(int64(x.Jobs)), units.Fixed(x.JobHours, 1), units.Fixed(x.Hours, 1),
			more,
		})
	}
	return l
}

// story tells what was changed by hand and who was out of service.
func story(o *outcome.Outcome) listing {
	l := listing{columns: []column{{"what happened (first repeat)", false}}, value: o.Story}
	for _, x := range o.Story {
		l.rows = append(l.rows, []string{x.Says})
	}
	for _, x := range o.Beside {
		l.rows = append(l.rows, []string{x.Says})
	}
	return l
}

// sign is that of a difference.
func sign(x float64) string {
	if x < 0 {
		return "−"
	}
	return "+"
}

// failures tells which jobs went wrong for good.
func failures(o *outcome.Outcome) listing {
	l := listing{
		columns: []column{{"went wrong for good", false}, {"class", false}, {"template", false}, {"jobs", true}, {"of", true}},
		value:   o.Failures,
	}
	for _, x := range o.Failures {
		l.rows = append(l.rows, []string{x.Label, x.Class, cmp.Or(x.Template, "none"), interval(x.Jobs, 1), units.Count(int64(x.Of.Mean + 0.5))})
	}
	return l
}

// troubles tells what went wrong.
func troubles(o *outcome.Outcome) listing {
	l := listing{columns: []column{{"went wrong on the way", false}, {"in a repeat", true}}, value: o.Troubles}
	for _, x := range o.Troubles {
		l.rows = append(l.rows, []string{x.Label, interval(x.Count, 1)})
	}
	return l
}

// cached tells what the workspace cache did.
func cached(o *outcome.Outcome) listing {
	c := o.Cache
	return listing{columns: []column{{"workspace cache", false}, {"", true}}, value: c, rows: [][]string{
		{"jobs that found it up to date", fmt.Sprintf("%.1f %%", 100*c.Found.Mean)},
		{"jobs that found it out of date", fmt.Sprintf("%.1f %%", 100*c.Stale.Mean)},
		{"archives saved", interval(c.Saves, 0)},
		{"kept, on average", interval(c.KeptGB, 2) + " GB"},
		{"brought in", interval(c.DownGB, 0) + " GB"},
		{"sent out", interval(c.UpGB, 0) + " GB"},
	}}
}

func money(f stats.Figure) string { return strings.TrimSpace(outcome.Money(f, "")) }

func interval(f stats.Figure, digits int) string {
	s := units.Fixed(f.Mean, digits)
	if half := units.Fixed(f.Reach(), digits); strings.Trim(half, "0.") != "" {
		s += " ± " + half
	}
	return s
}

func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return units.Count(int64(n)) + " " + what + "s"
}

// lives tells how long agents lived and what they had done.
func lives(o *outcome.Outcome) listing {
	l := listing{columns: []column{
		{"agents that went", false},
		{"in a repeat", true},
		{"jobs each", true},
		{"age", true},
		{"after their most jobs", true},
		{"past their most age", true},
	}, value: o.Lives}
	for _, x := range o.Lives {
		l.rows = append(l.rows, []string{
			x.Template, interval(x.Agents, 0), interval(x.Jobs, 1), units.Duration(x.Age.Mean).Short(),
			interval(x.ByJobs, 0), interval(x.ByAge, 0),
		})
	}
	return l
}

// network tells what jobs fetch and send over links.
func network(o *outcome.Outcome) listing {
	l := listing{columns: []column{
		{"over", false},
		{"for", false},
		{"class", false},
		{"GB in a month", true},
		{"GB out", true},
		{o.Cost.Currency + " a month", true},
	}, value: o.Network}
	for _, x := range o.Network {
		l.rows = append(l.rows, []string{x.Link, x.For, x.Class, interval(x.DownGB, 0), interval(x.UpGB, 0), money(x.PerMonth)})
	}
	return l
}

// entriesShown is how many workspaces are shown; JSON has more.
const entriesShown = 5

// entries tells which workspaces most jobs read, and who saved them.
func entries(o *outcome.Outcome) listing {
	l := listing{columns: []column{
		{"most read workspaces (first repeat)", false},
		{"saved by", false},
		{"size", true},
		{"readers", true},
		{"out of date for", true},
		{"there for", true},
		{"then", false},
	}, value: o.Cache.Entries}
	for _, x := range o.Cache.Entries[:min(len(o.Cache.Entries), entriesShown)] {
		scope := x.Scope
		if x.Request {
			scope += ", a change request"
		}
		l.rows = append(l.rows, []string{
			scope, x.Job, units.Decimal(float64(x.Size)), units.Count(int64(x.Readers)), units.Count(int64(x.Stale)),
			units.Duration(x.LivedNs).Short(), x.How,
		})
	}
	return l
}
