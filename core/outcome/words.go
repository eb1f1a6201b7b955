package outcome

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/stats"
	"tachyphor/core/units"
)

func sortBy[T any](list []T, key func(T) float64) {
	slices.SortStableFunc(list, func(a, b T) int { return cmp.Compare(key(a), key(b)) })
}

// rounded keeps four decimals, which is finer than any picture.
func rounded(x float64) float64 { return math.Round(x*1e4) / 1e4 }

// Time writes a figure of nanoseconds with its interval: "42 s ± 3 s".
func Time(f stats.Figure) string {
	s := units.Duration(f.Mean).Short()
	if f.Half > 0 {
		s += " ± " + units.Duration(f.Half).Short()
	}
	return s
}

// Money writes a figure of money with its interval: "EUR 412 ± 3".
func Money(f stats.Figure, currency string) string {
	s := units.Money(f.Mean * float64(units.Unit)).Short(currency)
	if f.Half > 0 {
		s += " ± " + units.Money(f.Half*float64(units.Unit)).Short("")
	}
	return s
}

// headline says the outcome in a sentence or two.
func headline(o *Outcome) string {
	all := &o.Groups[0]
	var b strings.Builder
	switch {
	case all.Jobs.Mean == 0:
		b.WriteString("No jobs were submitted within the window.")
	case all.Delay.P95 != nil:
		fmt.Fprintf(&b, "95 %% of jobs start within %s, half within %s;", units.Duration(all.Delay.P95.Mean).Short(), units.Duration(all.Delay.P50.Mean).Short())
	default:
		fmt.Fprintf(&b, "Jobs start after %s on average (too few for percentiles);", units.Duration(all.Delay.Mean.Mean).Short())
	}
	if all.Jobs.Mean > 0 {
		fmt.Fprintf(&b, " the bill is %s a month, %s a job.",
			units.Money(o.Cost.PerMonth.Mean*1e9).Short(o.Cost.Currency), units.Money(o.Cost.PerJob.Mean*1e9).Short(o.Cost.Currency))
	}
	if len(o.Causes) > 0 && o.Causes[0].Share > 0 {
		fmt.Fprintf(&b, " %.0f %% of the delay is waiting for %s.", o.Causes[0].Share*100, o.Causes[0].Label)
	}
	if n := all.Unfinished.Mean; n >= 0.5 {
		fmt.Fprintf(&b, " %.0f jobs had not ended when the run was given up: demand is more than this design can serve.", n)
	}
	return b.String()
}

// Sentence says why a class never starts.
func (u Unmatched) Sentence() string {
	s := fmt.Sprintf("%s of %s can never start: no template offers %s", plural(u.Jobs, "job"), u.Class, strings.Join(u.Missing, ", "))
	for i, m := range u.Meant {
		if m != "" {
			s += fmt.Sprintf(" (%s offers %s: is %s a slip?)", u.Nearest, m, u.Missing[i])
			break
		}
	}
	return s + "."
}

func plural(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return units.Count(int64(n)) + " " + what + "s"
}
