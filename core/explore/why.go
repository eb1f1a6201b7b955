package explore

import (
	"fmt"
	"strconv"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/stats"
)

// WhyOf answers for a number of an answer by its name: variant/N/FIGURE of a variant by its place, recommended/FIGURE and
// today/FIGURE on the draws that took no part in choosing; with the figures delay, lead, bill, worth, and aim/N, from 1.
// ok is false where the answer has no such number.
func (a *Answer) WhyOf(of string) (why outcome.Why, ok bool) {
	whose, figure, _ := strings.Cut(of, "/")
	const alike = " Every variant has the same draws, so that differences are of the design and not of chance."
	switch whose {
	case "variant":
		n, rest, _ := strings.Cut(figure, "/")
		i, err := strconv.Atoi(n)
		if err != nil || i < 0 || i >= len(a.Variants) {
			return why, false
		}
		v := &a.Variants[i]
		who := "With " + v.Change
		if len(v.Settings) == 0 {
			who = "With " + a.Scenario + " as it is"
		}
		return a.why(of, rest, who, &v.Measures, false, alike+" These draws took part in choosing: what was chosen by them looks better on them than it is.")
	case "recommended", "today":
		if a.Confirm == nil {
			return why, false
		}
		m, who := &a.Confirm.Best, "With what is recommended"
		if whose == "today" {
			m, who = &a.Confirm.Today, "With "+a.Scenario+" as it is"
		}
		return a.why(of, figure, who, m, true, fmt.Sprintf(" It is of %d draws that took no part in choosing, the same for both.", a.Confirm.Repeats))
	}
	return why, false
}

func (a *Answer) why(of, figure, who string, m *Measures, fresh bool, draws string) (outcome.Why, bool) {
	ofTime := func(f stats.Figure, what, how string) (outcome.Why, bool) {
		return outcome.WhyTime(of, what, how+draws, f), true
	}
	switch figure {
	case "delay":
		what := who + ", the start delay that 95 % of jobs that start stay within."
		switch {
		case fresh && m.Few:
			draws = " Too few jobs ran to put those of all runs in one row (ten must be expected beyond it): it is a guess." + draws
		case fresh:
			return outcome.WhyPercentile(of, what, "The delays of all runs are put in one row, and it is the one at that rank."+draws, m.Delay), true
		}
		return ofTime(m.Delay, what, "The 95th percentile of each run, then the mean of these.")
	case "lead":
		return ofTime(m.Lead, who+", the lead time of jobs on average: from submission to the job's end.", "The mean over jobs that ended, of each run; then the mean of these.")
	case "bill":
		return outcome.WhyMoney(of, who+", what is paid a month.", "All that is paid within the window of a run, brought to a month of 730 h; then the mean of the runs."+draws,
			m.Bill, a.Currency), true
	case "worth":
		return outcome.WhyMoney(of, who+", what is paid a month and what waiting is worth.",
			"The bill, and the hours that jobs waited at the scenario's price of waiting, brought to a month; then the mean of the runs."+draws, m.Worth, a.Currency), true
	}
	n, is := strings.CutPrefix(figure, "aim/")
	i, err := strconv.Atoi(n)
	if !is || err != nil || i < 1 || i > len(m.Aims) {
		return outcome.Why{}, false
	}
	x := outcome.AimedOf(a.Aims[i-1], m.Aims[i-1], a.Currency)
	why := x.Why(of, 1)
	why.What = who + ", whether this is kept: " + x.Says + "."
	why.How += draws
	return why, true
}
