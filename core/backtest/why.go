package backtest

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/units"
)

// WhyOf answers for a number of a backtest by its name: group/BY/NAME/WHAT/P/FIGURE with delay or lead and a percentile
// (the name of all is all jobs), phase/PHASE/FIGURE, agents/FIGURE, nodes/FIGURE and paid/FIGURE, with the figures predicted,
// observed and ratio; score/WHOSE with simulation, again, hour, all and own; fact/FACT/FIGURE with share, would, p95 and bill.
// ok is false where the backtest has no such number.
func (b *Backtest) WhyOf(of string) (why outcome.Why, ok bool) {
	what, rest, _ := strings.Cut(of, "/")
	switch what {
	case "score":
		return b.whyScore(of, rest)
	case "fact":
		fact, figure := cutLast(rest)
		return b.whyFact(of, fact, figure)
	}
	name, figure := cutLast(of)
	h, ok := b.beside(name)
	if !ok {
		return outcome.Why{}, false
	}
	return h.why(of, figure, b.Repeats)
}

// cutLast cuts off what is behind the last stroke.
func cutLast(s string) (before, after string) {
	i := strings.LastIndexByte(s, '/')
	return s[:max(i, 0)], s[i+1:]
}

// A pair is a quantity as predicted and as observed.
type pair struct {
	what                           string // what it is, without a full stop
	predicted, low, high, observed float64
	off                            bool
	letPass                        string // how far it may be off whatever chance says
	toofew                         string // why it is not judged; empty: it is
	run, seen                      string // how it is made of a run, and of what happened
	write                          func(float64) string
}

// beside finds a quantity by its name.
func (b *Backtest) beside(name string) (p pair, ok bool) {
	steps := strings.Split(name, "/")
	switch {
	case steps[0] == "group" && len(steps) == 5:
		i := slices.IndexFunc(b.Groups, func(g HeldBeside) bool { return g.By == steps[1] && g.named() == steps[2] })
		if i < 0 {
			return p, false
		}
		return b.Groups[i].beside(steps[3], steps[4])
	case steps[0] == "phase" && len(steps) == 2:
		i := slices.IndexFunc(b.Phases, func(x PhaseHeld) bool { return x.Phase == steps[1] })
		if i < 0 {
			return p, false
		}
		x := &b.Phases[i]
		return pair{
			what:      "How long jobs waited in the phase " + x.Phase + ", on average",
			predicted: x.Predicted, low: x.Low, high: x.High, observed: x.Observed, off: x.Off, letPass: "a twentieth or a tenth of a second",
			run: "the mean over the same jobs, of which the log tells this phase", seen: fmt.Sprintf("The mean over the %s jobs of which the log tells this phase.", units.Count(int64(x.Jobs))),
			write: short,
		}, true
	case steps[0] == "paid" && len(steps) == 1 && b.Paid != nil:
		x := b.Paid
		return pair{
			what:      "What the log's whole time costs",
			predicted: x.Predicted, low: x.Low, high: x.High, observed: x.Paid, off: x.Off, letPass: "a twentieth",
			run: "node time at each pool's price, by its rules of billing, and the fee", seen: "As it was told when the backtest was asked for.",
			write: b.money,
		}, true
	case len(steps) == 1:
		i := slices.IndexFunc(b.Counted, func(c Counted) bool { return c.What == steps[0] })
		if i < 0 {
			return p, false
		}
		c := &b.Counted[i]
		return pair{
			what:      "How many " + c.What + " there are, on average",
			predicted: c.Predicted, low: c.Low, high: c.High, observed: c.Observed, off: c.Off, letPass: "a twentieth",
			run:   "the mean over the moments of which it is recorded",
			seen:  fmt.Sprintf("The mean over the %s moments of which it is recorded, each counting the same.", units.Count(int64(c.Records))),
			write: func(v float64) string { return units.Fixed(v, 1) },
		}, true
	}
	return p, false
}

// named is what a group is asked for by.
func (g *HeldBeside) named() string {
	if g.By == "all" {
		return "all jobs"
	}
	return g.Name
}

func (g *HeldBeside) beside(what, percent string) (p pair, ok bool) {
	list, says := g.Delay, "start delay"
	if what == "lead" {
		list, says = g.Lead, "lead time"
	} else if what != "delay" {
		return p, false
	}
	i := slices.IndexFunc(list, func(x Percentile) bool { return strconv.FormatFloat(x.P, 'g', -1, 64) == percent })
	if i < 0 {
		return p, false
	}
	x, who := &list[i], "all jobs"
	if g.By != "all" {
		who = "jobs of " + g.By + " " + g.Name
	}
	seen := max(x.Observed, leastTime*second)
	p = pair{
		what:      fmt.Sprintf("The %s that %g %% of %s stay within", says, x.P, who),
		predicted: x.Predicted, low: x.Low * seen, high: x.High * seen, observed: x.Observed, off: x.Off, letPass: "a second",
		run: "the percentile of the same jobs", write: short,
	}
	if p.low <= leastTime*second { // not told from none
		p.low = 0
	}
	known := "how long they waited"
	if what == "lead" {
		known = "when they ended"
	}
	p.seen = fmt.Sprintf("The %ss that happened are put in one row, of those of the %s jobs that are scored of which the log tells %s; it is the one at that rank.",
		says, units.Count(int64(g.Jobs)), known)
	if !x.Judged {
		p.toofew = fmt.Sprintf("It is not judged: at least %s jobs are needed, so that ten are expected beyond it.", units.Count(int64(x.Needs)))
	}
	return p, true
}

// why answers for a figure of a quantity.
func (p *pair) why(of, figure string, runs int) (outcome.Why, bool) {
	verdict := "What happened is within that."
	outside := p.observed < p.low || p.observed > p.high
	switch {
	case p.toofew != "":
		verdict = p.toofew
	case p.off:
		verdict = fmt.Sprintf("What happened, %s, is outside, and by more than %s: it is further off than chance explains.", p.write(p.observed), p.letPass)
	case outside:
		verdict = fmt.Sprintf("What happened, %s, is outside, but by no more than %s, which is let pass.", p.write(p.observed), p.letPass)
	}
	bounds := fmt.Sprintf("One more run of the same jobs is between %s and %s in 95 of 100 cases, by the spread of these runs. If the simulation is right, what happened is such a run. ",
		p.write(p.low), p.write(p.high))
	why := outcome.Why{Of: of, Runs: runs, Interval: bounds + verdict}
	how := fmt.Sprintf("The jobs of the log are simulated %d times as they came, each taking as long as it took. Of each run %s; then the middle of the runs (the mean of their logarithms).",
		runs, p.run)
	switch figure {
	case "predicted":
		why.What, why.Value, why.How = p.what+", as the simulation predicts it.", fmt.Sprintf("%s (%s to %s)", p.write(p.predicted), p.write(p.low), p.write(p.high)), how
	case "observed":
		why.What, why.Value, why.How, why.Runs = p.what+", as it happened.", p.write(p.observed), p.seen, 0
		why.Interval = "It is what happened: nothing of it is drawn. Other weeks would have other values. " + verdict
	case "ratio":
		if p.observed <= 0 {
			return outcome.Why{}, false
		}
		why.What, why.How = p.what+": predicted, by what happened.", how+" That is divided by what happened, "+p.write(p.observed)+"."
		why.Value = fmt.Sprintf("%.2f (%.2f to %.2f)", p.predicted/p.observed, p.low/p.observed, p.high/p.observed)
		why.Interval += " A ratio of 1 is a perfect prediction."
	default:
		return outcome.Why{}, false
	}
	return why, true
}

// whyScore answers for a score.
func (b *Backtest) whyScore(of, whose string) (outcome.Why, bool) {
	s := &b.Scores
	const loss = "For each job, how far the forecast is off what it waited: the pinball loss, the mean over all shares from 0 to 100 %. "
	these := fmt.Sprintf("Then the mean over the %s jobs for which all three forecasts say something.", units.Count(int64(s.Compare)))
	all := fmt.Sprintf("Then the mean over all %s jobs that are scored.", units.Count(int64(b.Jobs)))
	why := outcome.Why{Of: of, Runs: b.Repeats}
	give := func(ns float64, what, how, sure string) (outcome.Why, bool) {
		why.Value, why.What, why.How, why.Interval = short(ns), what, how, sure
		return why, true
	}
	told := "It is of these very jobs, and has no interval of its own: less is nearer to what happened. "
	bound := fmt.Sprintf("Over all jobs, chance explains a score of up to %s for a simulation that is right.", short(b.Verdict.Bound))
	switch {
	case whose == "all":
		return give(s.Model, "How far the simulation is off, over all jobs that are scored.", loss+"Its forecast of a job is what the runs say of it. "+all, told+bound)
	case whose == "own":
		return give(s.Own, "How far the simulation would be off on average if it were right: less cannot be had.",
			loss+"One run after the other is taken for what happened, and the others for the forecast. "+all, bound)
	case s.Compare == 0:
		return outcome.Why{}, false
	case whose == "simulation":
		return give(s.OfThese, "How far the simulation is off, of the jobs for which the other forecasts say something too.", loss+"Its forecast of a job is what the runs say of it. "+these, told+bound)
	}
	why.Runs = 0
	switch whose {
	case "again":
		return give(s.Again, "How far a forecast is off that knows nothing of the design: the same hour as it was last.",
			loss+"Its forecast of a job is what jobs of its class waited in the same hour a week before or, where none are known, on the last day of its kind. "+these, told)
	case "hour":
		return give(s.ByHour, "How far a forecast is off that knows nothing of the design: the hour of the week as it was so far.",
			loss+"Its forecast of a job is what jobs of its class waited in that hour of the week before its day. "+these, told)
	}
	return outcome.Why{}, false
}

// whyFact answers for what a fact would explain.
func (b *Backtest) whyFact(of, fact, figure string) (outcome.Why, bool) {
	i := slices.IndexFunc(b.Tried, func(x Explained) bool { return x.Fact == fact })
	if i < 0 {
		return outcome.Why{}, false
	}
	x := &b.Tried[i]
	tried := fmt.Sprintf("The fact is tried at half to twice what the document says (%s), closer around where it is best, and the same jobs are simulated with each on the same draws. ", x.Says)
	const again = "Stretches of three hours are drawn again 400 times"
	sure := "In at least 97.5 of 100 of these draws it is nearer than what the document says."
	if !x.Sure {
		sure = "In fewer than 97.5 of 100 of these draws it is nearer than what the document says: it may be chance."
	}
	if x.Like {
		sure += " These jobs do not tell it apart from " + b.Tried[0].Fact + "."
	}
	why := outcome.Why{Of: of, Runs: factRepeats, Interval: again + ". " + sure}
	switch {
	case figure == "share":
		why.Value = fmt.Sprintf("%.0f %%", 100*x.Share)
		why.What = "How much of the error another value of " + fact + " would explain."
		why.How = tried + "The error is the pinball loss on the scale of logarithms, so that all jobs count and not only those that wait longest. " +
			"It is what the best value takes away, of that and of what it leaves beyond chance."
	case x.Share <= 0: // no other value is nearer
		return outcome.Why{}, false
	case figure == "would":
		why.Value = fmt.Sprintf("%s (%s to %s)", x.Would, x.Low, x.High)
		why.What = "The value of " + fact + " with which the jobs would have come out nearest to what happened."
		why.How = tried + "A parabola is laid through the errors of the best values, and it is at its lowest point."
		why.Interval = again + ", and the lowest point is found each time: it is within these bounds in 95 of 100. "
		if i == 0 && !b.Verdict.Agrees { // looked at closer
			why.Runs = b.Repeats
			why.Interval = again + ", and the lowest point is found each time; with what groups of four runs differ by, it is within these bounds in 95 of 100. "
		}
		why.Interval += sure
	case figure == "p95":
		why.Value = signed(x.P95, short)
		why.What = "By how much the 95th percentile of these jobs' start delays changes, as predicted, with " + fact + " as " + x.Would + "."
		why.How = tried + "The percentile of each run, then the mean, with the best value that was tried less that with what the document says."
		why.Interval = "Both have the same draws. No interval is worked out for it."
	case figure == "bill":
		why.Value = signed(x.Cost, b.money)
		why.What = "By how much a month's bill changes, as predicted, with " + fact + " as " + x.Would + "."
		why.How = tried + "The mean bill of the runs, brought to a month of 730 h, with the best value that was tried less that with what the document says, under the design in force now."
		why.Interval = "Both have the same draws. No interval is worked out for it."
	default:
		return outcome.Why{}, false
	}
	return why, true
}

func signed(v float64, write func(float64) string) string {
	if v < 0 {
		return write(-v) + " less"
	}
	return write(v) + " more"
}

func (b *Backtest) money(v float64) string { return units.Amount(v).Short(b.Currency) }
