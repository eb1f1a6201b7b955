package outcome

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

func sortBy[T any](list []T, key func(T) float64) {
	slices.SortStableFunc(list, func(a, b T) int { return cmp.Compare(key(a), key(b)) })
}

// rounded keeps four decimals, which is finer than any picture.
func rounded(x float64) float64 { return math.Round(x*1e4) / 1e4 }

// Time writes a figure of nanoseconds with its interval, in digits and a unit that fit each
// other: "51.8 ± 0.2 s", "3 min 02 s ± 0.7 s", "22 ± 6 min".
func Time(f stats.Figure) string {
	d, half := units.Duration(f.Mean), units.Duration(f.Reach())
	s := d.Short()
	in := func(unit units.Duration, name string) string {
		a, b := float64(d)/float64(unit), float64(half)/float64(unit)
		digits := decimals(b)
		return fmt.Sprintf("%.*f ± %.*f %s", digits, a, digits, b, name)
	}
	switch {
	case half <= 0:
		return s
	case half >= 100*units.Minute:
		return in(units.Hour, "h")
	case d >= 100*units.Minute && half >= 50*units.Second:
		return fmt.Sprintf("%s ± %.0f min", s, half.Seconds()/60)
	case half >= 100*units.Second || d >= 5*units.Minute && half >= 50*units.Second:
		return in(units.Minute, "min")
	case d >= units.Second && d < 99950*units.Millisecond || half >= 9500*units.Millisecond && d < 5*units.Minute:
		return in(units.Second, "s")
	case d < units.Second && half < units.Second:
		return fmt.Sprintf("%.0f ± %.0f ms", d.Seconds()*1000, max(1, half.Seconds()*1000))
	case half < units.Minute:
		return fmt.Sprintf("%s ± %.*f s", s, min(1, decimals(half.Seconds())), max(0.1, half.Seconds()))
	default:
		return s + " ± " + half.Short()
	}
}

// decimals is how many decimals show one or two digits of an interval's half.
func decimals(half float64) int {
	switch {
	case half >= 9.5:
		return 0
	case half >= 0.095:
		return 1
	default:
		return 2
	}
}

// Money writes a figure of money with its interval: "EUR 412 ± 3".
func Money(f stats.Figure, currency string) string {
	if !(f.Reach() > 0) {
		return units.Amount(f.Mean).Short(currency)
	}
	digits := decimals(f.Reach())
	if math.Abs(f.Mean) < 0.1 {
		digits = 4
	}
	if math.Abs(f.Mean) >= 1000 {
		return strings.TrimSpace(fmt.Sprintf("%s %s ± %.0f", currency, units.Count(int64(math.Round(f.Mean))), max(1, f.Reach())))
	}
	return strings.TrimSpace(fmt.Sprintf("%s %.*f ± %.*f", currency, digits, f.Mean, digits, f.Reach()))
}

// headline says the outcome in a few sentences: what goes wrong for good, the delay of
// the jobs that start, the bill, and what most of the delay is.
func headline(w *world.World, o *Outcome) string {
	all := &o.Groups[0]
	if all.Jobs.Mean == 0 {
		return "No jobs were submitted within the window."
	}
	var b strings.Builder
	b.WriteString(wrong(o))
	jobs := "jobs"
	if all.Started.Mean < all.Jobs.Mean-0.5 {
		jobs = "the " + whole(all.Started.Mean) + " that start"
	}
	switch {
	case all.Started.Mean == 0:
		b.WriteString("None starts;")
	case all.Delay.P95 != nil:
		verb := " start within "
		if jobs != "jobs" {
			verb = " do so within "
		}
		fmt.Fprintf(&b, "95 %% of %s%s%s, half within %s;", jobs, verb, units.Duration(all.Delay.P95.Mean).Short(),
			units.Duration(all.Delay.P50.Mean).Short())
	case jobs == "jobs":
		fmt.Fprintf(&b, "Jobs start after %s on average (too few for percentiles);", units.Duration(all.Delay.Mean.Mean).Short())
	default:
		fmt.Fprintf(&b, "%s do so after %s on average (too few for percentiles);", strings.ToUpper(jobs[:1])+jobs[1:],
			units.Duration(all.Delay.Mean.Mean).Short())
	}
	fmt.Fprintf(&b, " the bill is %s a month, %s a job.",
		units.Amount(o.Cost.PerMonth.Mean).Short(o.Cost.Currency), units.Amount(o.Cost.PerJob.Mean).Short(o.Cost.Currency))
	if len(o.Causes) > 0 && o.Causes[0].Share > 0 {
		fmt.Fprintf(&b, " %.0f %% of the delay is waiting for %s.", o.Causes[0].Share*100, mainCause(o))
	}
	if slices.ContainsFunc(o.Failures, func(f Failure) bool { return f.Jobs.Mean >= 0.5 && overload(w, &f) }) {
		b.WriteString(" Demand is more than this design can serve.")
	}
	return b.String()
}

// told is how many reasons a sentence names, and how many classes of each.
const told = 3

// wrong says how many jobs never start and how many fail, of which classes and why;
// nothing when none does.
func wrong(o *Outcome) string {
	return wrongly(o, false, "never starts", "never start") + wrongly(o, true, "fails for good", "fail for good")
}

// wrongly is one of wrong's sentences.
func wrongly(o *Outcome, started bool, one, many string) string {
	n := 0.0
	var labels []string
	classes := map[string][]string{}
	for _, f := range o.Failures {
		if f.Started != started {
			continue
		}
		n += f.Jobs.Mean
		if classes[f.Label] == nil {
			labels = append(labels, f.Label)
		}
		classes[f.Label] = append(classes[f.Label], whole(f.Jobs.Mean)+" of "+f.Class)
	}
	if n < 0.5 {
		return ""
	}
	var reasons []string
	for _, l := range labels[:min(told, len(labels))] {
		reasons = append(reasons, l+" ("+listed(classes[l], "class", "classes")+")")
	}
	if more := len(labels) - told; more > 0 {
		reasons = append(reasons, fmt.Sprintf("and %d more reasons", more))
	}
	verb := many
	if math.Round(n) == 1 {
		verb = one
	}
	return fmt.Sprintf("%s of %s jobs %s: %s. ", whole(n), whole(o.Groups[0].Jobs.Mean), verb, strings.Join(reasons, ", "))
}

// listed names the first few of a list and how many more there are.
func listed(list []string, one, many string) string {
	switch more := len(list) - told; {
	case more <= 0:
		return strings.Join(list, ", ")
	case more == 1:
		return strings.Join(list[:told], ", ") + " and one more " + one
	default:
		return fmt.Sprintf("%s and %d more %s", strings.Join(list[:told], ", "), more, many)
	}
}

// whole writes a mean number of jobs.
func whole(n float64) string { return units.Count(int64(math.Round(n))) }

// mainCause says what most of the delay was spent on, by the template's name where
// one template's ceiling is most of it.
func mainCause(o *Outcome) string {
	c := o.Causes[0]
	if c.Cause == sim.AtLimit.String() {
		if i := slices.IndexFunc(o.Limits, func(l Limit) bool { return l.Cause == c.Cause }); i >= 0 {
			return "room under " + o.Limits[i].Label
		}
	}
	if c.Cause != sim.AtCeiling.String() {
		return c.Label
	}
	best, most, total := "", 0.0, 0.0
	for i, g := range o.Groups {
		if g.By != "template" {
			continue
		}
		ns := o.Samples[0].Groups[i].CausesNs[sim.AtCeiling].Float()
		total += ns
		if ns > most {
			best, most = g.Name, ns
		}
	}
	if 2*most <= total {
		return c.Label
	}
	return "room under the ceiling of " + best
}

// why is why no template takes them.
func (u Unmatched) why() string {
	if len(u.Missing) == 0 {
		return "they want nothing, and every template takes only jobs that name something it offers"
	}
	return "no template offers " + strings.Join(u.Missing, ", ")
}

// Sentence says why a class never starts.
func (u Unmatched) Sentence() string {
	s := fmt.Sprintf("%s of %s can never start: %s", plural(u.Jobs, "job"), u.Class, u.why())
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

// Signed writes a change of money in a repeat: "+EUR 3.20".
func Signed(m units.Sum[units.Money], currency string) string {
	if a := units.AmountOf(m); a < 0 {
		return "−" + (-a).Short(currency)
	}
	return "+" + units.AmountOf(m).Short(currency)
}

// means says what the intervals of an outcome's figures mean.
func means(w *world.World, o *Outcome) string {
	n := w.Plan.Repeats
	switch alike := w.AlikeRuns(); {
	case n == 1:
		return "One repeat: there are no intervals. Several say how sure the figures are."
	case alike > 1:
		drawn := "in each of which the log's jobs are drawn anew at the rates of their hours"
		if weeks := w.AlikeWeeks(); weeks > 0 {
			drawn = fmt.Sprintf("each day of which is drawn from those of the same day in the log's %d weeks", weeks)
		}
		week := func(f stats.Figure) stats.Figure {
			f.Alike = 0
			return f
		}
		return fmt.Sprintf("± is the 95 %% interval for weeks like the recorded one, from %d runs %s. For that very week, over %d "+
			"repeats of its jobs, figures are surer: start delay %s on average, the bill %s a month.",
			alike, drawn, n, Time(week(o.Groups[0].Delay.Mean)), Money(week(o.Cost.PerMonth), o.Cost.Currency))
	case w.Recorded():
		return fmt.Sprintf("± is the 95 %% interval of the mean over %d repeats of the same recorded jobs: boots, nodes and all "+
			"that is drawn vary, when jobs come and how long they work as recorded does not. Another week would differ by more; "+
			"run.alike says by how much.", n)
	default:
		return fmt.Sprintf("± is the 95 %% interval of the mean over %d repeats, in each of which jobs, boots, nodes and all else "+
			"are drawn anew.", n)
	}
}

// PhaseMeanings say what a job waits for, or does, in each phase.
var PhaseMeanings = [sim.Phases]string{
	sim.Held: "waiting for the controller", sim.Placing: "waiting for room on nodes", sim.Node: "waiting for a node to boot",
	sim.Image: "pulling and unpacking images", sim.Setup: "starting containers", sim.Join: "agent reaching the controller",
	sim.Restore: "workspace cache coming in", sim.Work: "the job itself", sim.Save: "workspace cache going out", sim.Wipe: "cleaning up",
}

// UseMeanings say what node time goes to, from the useful to the empty.
var UseMeanings = [sim.Uses]string{
	sim.UseWork: "agents at work", sim.UseStart: "agents starting", sim.UseLost: "attempts cut short", sim.UseIdle: "agents idle",
	sim.UseStranded: "room too small for any agent", sim.UseEmpty: "empty room, nodes booting",
	sim.UseController: "the controller",
}
