package cli

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/client"
	"tachyphor/core/aim"
	"tachyphor/core/explore"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/wire"
)

// explored writes an answer: the sentence, the ladder, the frontier, what one more step does, and
// what matters.
func (p *program) explored(a *explore.Answer) error {
	money := inCurrency(a.Currency)
	l := p.frontierOf(a)
	if !p.lines() {
		return p.show(l)
	}
	fmt.Fprintln(p.out, p.wrap(p.strong(a.Sentence)))
	for _, n := range a.Notes {
		fmt.Fprintln(p.out, p.faint(p.wrap(n)))
	}
	if len(a.Ladder) > 0 {
		fmt.Fprintln(p.out, "\n"+p.strong("The changes, those that bring most first")+p.faint(": within what 95 % of jobs start, and the bill"))
		t := listing{columns: []column{
			{"change", false},
			{"from", true},
			{"to", true},
			{"alone", true},
			{"a month", true},
			{"added", true},
			{"a month", true},
			{"a year", true},
		}}
		now := a.Variants[0]
		t.rows = append(t.rows, []string{
			p.faint("as it is"), "", "", "", "", shortly(now.Delay.Mean), money(now.Bill.Mean), money(12 * now.Bill.Mean),
		})
		for _, r := range a.Ladder {
			alone := []string{"–", "–"} // it makes no valid documents by itself
			if r.Alone.Bill.Runs > 0 {
				alone = []string{shortly(r.Alone.Delay.Mean), money(r.Alone.Bill.Mean)}
			}
			t.rows = append(t.rows, append(append([]string{r.Knob, clipped(r.Was, 24), clipped(r.Is, 24)}, alone...),
				shortly(r.Added.Delay.Mean), money(r.Added.Bill.Mean), money(12*r.Added.Bill.Mean)))
		}
		fmt.Fprintln(p.out, p.table(t))
	}
	if len(a.Aims) > 0 {
		fmt.Fprintln(p.out, "\n"+p.strong("The aims")+p.faint(": as it is, and as recommended on fresh draws"))
		p.aims(a)
	}
	fmt.Fprintln(p.out, "\n"+p.strong("The frontier")+
		p.faint(": no other of the "+counted(len(a.Variants), "variant")+" has both a lower delay and a lower bill"))
	fmt.Fprintln(p.out, p.table(l))
	if len(a.Steps) > 0 {
		p.asides(a)
	}
	p.stays(a)
	p.binds(a)
	p.matters(a)
	return nil
}

// mostShown is how many variants of the frontier a table shows.
const mostShown = 12

// frontierOf lists the variants of the frontier with the aims beside, the cheapest first: in a
// table as many as are looked at, else all.
func (p *program) frontierOf(a *explore.Answer) listing {
	money := inCurrency(a.Currency)
	l := listing{columns: []column{
		{"95 % within", true}, {"a month", true}, {"a year", true}, {"mean lead", true}, {"runs", true},
	}, value: a, main: "variants"}
	if len(a.Aims) > 0 {
		l.columns = append(l.columns, column{"aims", false})
	}
	l.columns = append(l.columns, column{"change", false})
	var list []int
	for i, v := range a.Variants {
		if v.Frontier || i == a.Best || i == 0 {
			list = append(list, i)
		}
	}
	slices.SortStableFunc(list, func(x, y int) int { return cmp.Compare(a.Variants[x].Bill.Mean, a.Variants[y].Bill.Mean) })
	every := 1 + (len(list)-1)/mostShown
	for n, i := range list {
		if n%every != 0 && i != a.Best && i != 0 && n != len(list)-1 {
			continue
		}
		v := a.Variants[i]
		row := []string{
			between(v.Delay, shortly), between(v.Bill, money), money(12 * v.Bill.Mean), shortly(v.Lead.Mean), strconv.Itoa(v.Runs),
		}
		if len(a.Aims) > 0 {
			row = append(row, p.verdicts(v.Aims))
		}
		says := clipped(v.Change, 90)
		if i == a.Best {
			says = p.strong("→ " + says)
		}
		l.rows = append(l.rows, append(row, says))
	}
	return l
}

// between writes a figure with its interval.
func between(f stats.Figure, say func(float64) string) string {
	if f.Half == 0 {
		return say(f.Mean)
	}
	return say(f.Mean) + " ± " + say(f.Half)
}

// verdicts writes what is said of aims in a word: of all, or which of them.
func (p *program) verdicts(list []aim.Reading) string {
	by := map[aim.Verdict][]string{}
	for i, r := range list {
		by[r.Verdict] = append(by[r.Verdict], strconv.Itoa(i+1))
	}
	if len(by[aim.Kept]) == len(list) {
		return "kept"
	}
	var out []string
	for _, v := range []aim.Verdict{aim.Missed, aim.Undecided} {
		if len(by[v]) == 0 {
			continue
		}
		word := string(v)
		if len(list) > 1 {
			word += " " + strings.Join(by[v], ", ")
		}
		if v == aim.Missed {
			word = p.bad(word)
		} else {
			word = p.warn(word)
		}
		out = append(out, word)
	}
	return strings.Join(out, "; ")
}

// aims writes what is said of each aim, of the scenario and of what is recommended.
func (p *program) aims(a *explore.Answer) {
	t := listing{columns: []column{{"", true}, {"aim", false}, {"as it is", false}}}
	now := a.Variants[0].Aims
	if a.Confirm != nil {
		t.columns = append(t.columns, column{"recommended", false})
		now = a.Confirm.Today.Aims
	}
	for i, x := range a.Aims {
		reads := func(r aim.Reading) string {
			return p.verdicts([]aim.Reading{r}) + p.faint(": "+x.Reads(r, a.Currency))
		}
		row := []string{strconv.Itoa(i + 1), x.Says, reads(now[i])}
		if a.Confirm != nil {
			row = append(row, reads(a.Confirm.Best.Aims[i]))
		}
		t.rows = append(t.rows, row)
	}
	fmt.Fprintln(p.out, p.table(t))
}

// asides writes what one more step of each knob would do.
func (p *program) asides(a *explore.Answer) {
	fmt.Fprintln(p.out, "\n"+p.strong("One step further"))
	t := listing{columns: []column{{"knob", false}, {"from", true}, {"to", true}, {"95 % of delays", true}, {"a month", true}, {"", false}}}
	for _, s := range a.Steps {
		note := ""
		if s.Verdict != aim.Kept {
			note = p.warn(string(s.Verdict) + ": " + s.Misses)
		}
		t.rows = append(t.rows, []string{
			s.Knob, clipped(s.Was, 24), clipped(s.Is, 24), p.change(s.Delay, shortly),
			p.change(s.Bill, inCurrency(a.Currency)), note,
		})
	}
	fmt.Fprintln(p.out, p.table(t))
}

// stays writes what the same nodes would cost if they did not come and go.
func (p *program) stays(a *explore.Answer) {
	s := a.Stays
	if s == nil {
		return
	}
	money := inCurrency(a.Currency)
	fmt.Fprintln(p.out, "\n"+p.strong("On demand against always on")+p.faint(": as many nodes as there are at most at once"))
	t := listing{columns: []column{{"", false}, {"", false}, {"on demand", true}, {"off outside " + s.Hours, true}, {"always on", true}}}
	add := func(what string, b explore.Bills) {
		t.rows = append(t.rows,
			[]string{what, "a month", money(b.AsItIs.Mean), money(b.InHours.Mean), money(b.Always.Mean)},
			[]string{"", "a year", money(12 * b.AsItIs.Mean), money(12 * b.InHours.Mean), money(12 * b.Always.Mean)})
	}
	add("as it is", s.Today)
	if s.Best != nil {
		add("recommended", *s.Best)
	}
	fmt.Fprintln(p.out, p.table(t))
	fmt.Fprintln(p.out, p.faint(p.wrap(fmt.Sprintf("%.0f %% of the jobs come outside %s: with agents off they wait until then.", 100*s.Outside, s.Hours))))
}

// binds writes what jobs still wait for under what is recommended.
func (p *program) binds(a *explore.Answer) {
	if a.Best < 0 {
		return
	}
	fmt.Fprintln(p.out, "\n"+p.strong("What binds then"))
	if len(a.Binds) == 0 {
		fmt.Fprintln(p.out, "No ceiling, quota or full pool: no job of the first repeat waits at one.")
		return
	}
	t := listing{columns: []column{{"limit", false}, {"jobs", true}, {"wait there", true}}}
	for _, l := range a.Binds {
		t.rows = append(t.rows, []string{l.Label, units.Count(int64(l.Jobs)), units.Fixed(l.JobHours, 1) + " h"})
	}
	fmt.Fprintln(p.out, p.table(t))
}

// matters writes which knobs account for the spread, and which do not.
func (p *program) matters(a *explore.Answer) {
	const least = 0.01
	t := listing{columns: []column{{"knob", false}, {"of the spread of delay", true}, {"of the bill", true}}}
	var idle []string
	for _, m := range a.Matters {
		name := m.Knob
		if m.With != "" {
			name += " with " + m.With
		}
		if max(m.Delay, m.Bill) < least {
			idle = append(idle, name)
			continue
		}
		t.rows = append(t.rows, []string{name, fmt.Sprintf("%.0f %%", 100*m.Delay), fmt.Sprintf("%.0f %%", 100*m.Bill)})
	}
	fmt.Fprintln(p.out, "\n"+p.strong("What matters"))
	if len(t.rows) > 0 {
		fmt.Fprintln(p.out, p.table(t))
	}
	if len(idle) > 0 {
		fmt.Fprintln(p.out, p.faint(p.wrap("Hardly anything hangs on "+strings.Join(idle, ", ")+".")))
	}
	fmt.Fprintln(p.out, "\n"+p.strong("What was varied"))
	v := listing{columns: []column{{"knob", false}, {"is", true}, {"may be", false}}}
	for _, k := range a.Knobs {
		v.rows = append(v.rows, []string{k.Knob, clipped(k.Was, 24), clipped(strings.Join(k.Values, ", "), 60)})
	}
	fmt.Fprintln(p.out, p.table(v))
	fmt.Fprintln(p.out, "\n"+p.faint(p.wrap(counted(a.Runs, "run")+"; what cannot be the answer got no more repeats.")))
}

// printExploration prints an exploration.
func (p *program) printExploration(ctx context.Context, c *client.Client, id uint64) error {
	w, err := c.Exploration(ctx, id)
	if err != nil {
		return err
	}
	if w.Result == nil {
		return notDone("exploration", w.WorkBrief)
	}
	return p.explored(w.Result)
}

func explorationsListing(list []wire.WorkBrief) listing {
	l := listing{columns: []column{
		{"exploration", true},
		{"scenario", false},
		{"asked", false},
		{"state", false},
		{"today", false},
		{"answer", false},
	}, value: list}
	for _, w := range list {
		l.rows = append(l.rows, []string{
			strconv.FormatUint(w.ID, 10), w.About, here(w.Asked), string(w.State), string(w.Exploration.Today), clipped(w.Exploration.Sentence, 90),
		})
	}
	return l
}
