package brief

import (
	"fmt"

	"tachyphor/core/units"
	"tachyphor/core/weigh"
)

// OfWeighing tells which cache plan a scenario should have.
func OfWeighing(o *weigh.Weighing, about About) *Brief {
	b := &Brief{Title: "A workspace cache for " + o.Scenario, Answer: o.Case, Change: about.Diff}
	b.Question = []string{fmt.Sprintf("Does a workspace cache make builds of %s end sooner, which, and what does it cost?", o.Scenario)}
	cash := money(o.Currency)
	t := Table{Title: "What it costs, and what it buys", Head: head("plan", "workspace, a build", "mean lead time", "a month", "a year")}
	for i := range o.Plans {
		p := &o.Plans[i]
		name := p.Label
		switch p.Key {
		case o.Best:
			name += " (to have)"
		case o.Today:
			name += " (today)"
		}
		t.Rows = append(t.Rows, []string{
			name, times(p.Groups[0].Carried()), within(p.Groups[0].Lead, times), within(p.Cost, cash), cash(12 * p.Cost.Mean),
		})
	}
	t.Note = "Workspace: restoring, cold work and saving together."
	b.Costs = &t
	b.Sure = append(b.Sure, o.Words[1:]...)
	for _, a := range o.Assumed {
		b.Sure = append(b.Sure, "Assumed: "+a)
	}
	b.Pictures = append(b.Pictures, carried(o))
	b.Watch = append(b.Watch, "How long restoring and saving take, and how often a build finds a fresh cache: `tachyphor probe` and the jobs' own log tell it.")
	b.rests(about)
	b.made(about, fmt.Sprintf("Seed %d, %d repeats of each plan over %s.", o.Seed, o.Repeats, units.Duration(o.SpanNs-o.WarmupNs).Short()))
	return b
}
