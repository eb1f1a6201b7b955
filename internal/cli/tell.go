package cli

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/wire"
)

// explanation writes one job's time, cause by cause.
func (p *program) explanation(e outcome.Explanation) error {
	l := listing{columns: []column{{"from", true}, {"for", true}, {"phase", false}, {"waiting for", false}}, value: e, main: "stays"}
	phases := make([]float64, sim.Phases)
	for _, s := range e.Stays {
		l.rows = append(l.rows, []string{units.Duration(s.FromNs).Short(), units.Duration(s.ToNs - s.FromNs).Short(), s.Phase, s.Text})
		phases[slices.Index(sim.PhaseNames[:], s.Phase)] += float64(s.ToNs - s.FromNs)
	}
	if p.format != "table" {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.strong(e.ID)+p.faint("  "+e.Class+", submitted "+e.Submitted.Format("Mon 2006-01-02 15:04:05 MST")))
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.wrap(e.Summary))
	if e.Workspace != "" {
		fmt.Fprintln(p.out, p.wrap(e.Workspace))
	}
	if len(e.Stays) == 0 {
		return nil
	}
	fmt.Fprintln(p.out)
	fmt.Fprintln(p.out, p.bar(phases, float64(e.Stays[len(e.Stays)-1].ToNs), min(p.term.width, 100)))
	fmt.Fprintln(p.out, p.legend(phases))
	fmt.Fprintln(p.out)
	return p.show(l)
}

// comparison writes outcomes beside each other.
func (p *program) comparison(c wire.ComparedOutcomes) error {
	currency := ""
	for _, o := range c.Outcomes {
		if o.Simulation.Summary != nil {
			currency = o.Simulation.Summary.Currency
		}
	}
	values := listing{columns: []column{{"", false}}, value: c, main: "metrics.values"}
	against := listing{columns: []column{{"difference from " + c.Scenarios[0], false}}}
	for i, s := range c.Scenarios {
		values.columns = append(values.columns, column{fmt.Sprintf("%s (%d)", s, c.Outcomes[i].ID), true})
		if i > 0 {
			against.columns = append(against.columns, column{s, true})
		}
	}
	for _, m := range c.Metrics {
		if !slices.ContainsFunc(m.Values, func(f stats.Figure) bool { return f.Mean != 0 }) {
			continue
		}
		row, diff := []string{m.Label}, []string{m.Label}
		for i, v := range m.Values {
			value := inUnit(m.Unit, v.Mean, currency)
			if m.TooFew[i] {
				value = "too few"
			}
			row = append(row, value)
			if i > 0 {
				diff = append(diff, difference(m, i))
			}
		}
		values.rows, against.rows = append(values.rows, row), append(against.rows, diff)
	}
	if p.format != "table" {
		return p.show(values)
	}
	fmt.Fprintln(p.out, p.wrap(c.Headline))
	if c.Note != "" {
		fmt.Fprintln(p.out, p.warn(p.wrap("! "+c.Note)))
	}
	for i, o := range c.Outcomes {
		if sum := o.Simulation.Summary; sum != nil && sum.Judged != "" {
			fmt.Fprintln(p.out, p.wrap(c.Scenarios[i]+": "+sum.Judged))
		}
	}
	fmt.Fprintln(p.out)
	for _, l := range []listing{values, against} {
		if err := p.show(l); err != nil {
			return err
		}
		fmt.Fprintln(p.out)
	}
	p.ribbons(c)
	if len(c.Design) == 0 {
		return nil
	}
	d := listing{columns: []column{{"design", false}}, value: c.Design}
	for _, s := range c.Scenarios {
		d.columns = append(d.columns, column{s, true})
	}
	for _, ch := range c.Design {
		row := []string{ch.Path}
		for _, v := range ch.Values {
			if v == "" {
				v = "-"
			}
			row = append(row, v)
		}
		d.rows = append(d.rows, row)
	}
	fmt.Fprintln(p.out)
	return p.show(d)
}

// ribbons draws the mean start delay of each outcome on one scale, and the mean
// lead time.
func (p *program) ribbons(c wire.ComparedOutcomes) {
	draw := func(title string, of func(outcome.Group) []float64) {
		var bars [][]float64
		longest, widest := 0.0, 0
		for i, o := range c.Outcomes {
			bars = append(bars, of(o.Groups[0]))
			longest = max(longest, total(bars[i]))
			widest = max(widest, len(c.Scenarios[i]))
		}
		all := make([]float64, sim.Phases)
		fmt.Fprintln(p.out, p.faint(title))
		for i, phases := range bars {
			for k, x := range phases {
				all[k] = max(all[k], x)
			}
			fmt.Fprintf(p.out, "%-*s  %s %s\n", widest, c.Scenarios[i], p.bar(phases, longest, max(20, min(p.term.width, 100)-widest-18)),
				units.Duration(total(phases)).Short())
		}
		var marks []string
		for k, x := range all {
			if x >= 1 {
				marks = append(marks, p.mark(k, 1)+" "+sim.PhaseNames[k])
			}
		}
		fmt.Fprintln(p.out, strings.Join(marks, "   "))
	}
	draw("mean start delay by phase, on one scale", func(g outcome.Group) []float64 { return delayOf(g.Ribbon) })
	fmt.Fprintln(p.out)
	draw("mean lead time by phase, on one scale", func(g outcome.Group) []float64 { return means(g.Ribbon) })
}

func total(list []float64) float64 {
	sum := 0.0
	for _, x := range list {
		sum += x
	}
	return sum
}

// difference writes one outcome's difference to the first, marked where it is
// not sure.
func difference(m outcome.Metric, i int) string {
	d := m.Differences[i]
	s := ""
	if d.Mean != 0 {
		s = sign(d.Mean)
	}
	size := d
	size.Mean = math.Abs(d.Mean)
	switch {
	case d.Reach() > 0:
		s += figure(m.Unit, size)
	case m.Unit == "share": // a difference of percentages
		s += fmt.Sprintf("%.1f points", 100*size.Mean)
	default:
		s += inUnit(m.Unit, size.Mean, "")
	}
	switch {
	case m.TooFew[0] || m.TooFew[i]:
		s += " (too few)"
	case d.Runs > 1 && !m.Sure[i] && d.Mean != 0:
		s += " (unsure)"
	case d.Runs > 1 && !m.SureAlike[i] && d.Mean != 0:
		s += " (this week only)"
	}
	return s
}

// change writes a difference: by how much, or that nothing sure is said.
func (p *program) change(f stats.Figure, say func(float64) string) string {
	switch {
	case f.Mean == 0 && f.Half == 0:
		return "–"
	case f.Runs > 1 && !f.Sure():
		return p.faint("no sure change")
	case f.Mean > 0:
		return "+" + say(f.Mean)
	}
	return say(f.Mean)
}

// figure writes how large a difference is, with its interval, in a metric's unit.
func figure(unit string, f stats.Figure) string {
	switch unit {
	case "ns":
		return outcome.Time(f)
	case "money":
		return outcome.Money(f, "")
	case "share":
		return fmt.Sprintf("%.1f ± %.1f points", 100*f.Mean, 100*f.Reach())
	case "ratio":
		return fmt.Sprintf("%.1f ± %.1f ×", f.Mean, f.Reach())
	default:
		return fmt.Sprintf("%.1f ± %.1f", f.Mean, f.Reach())
	}
}

// inUnit writes a number in a metric's unit.
func inUnit(unit string, x float64, currency string) string {
	switch unit {
	case "ns":
		return units.Duration(x).Short()
	case "money":
		return units.Amount(x).Short(currency)
	case "share":
		return fmt.Sprintf("%.1f %%", 100*x)
	case "ratio":
		return fmt.Sprintf("%.1f ×", x)
	default:
		if x == math.Trunc(x) || math.Abs(x) >= 1000 {
			return units.Count(int64(math.Round(x)))
		}
		return fmt.Sprintf("%.1f", x)
	}
}
