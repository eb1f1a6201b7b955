package cli

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/weigh"
)

// weighing writes a weighing.
func (p *program) weighing(o *weigh.Weighing, applied bool) error {
	plans := plansOf(o)
	if p.format != "table" {
		return p.show(plans)
	}
	window := units.Duration(o.SpanNs - o.WarmupNs)
	fmt.Fprintln(p.out, p.strong(o.Scenario)+p.faint(fmt.Sprintf("  %s builds in %s, %s of each plan, seed %d",
		units.Count(int64(o.Plans[0].Groups[0].Jobs.Mean)), window.Short(), counted(o.Repeats, "repeat"), o.Seed)))
	fmt.Fprintln(p.out)
	for i, w := range o.Words {
		if i == 0 {
			w = p.strong(w)
		}
		fmt.Fprintln(p.out, p.wrap(w))
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.faint("what the workspace takes of a build on average, on one scale"))
	p.carried(o)
	fmt.Fprintln(p.out)
	p.keys(o)
	for _, l := range []listing{plans, p.bestByClass(o), threeRuns(o), moneyOf(o)} {
		fmt.Fprintln(p.out)
		fmt.Fprintln(p.out, p.table(l))
	}
	fmt.Fprintln(p.out, p.faint(p.wrap("Restoring, cold work and saving: the part of the nodes' cost in which agents do that.")))
	for _, a := range o.Assumed {
		fmt.Fprintln(p.out, p.faint(p.wrap("Assumed: "+a)))
	}
	if s := o.Surface; s != nil {
		fmt.Fprintln(p.out)
		p.breaks(o)
	}
	if !applied && o.Best != o.Today {
		fmt.Fprintln(p.out, p.faint(fmt.Sprintf("Next: `tachyphor weigh %s --apply best` gives the scenario that plan, `--plot "+
			"FILE.png` draws it.", o.Scenario)))
	}
	return nil
}

// carried draws what the workspace takes of a build under each plan.
func (p *program) carried(o *weigh.Weighing) {
	width, lengths := 0, []float64{}
	total := (*weigh.Fared).Carried
	for i := range o.Plans {
		width = max(width, len(o.Plans[i].Key))
		lengths = append(lengths, total(&o.Plans[i].Groups[0]))
	}
	// One that takes far longer would flatten the others: it is cut.
	scale := 1.6 * total(&o.Plans[0].Groups[0])
	room := max(10, min(p.term.width, 100)-width-22)
	for i := range o.Plans {
		f := &o.Plans[i].Groups[0]
		phases, cut := make([]float64, sim.Phases), ""
		phases[sim.Image], phases[sim.Restore], phases[sim.Work], phases[sim.Save] = max(f.Pull.Mean, 0), f.Restore.Mean, f.Cold.Mean, f.Save.Mean
		if lengths[i] > scale {
			cut = "…"
			for k := range phases {
				phases[k] *= scale / lengths[i]
			}
		}
		mark := " "
		if o.Plans[i].Key == o.Best {
			mark = p.strong("→")
		}
		fmt.Fprintf(p.out, "%s %-*s  %s%s %s\n", mark, width, o.Plans[i].Key, p.bar(phases, scale, room), cut, units.Duration(lengths[i]).Short())
	}
	var legend []string
	for _, k := range []struct {
		phase sim.Phase
		name  string
	}{{sim.Image, "pulling what is baked"}, {sim.Restore, "restoring"}, {sim.Work, "cold work"}, {sim.Save, "saving"}} {
		legend = append(legend, p.mark(int(k.phase), 1)+" "+k.name)
	}
	fmt.Fprintln(p.out, strings.Join(legend, "   "))
}

// rounded writes money without its fractions.
func rounded(x float64) string { return units.Count(int64(math.Round(x))) }

// shortly writes a duration, and lessOrMore one with its sign and interval.
func shortly(ns float64) string { return units.Duration(math.Round(ns)).Short() }

// inCurrency writes amounts of money.
func inCurrency(currency string) func(float64) string {
	return func(x float64) string { return units.Amount(x).Short(currency) }
}

func lessOrMore(f stats.Figure) string {
	unit, by := "s", float64(units.Second)
	switch a := math.Abs(f.Mean); {
	case a >= 3*float64(units.Hour):
		unit, by = "h", float64(units.Hour)
	case a >= 3*float64(units.Minute):
		unit, by = "min", float64(units.Minute)
	}
	if f.Reach() == 0 {
		return fmt.Sprintf("%s%.1f %s", sign(f.Mean), math.Abs(f.Mean)/by, unit)
	}
	return fmt.Sprintf("%s%.1f ± %.1f %s", sign(f.Mean), math.Abs(f.Mean)/by, f.Reach()/by, unit)
}

// plansOf lists the plans beside each other.
func plansOf(o *weigh.Weighing) listing {
	l := listing{columns: []column{
		{"plan", false},
		{"lead time", true},
		{"less none", true},
		{"95 % within", true},
		{"fresh", true},
		{"stale", true},
		{"saves", true},
		{"pays after", true},
		{o.Currency + " a month", true},
		{"a year", true},
		{"", false},
	}, value: o, main: "plans"}
	for i := range o.Plans {
		q := &o.Plans[i]
		f := &q.Groups[0]
		row := []string{q.Key, shortly(f.Lead.Mean), "–", "–", "–", "–", "–", "–", rounded(q.Cost.Mean), rounded(12 * q.Cost.Mean), ""}
		if f.P95 != nil {
			row[3] = shortly(f.P95.Mean)
		}
		if i > 0 {
			row[2] = lessOrMore(f.LeadDiff)
			row[4], row[5] = fmt.Sprintf("%.0f %%", 100*f.Fresh.Mean), fmt.Sprintf("%.0f %%", 100*f.Stale.Mean)
			row[6], row[7] = units.Count(int64(f.Saves.Mean)), pays(&f.Pays)
			row[8] = sign(q.CostDiff.Mean) + rounded(math.Abs(q.CostDiff.Mean))
			if q.CostDiff.Reach() > 0 {
				row[8] += " ± " + rounded(q.CostDiff.Reach())
			}
			row[9] = sign(q.CostDiff.Mean) + rounded(12*math.Abs(q.CostDiff.Mean))
		}
		var marks []string
		if q.Key == o.Today {
			marks = append(marks, "today")
		}
		if q.Key == o.Best {
			marks = append(marks, "best")
		}
		if len(q.Missing) > 0 {
			marks = append(marks, "not judged")
		}
		row[10] = strings.Join(marks, ", ")
		l.rows = append(l.rows, row)
	}
	return l
}

// keys say what the keys of plans are.
func (p *program) keys(o *weigh.Weighing) {
	width := 0
	for i := range o.Plans {
		width = max(width, len(o.Plans[i].Key))
	}
	for i := range o.Plans {
		fmt.Fprintln(p.out, p.faint(fmt.Sprintf("%-*s  %s", width, o.Plans[i].Key, o.Plans[i].Label)))
	}
}

// pays says after how many builds a plan has paid.
func pays(x *weigh.PaysOff) string {
	switch {
	case x.Repeats == 0:
		return "not followed"
	case x.Paid == 0:
		return "never"
	case x.Paid < x.Repeats:
		return fmt.Sprintf("%s (%d of %d)", counted(int(x.Builds), "build"), x.Paid, x.Repeats)
	default:
		return counted(int(x.Builds), "build")
	}
}

// bestByClass lists for each class what no cache, today's plan and the best one come to.
func (p *program) bestByClass(o *weigh.Weighing) listing {
	l := listing{columns: []column{
		{"class", false},
		{"builds", true},
		{"no cache", true},
		{"today", true},
		{"best", true},
		{"best less none", true},
		{"pays after", true},
		{"least", false},
	}, value: o.Plans}
	none, today, best := &o.Plans[0], &o.Plans[0], &o.Plans[0]
	for i := range o.Plans {
		if o.Plans[i].Key == o.Today {
			today = &o.Plans[i]
		}
		if o.Plans[i].Key == o.Best {
			best = &o.Plans[i]
		}
	}
	for g := 1; g < len(none.Groups); g++ {
		n, t, b := &none.Groups[g], &today.Groups[g], &best.Groups[g]
		least := none
		for i := range o.Plans {
			if o.Plans[i].Key != weigh.Best && len(o.Plans[i].Missing) == 0 && o.Plans[i].Groups[g].Lead.Mean < least.Groups[g].Lead.Mean {
				least = &o.Plans[i]
			}
		}
		l.rows = append(l.rows, []string{
			n.Class, units.Count(int64(n.Jobs.Mean)), shortly(n.Lead.Mean), shortly(t.Lead.Mean), shortly(b.Lead.Mean), lessOrMore(b.LeadDiff),
			pays(&b.Pays),
			least.Key,
		})
	}
	return l
}

// threeRuns lists the runs that everyone looks at beside the truth.
func threeRuns(o *weigh.Weighing) listing {
	l := listing{columns: []column{
		{"a build", false},
		{"without", true},
		{"filling", true},
		{"using", true},
		{"usual claim", true},
		{"truth", true},
		{"of plan", false},
	}, value: o.Views}
	for _, v := range o.Views {
		name := v.Class
		if name == "" {
			name = "all"
		}
		truth := ""
		for _, t := range v.Truths {
			if t.Key == v.Speak {
				truth = saves(t.Saves)
			}
		}
		l.rows = append(l.rows, []string{name, shortly(v.Without), shortly(v.Filling), shortly(v.Using), saves(v.Usual), truth, v.Speak})
	}
	return l
}

func saves(x float64) string {
	if math.Abs(x) < 0.005 {
		return "saves nothing"
	}
	if x < 0 {
		return fmt.Sprintf("costs %.0f %% more", -100*x)
	}
	return fmt.Sprintf("saves %.0f %%", 100*x)
}

// moneyOf lists what each plan's bill is made of; what no plan changes is left out.
func moneyOf(o *weigh.Weighing) listing {
	l := listing{columns: []column{{o.Currency + " a month", false}}, value: o.Plans}
	var causes []string
	for i := range o.Plans {
		for _, m := range o.Plans[i].Money {
			if m.Difference.Mean != 0 && !slices.Contains(causes, m.What) {
				causes = append(causes, m.What)
			}
		}
	}
	slices.SortStableFunc(causes, func(a, b string) int { return strings.Compare(order(a), order(b)) })
	for _, c := range causes {
		l.columns = append(l.columns, column{strings.TrimPrefix(c, "held by "), true})
	}
	l.columns = append(l.columns, column{"sent", true}, column{"brought", true}, column{"kept", true})
	for i := range o.Plans {
		row := []string{o.Plans[i].Key}
		for _, c := range causes {
			cell := "–"
			for _, m := range o.Plans[i].Money {
				if m.What == c && m.PerMonth.Mean != 0 {
					cell = fmt.Sprintf("%.2f", m.PerMonth.Mean)
				}
			}
			row = append(row, cell)
		}
		for _, gb := range []float64{o.Plans[i].Groups[0].UpGB.Mean, o.Plans[i].Groups[0].DownGB.Mean, o.Plans[i].KeptGB.Mean} {
			if gb == 0 {
				row = append(row, "–")
				continue
			}
			row = append(row, units.Decimal(gb*1e9))
		}
		l.rows = append(l.rows, row)
	}
	return l
}

// order sorts causes: nodes, what holds them, the rest as it comes.
func order(what string) string {
	switch {
	case what == "nodes":
		return "0"
	case strings.HasPrefix(what, "held by"):
		return "1"
	}
	return "2"
}

// breaks lists where plans break even, and draws the map in letters.
func (p *program) breaks(o *weigh.Weighing) {
	s := o.Surface
	l := listing{columns: []column{{"break-even of " + s.Class, false}, {"today", true}}, value: s}
	for _, q := range s.Plans[1:] {
		l.columns = append(l.columns, column{q.Key, true})
	}
	for _, c := range s.Curves {
		row := []string{c.Label, weigh.Amount(c.Quantity, c.Today)}
		for _, q := range s.Plans[1:] {
			cell := ""
			for _, v := range q.Values {
				if v.Quantity == c.Quantity {
					cell = weigh.Amount(v.Quantity, v.At)
				}
			}
			row = append(row, cell)
		}
		l.rows = append(l.rows, row)
	}
	row, told := []string{"pays after", ""}, false
	for _, q := range s.Plans[1:] {
		switch {
		case q.Pays > 0:
			row, told = append(row, counted(int(q.Pays), "build")), true
		case q.Agrees:
			row = append(row, "never")
		default:
			row = append(row, "")
		}
	}
	if told {
		l.rows = append(l.rows, row)
	}
	fmt.Fprintln(p.out, p.table(l))
	fmt.Fprintln(p.out, p.faint(p.wrap(s.How)))
}
