package explore

import (
	"fmt"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// sentence is the answer for who reads nothing else.
func (q *Question) sentence(a *Answer) string {
	money := func(x float64) string { return units.Amount(x).Short(a.Currency) }
	delay := func(x float64) string { return units.Duration(x).Short() }
	if a.Best < 0 {
		return q.none(a)
	}
	c := a.Confirm
	today := func(best, now stats.Figure, say func(float64) string) string {
		if best.Mean == now.Mean {
			return ""
		}
		return fmt.Sprintf(" (%s today)", say(now.Mean))
	}
	have := "Keep the design as it is"
	if list := a.Variants[a.Best].Settings; len(list) > 0 {
		have = "Have " + said(list)
	}
	says := fmt.Sprintf("%s: 95 %% of jobs start within %s%s for %s a month%s, %s a year", have, delay(c.Best.Delay.Mean),
		today(c.Best.Delay, c.Today.Delay, delay), money(c.Best.Bill.Mean), today(c.Best.Bill, c.Today.Bill, money), money(12*c.Best.Bill.Mean))
	switch len(q.aims) {
	case 0:
		return says + fmt.Sprintf("; no aim was given, so that only %s counts. Tried on %d fresh draws.", leastSays[q.Spec.Least], c.Repeats)
	case 1:
		says += "; it keeps the aim"
	case 2:
		says += "; it keeps both aims"
	default:
		says += fmt.Sprintf("; it keeps all %d aims", len(q.aims))
	}
	return says + fmt.Sprintf(", sure at 95 %%, tried on %d fresh draws.", c.Repeats)
}

// leastSays are what may be least, in words.
var leastSays = map[document.Least]string{
	document.LeastBill: "the bill", document.LeastDelay: "the start delay", document.LeastLead: "the lead time",
	document.LeastWorth: "the bill with what waiting is worth",
}

// none says that no variant is known to keep all aims, and which comes nearest.
func (q *Question) none(a *Answer) string {
	near, missed := -1, 0
	short := func(i int) (sum float64) {
		for n, r := range a.Variants[i].Aims {
			sum += q.aims[n].Short(r)
		}
		return sum
	}
	for i, v := range a.Variants {
		if w, _ := worst(v.Aims); w == aim.Missed {
			missed++
		}
		if near < 0 || short(i) < short(near) {
			near = i
		}
	}
	v := a.Variants[near]
	verdict, at := worst(v.Aims)
	what := ""
	if at >= 0 {
		what = fmt.Sprintf("; there %q is %s: it is %s", q.aims[at], verdict, a.Aims[at].Reads(v.Aims[at], a.Currency))
	}
	if missed == len(a.Variants) {
		return fmt.Sprintf("None of the %d variants keeps all aims; the nearest is %s%s.", len(a.Variants), said(v.Settings), what)
	}
	return fmt.Sprintf("Not decided: none of the %d variants surely keeps all aims within the budget; the nearest is %s%s. "+
		"More runs (budget) may decide it.", len(a.Variants), said(v.Settings), what)
}

// notes says what is to be known of an answer.
func (q *Question) notes(a *Answer) {
	if s := q.across(); s != "" {
		a.Notes = append(a.Notes, s)
	}
	if a.Searched {
		a.Notes = append(a.Notes, fmt.Sprintf("%s variants are possible, more than the budget of %s runs; %s were run: spread "+
			"evenly first, then steps from the best. A better one may be among the others.",
			atMost(a.Possible), units.Count(int64(q.Spec.Budget.Runs)), units.Count(int64(len(a.Variants)))))
	}
	if a.Unfit > 0 {
		a.Notes = append(a.Notes, fmt.Sprintf("%s cannot be run. One of them: %s.", plural(a.Unfit, "variant"), a.ran.oneFault()))
	}
	for _, s := range a.Struck {
		a.Notes = append(a.Notes, fmt.Sprintf("%s not run, since %s. One of them: %s.", plural(s.Variants, "variant"), s.Why, s.One))
	}
	for i, r := range a.Variants[0].Aims {
		if r.Nobody {
			a.Notes = append(a.Notes, fmt.Sprintf("No job came that %q is about: it says nothing of any variant.", q.aims[i]))
		}
	}
	if a.Best < 0 {
		return
	}
	if a.Confirm.Tried > 1 {
		a.Notes = append(a.Notes, fmt.Sprintf("%s that looked better did not keep all aims on fresh draws.",
			plural(a.Confirm.Tried-1, "variant")))
	}
	best := mean(a.ran.of(a.list[a.Best].v, 0), q.objective)
	open, less := 0, 0.0
	for i, v := range a.Variants {
		if w, _ := worst(v.Aims); w == aim.Undecided && a.list[i].out == "" {
			if x := mean(a.ran.of(a.list[i].v, 0), q.objective); x < best {
				open, less = open+1, max(less, 1-x/best)
			}
		}
	}
	if open > 0 {
		a.Notes = append(a.Notes, fmt.Sprintf("%s may keep all aims with up to %.0f %% less %s, which is not decided; a larger budget may.",
			plural(open, "variant"), 100*less, q.Spec.Least))
	}
}

func atMost(n int) string {
	if n >= possibleMost {
		return "A million or more"
	}
	return units.Count(int64(n))
}

func plural(n int, what string) string {
	if n == 1 {
		return "One " + what
	}
	return units.Count(int64(n)) + " " + what + "s"
}
