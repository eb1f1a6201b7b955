package outcome

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/units"
)

// An Aimed is an aim of the scenario, and what the repeats say of it. All verdicts of an outcome together are
// wrong in at most 5 of 100 outcomes.
type Aimed struct {
	aim.Asked
	aim.Reading
	Reads string `json:"reads" doc:"What the repeats say, in words with its interval."`
	// Weeks is of weeks like the recorded ones, where their days are drawn whole from several that were recorded.
	Weeks *AimReading `json:"weeks,omitempty" doc:"Of a log of several weeks: what weeks like the recorded ones say. The rest is of the very time that was recorded."`
}

// An AimReading is what repeats say of an aim, in words too.
type AimReading struct {
	aim.Reading
	Reads string `json:"reads" doc:"The same in words, with its interval."`
}

// AimedOf puts together what is asked and what is read of it.
func AimedOf(a aim.Asked, r aim.Reading, currency string) Aimed {
	return Aimed{Asked: a, Reading: r, Reads: a.Reads(r, currency)}
}

// chanceOfAims is the chance that any verdict of an outcome is wrong.
const chanceOfAims = 0.05

// aims judges the scenario's aims by all repeats.
func (s *Sum) aims() (out []Aimed) {
	for i, a := range s.world.Aims {
		judge := func(samples []Sample) aim.Reading {
			runs := make([]aim.Tally, len(samples))
			for n := range samples {
				runs[n] = samples[n].Aims[i]
			}
			return a.Judge(runs, chanceOfAims/float64(len(s.world.Aims)))
		}
		x := AimedOf(a.Asked(), judge(s.samples), s.world.Currency)
		if s.world.AlikeWeeks() > 0 { // jobs drawn one by one lose what comes in bursts, and wait less
			weeks := judge(s.alike)
			x.Weeks = &AimReading{weeks, x.Asked.Reads(weeks, s.world.Currency)}
		}
		out = append(out, x)
	}
	return out
}

// Worst is the gravest verdict on a scenario's aims; empty: it has none.
func Worst(list []Aimed) aim.Verdict {
	if len(list) == 0 {
		return ""
	}
	return slices.MaxFunc(list, func(x, y Aimed) int { return cmp.Compare(x.Verdict.Grave(), y.Verdict.Grave()) }).Verdict
}

// Verdicts says in a sentence how the design stands with its aims; empty: it has none.
func Verdicts(list []Aimed) string {
	if len(list) == 0 {
		return ""
	}
	if list[0].Runs < 2 && Worst(list) != aim.Missed {
		says := make([]string, len(list))
		for i, x := range list {
			says[i] = x.Says + ": it is " + x.Reads
		}
		return "In one run, which decides nothing: " + strings.Join(says, "; ") + "."
	}
	by, nobody := map[aim.Verdict][]string{}, []string{}
	for _, x := range list {
		says := x.Says
		if x.Nobody {
			nobody = append(nobody, says)
		}
		if x.Verdict != aim.Kept {
			says += " (it is " + x.Reads + ")"
		}
		by[x.Verdict] = append(by[x.Verdict], says)
	}
	missed, open := by[aim.Missed], by[aim.Undecided]
	var parts []string
	if len(missed) > 0 {
		parts = append(parts, fmt.Sprintf("It misses %s: %s.", ofAims(len(missed), len(list)), strings.Join(missed, "; ")))
	}
	if len(open) > 0 {
		parts = append(parts, fmt.Sprintf("Whether it keeps %s is not decided: %s; more repeats (run.repeats) may tell.", ofAims(len(open), len(list)), strings.Join(open, "; ")))
	}
	if len(parts) == 0 {
		parts = []string{"It keeps " + allAims(len(list)) + "."}
	}
	if len(nobody) > 0 {
		parts = append(parts, fmt.Sprintf("No job came that this is about: %s.", strings.Join(nobody, "; ")))
	}
	return strings.Join(parts, " ")
}

func ofAims(n, all int) string {
	if n == all {
		return allAims(all)
	}
	return fmt.Sprintf("%d of its %s aims", n, units.Count(int64(all)))
}

func allAims(n int) string {
	switch n {
	case 1:
		return "its aim"
	case 2:
		return "both its aims"
	}
	return fmt.Sprintf("all its %d aims", n)
}

// Why answers for an aim, of so many that are judged together.
func (x *Aimed) Why(of string, aims int) Why {
	w := Why{
		Of: of, What: "Whether the design keeps: " + x.Says + ".", Value: string(x.Verdict) + ": it is " + x.Reads, Runs: x.Runs,
		How: "Each repeat says how many of how many jobs do; all repeats together must be on the right side of the bound with the whole interval. " + countsJobs,
	}
	switch x.Kind {
	case aim.Share.String():
		w.How += " A job that has not started at the end counts as late once it has waited longer than the aim allows, and not at all before."
	case aim.Mean.String():
		w.How = "The times of all jobs that are over, of all repeats together, over how many there are; it must be within the bound with the whole interval. " + countsJobs
	case aim.Bill.String():
		w.How = monthly + " The bound must be above the whole interval."
	case aim.Never.String(), aim.Fails.String():
		w.How = "Jobs of each repeat that do what none should are counted: one is enough to miss the aim. " + countsJobs
		w.Interval = fmt.Sprintf("None in %d repeats does not say that there never is one; it says that it is seldom.", x.Runs)
	}
	switch {
	case x.Runs < 2:
		w.Interval = "It is of one repeat: nothing is known of how it varies. Ask for more (run.repeats)."
	case x.Nobody:
		w.Interval = "No job came that it is about, so that nothing could miss it."
	case w.Interval == "":
		w.Interval = fmt.Sprintf("Its interval is by the variance of a ratio over %d repeats (Student's t).", x.Runs)
		if aims > 1 {
			w.Interval += fmt.Sprintf(" It is wider than one of 95 %%, so that all %d verdicts together are right in 95 of 100 cases.", aims)
		}
	}
	return w
}
