package brief

import (
	"fmt"
	"strconv"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/stats"
)

// asked are what may be least, in words.
var asked = map[document.Least]string{
	document.LeastBill: "the bill", document.LeastDelay: "the start delay", document.LeastLead: "the lead time",
	document.LeastWorth: "the bill with what waiting is worth",
}

// OfExploration tells what exploring a scenario came to.
func OfExploration(a *explore.Answer, about About) *Brief {
	b := &Brief{Title: "What " + a.Scenario + " should be", Answer: append([]string{a.Sentence}, a.Notes...), Change: about.Diff}
	var knobs []string
	for _, k := range a.Knobs {
		knobs = append(knobs, k.Knob)
	}
	b.Question = append(b.Question, fmt.Sprintf("Which of %d variants of the scenario %s has the least of %s?", a.Possible, a.Scenario, asked[a.Least]))
	for _, x := range a.Aims {
		b.Question = append(b.Question, "It must keep: "+x.Says+".")
	}
	b.Question = append(b.Question, "What may change: "+strings.Join(knobs, ", ")+".")
	cash := money(a.Currency)
	b.costs(a)
	b.Sure = append(b.Sure, fmt.Sprintf("%d variants were run, %d runs in all, on the same draws; those that surely could not be the answer got no more "+
		"repeats.", len(a.Variants), a.Runs))
	if c := a.Confirm; c != nil {
		b.Sure = append(b.Sure, fmt.Sprintf("The figures above are of %d draws that took no part in choosing: a winner's own are too good.", c.Repeats))
		for i, r := range c.Best.Aims {
			b.Sure = append(b.Sure, fmt.Sprintf("%s: %s (%s), where 95 %% sure is asked.", a.Aims[i].Says, r.Verdict, a.Aims[i].Reads(r, a.Currency)))
		}
	}
	b.Pictures = append(b.Pictures, frontier(a))
	b.ladder(a, cash)
	if len(a.Steps) > 0 {
		t := Table{Title: "One step further", Head: head("knob", "from", "to", "95 % of delays", "a month")}
		t.Head = append(t.Head, Cell{Says: "aims"})
		for _, s := range a.Steps {
			says := string(s.Verdict)
			if s.Misses != "" {
				says += ": " + s.Misses
			}
			t.Rows = append(t.Rows, []string{s.Knob, s.Was, s.Is, change(s.Delay, times), change(s.Bill, cash), says})
		}
		b.Tables = append(b.Tables, t)
	}
	b.watch(a)
	b.rests(about)
	b.made(about, fmt.Sprintf("Sweep %s; %s.", a.Sweep, explore.By()))
	return b
}

// costs holds what is recommended beside today.
func (b *Brief) costs(a *explore.Answer) {
	now, then, left := a.Variants[0].Measures, explore.Measures{}, "today"
	if a.Confirm != nil {
		now, then = a.Confirm.Today, a.Confirm.Best
	}
	cash := money(a.Currency)
	t := Table{Title: "What it costs, and what it buys", Head: head("", left)}
	if a.Confirm != nil {
		t.Head = append(t.Head, Cell{"then", true}, Cell{"difference", true})
	}
	row := func(name string, of func(*explore.Measures) stats.Figure, by float64, say func(float64) string) {
		x, y := of(&now), of(&then)
		cells := []string{name, say(x.Mean * by)}
		if a.Confirm != nil {
			cells = append(cells, within(stats.Figure{Mean: y.Mean * by, Half: y.Half * by}, say), change(stats.Figure{Mean: (y.Mean - x.Mean) * by}, say))
		}
		t.Rows = append(t.Rows, cells)
	}
	row("95 % of jobs start within", func(m *explore.Measures) stats.Figure { return m.Delay }, 1, times)
	row("mean lead time", func(m *explore.Measures) stats.Figure { return m.Lead }, 1, times)
	row("a month", func(m *explore.Measures) stats.Figure { return m.Bill }, 1, cash)
	row("a year", func(m *explore.Measures) stats.Figure { return m.Bill }, 12, cash)
	b.Costs = &t
	b.stays(a, cash)
}

// stays holds coming and going beside nodes that stay on.
func (b *Brief) stays(a *explore.Answer, cash func(float64) string) {
	s := a.Stays
	if s == nil {
		return
	}
	t := Table{Title: "On demand against always on", Head: head("", "on demand", "off outside "+s.Hours, "always on")}
	row := func(name string, x explore.Bills) {
		t.Rows = append(t.Rows, []string{name + ", a month", cash(x.AsItIs.Mean), cash(x.InHours.Mean), cash(x.Always.Mean)},
			[]string{name + ", a year", cash(12 * x.AsItIs.Mean), cash(12 * x.InHours.Mean), cash(12 * x.Always.Mean)})
	}
	row("today", s.Today)
	if s.Best != nil {
		row("then", *s.Best)
	}
	t.Note = fmt.Sprintf("The same nodes, as many of each pool as there are at most at once. %.0f %% of the jobs come outside %s: with agents off "+
		"they wait until then.", 100*s.Outside, s.Hours)
	b.Tables = append(b.Tables, t)
}

func (b *Brief) ladder(a *explore.Answer, cash func(float64) string) {
	if len(a.Ladder) == 0 {
		return
	}
	t := Table{Title: "The changes, those that bring most first", Head: head("change", "from", "to", "95 % within", "a month", "a year")}
	row := func(knob, from, to string, m *explore.Measures) {
		t.Rows = append(t.Rows, []string{knob, from, to, times(m.Delay.Mean), cash(m.Bill.Mean), cash(12 * m.Bill.Mean)})
	}
	row("as it is", "", "", &a.Variants[0].Measures)
	for i := range a.Ladder {
		r := &a.Ladder[i]
		row(r.Knob, r.Was, r.Is, &r.Added)
	}
	t.Note = "Each added to those before, on the draws of the race."
	b.Tables = append(b.Tables, t)
}

// watch says what to look at once it is so.
func (b *Brief) watch(a *explore.Answer) {
	if a.Best < 0 {
		return
	}
	for i, x := range a.Aims {
		r := a.Confirm.Best.Aims[i]
		if x.Kind == aim.Never.String() || x.Kind == aim.Fails.String() {
			b.Watch = append(b.Watch, x.Says+": each one that does is news.")
			continue
		}
		b.Watch = append(b.Watch, fmt.Sprintf("%s: %s is expected.", x.Says, x.Reads(r, a.Currency)))
	}
	for _, l := range a.Binds[:min(len(a.Binds), 2)] {
		b.Watch = append(b.Watch, fmt.Sprintf("What binds then: %s; %d jobs wait %.1f h there in the first repeat.", l.Label, l.Jobs, l.JobHours))
	}
	var most []string
	for _, m := range a.Matters {
		if m.With == "" && max(m.Delay, m.Bill) >= 0.1 && len(most) < 3 {
			most = append(most, m.Knob+" ("+strconv.Itoa(int(100*m.Delay+0.5))+" % of the spread of delays, "+strconv.Itoa(int(100*m.Bill+0.5))+" % of the bill's)")
		}
	}
	if len(most) > 0 {
		b.Watch = append(b.Watch, "Most hangs on "+strings.Join(most, ", ")+": look there first when it comes out otherwise.")
	}
	b.Watch = append(b.Watch, "Ask `tachyphor margin` how far it holds when there are more jobs, slower boots, higher prices.")
}
