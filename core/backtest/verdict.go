package backtest

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/portable"
	"tachyphor/core/units"
)

// looks is how sure each of three looks is to call a simulation wrong that is right: together one
// in twenty.
const looks = 0.05 / 3

// A CameTrue says whether it came true.
type CameTrue struct {
	Agrees bool    `json:"agrees" doc:"The score is no worse than chance explains: one run in twenty of a right simulation is called wrong."`
	Bound  float64 `json:"boundNs" doc:"The worst score that chance explains."`
	Off    int     `json:"off" doc:"Percentiles of all jobs that are further off than chance explains."`
	Says   string  `json:"says" doc:"The same in words."`
}

// judge says whether the forecast came true. What the runs would score if one of them had been
// observed says what chance explains.
func (b *Backtest) judge() {
	// Three looks: the score on the scale of seconds, on which those jobs count that wait longest,
	// on that of their logarithms, on which all do, and the percentiles. Of scores one side counts.
	_, _, high := ranged(b.spread, 1-2*looks)
	_, _, highLog := ranged(b.logSpread, 1-2*looks)
	v := &b.Verdict
	v.Bound = high * second
	v.Agrees = b.Scores.Model <= v.Bound && b.logScore <= highLog
	all := &b.Groups[0]
	v.Agrees = v.Agrees && !slices.ContainsFunc(all.Delay, func(x Percentile) bool { return x.surely })
	worst := -1
	for i := range all.Delay {
		if x := &all.Delay[i]; x.Off {
			v.Off++
			if worst < 0 || math.Abs(portable.Log(x.Ratio)) > math.Abs(portable.Log(all.Delay[worst].Ratio)) {
				worst = i
			}
		}
	}
	of := func(i int) string {
		x := &all.Delay[i]
		return fmt.Sprintf("%g %% of jobs started within %s where %s was predicted", x.P, short(x.Observed), short(x.Predicted))
	}
	main := 0
	for i := range all.Delay {
		if all.Delay[i].Judged {
			main = i
		}
	}
	switch {
	case v.Agrees && worst < 0:
		v.Says = "It came true, as far as these jobs tell: " + of(main) + "."
	case v.Agrees:
		v.Says = "As a whole no further off than chance explains, but " + of(worst) + "."
	case worst >= 0:
		v.Says = "It did not come true: " + of(worst) + ", more than chance explains."
	default:
		v.Says = "Percentiles agree, but it errs about which jobs wait, more than chance explains: " + of(main) + "."
	}
	if says := phasesSay(b.Phases); says != "" {
		v.Says += " " + says
	}
	if s := b.Scores; s.Compare > 0 {
		better := "the simulation is nearer than both"
		if s.OfThese > s.Again || s.OfThese > s.ByHour {
			better = "the simulation is not nearer than both"
		}
		v.Says += fmt.Sprintf(" Beside forecasts that know nothing of the design, %s (%s; %s for the same hour as it was last, %s for the hour of the week).",
			better, short(s.OfThese), short(s.Again), short(s.ByHour))
	}
}

// next says what to do.
func (b *Backtest) next() {
	switch f := b.Fact; {
	case f != nil:
		b.Next = fmt.Sprintf("%s would have come out nearest as %s (%s to %s) where the cluster says %s: it explains %.0f %% of the error%s.",
			f.Fact, f.Would, f.Low, f.High, f.Says, 100*f.Share, map[bool]string{false: ", likely but not surely"}[f.Sure])
		var like []string
		for _, x := range b.Tried {
			if x.Like {
				like = append(like, x.Fact+" as "+x.Would)
			}
		}
		if len(like) > 0 {
			b.Next += " These jobs do not tell it apart from " + strings.Join(like, " or ") + ": measure them."
		} else {
			b.Next += " Take it over, or measure it."
		}
	case !b.Verdict.Agrees && len(b.Tried) > 0:
		b.Next = "No single fact of the cluster explains it: look at the classes and hours that are furthest off, and at whether this design was in force."
	case !b.Verdict.Agrees:
		b.Next = "Ask which fact would explain it."
	default:
		b.Next = "Nothing: go on trusting it, and hold newer jobs against it."
	}
}

// short writes a time in ns.
func short(ns float64) string { return units.Duration(math.Round(ns)).Short() }
