package weigh

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/outcome"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// AllClasses stands for all classes that have a workspace in the name of a number.
const AllClasses = "all classes"

// WhyOf answers for a number of a weighing by its name: plan/KEY/CLASS/FIGURE with lead, less, p50, p90, p95, start, pull, restore,
// work, cold, save, wipe, fresh, stale, missed, saves, down, up and pays; bill/KEY/FIGURE with month, more, worth and kept;
// money/KEY/WHAT, and peak/KEY/FIGURE with alone, truth and more. ok is false where the weighing has no such number.
func (o *Weighing) WhyOf(of string) (why outcome.Why, ok bool) {
	steps := strings.Split(of, "/")
	if len(steps) < 3 {
		return why, false
	}
	at := slices.IndexFunc(o.Plans, func(p Weighed) bool { return p.Key == steps[1] })
	if at < 0 {
		return why, false
	}
	p, last := &o.Plans[at], steps[len(steps)-1]
	with := "With the plan “" + p.Label + "”"
	if p.Key == None {
		with = "Without a cache"
	}
	switch {
	case steps[0] == "plan" && len(steps) == 4:
		class := steps[2]
		if class == AllClasses {
			class = ""
		}
		g := slices.IndexFunc(p.Groups, func(f Fared) bool { return f.Class == class })
		if g < 0 {
			return why, false
		}
		why, ok = o.whyFared(of, with, last, &p.Groups[g])
	case steps[0] == "bill" && len(steps) == 3:
		why, ok = o.whyBill(of, with, last, p)
	case steps[0] == "money" && len(steps) == 3:
		m := slices.IndexFunc(p.Money, func(m Money) bool { return m.What == last })
		if m < 0 {
			return why, false
		}
		how := "By the amounts of each repeat at the cluster's prices, brought to a month of 730 h; then the mean."
		if p.Money[m].Part {
			how = "Each moment of each node is shared out by what agents on it request; this is what falls to agents while they do so. It is a part of the nodes' cost, not beside it."
		}
		why, ok = outcome.WhyMoney(of, with+", what is paid a month: "+last+".", how, p.Money[m].PerMonth, o.Currency), true
	case steps[0] == "peak" && len(steps) == 3:
		t := slices.IndexFunc(o.Peak.Plans, func(t PeakTimes) bool { return t.Key == p.Key })
		if t < 0 {
			return why, false
		}
		why, ok = o.whyPeak(of, with, last, &o.Peak.Plans[t])
	}
	if ok && len(p.Missing) > 0 {
		why.How += " The cluster does not say " + strings.Join(p.Missing, ", ") + ": they counted as nothing, at once or without end, so that this plan is not judged."
	}
	return why, ok
}

const (
	everyPlan = " Every plan has the same jobs and draws, so that differences are of the plan and not of chance."
	ended     = "The mean over jobs that ended, of each repeat; then the mean of these."
)

func (o *Weighing) whyFared(of, with, figure string, f *Fared) (outcome.Why, bool) {
	who := "builds that have a workspace"
	if f.Class != "" {
		who = "builds of " + f.Class
	}
	time := func(x stats.Figure, what, how string) (outcome.Why, bool) {
		return outcome.WhyTime(of, with+", "+what+".", how+everyPlan, x), true
	}
	percentile := func(x *stats.Figure, share string) (outcome.Why, bool) {
		if x == nil {
			return outcome.Why{}, false
		}
		return outcome.WhyPercentile(of, fmt.Sprintf("%s, the lead time that %s of %s stay within.", with, share, who),
			"The lead times of all repeats are put in one row, and it is the one at that rank. Where fewer than ten builds are expected beyond, no figure is given."+everyPlan, *x), true
	}
	share := func(x stats.Figure, what string) (outcome.Why, bool) {
		return outcome.WhyShare(of, with+", the share of "+who+" that found their workspace "+what+".", "Of each repeat, then the mean."+everyPlan, x), true
	}
	gigabytes := func(x stats.Figure, what string) (outcome.Why, bool) {
		return outcome.WhyCount(of, with+", GB "+what+" a month by "+who+".", "Of each repeat, brought to a month of 730 h; then the mean."+everyPlan, x), true
	}
	phase := map[string]struct {
		x    stats.Figure
		what string
	}{
		"start": {f.Start, "the start delay"}, "restore": {f.Restore, "the time that restoring a workspace takes"}, "work": {f.Work, "work without what is cold"},
		"cold": {f.Cold, "cold work: what a build does because its workspace is missing or out of date"}, "save": {f.Save, "the time that saving a workspace takes"},
		"wipe": {f.Wipe, "cleaning up"},
	}
	switch figure {
	case "lead":
		return time(f.Lead, "lead time of "+who+" on average: from submission to the job's end", ended)
	case "less":
		return time(f.LeadDiff, "mean lead time of "+who+" less that without a cache; below 0: sooner", "The mean over jobs that ended, less that without a cache, repeat by repeat; then the mean of these.")
	case "p50":
		return percentile(f.P50, "half")
	case "p90":
		return percentile(f.P90, "90 %")
	case "p95":
		return percentile(f.P95, "95 %")
	case "pull":
		return time(f.Pull, "waiting for images that hold workspaces, less that without a cache, on average of "+who, "It is a part of the start delay. "+ended)
	case "fresh":
		return share(f.Fresh, "up to date")
	case "stale":
		return share(f.Stale, "out of date")
	case "missed":
		return share(f.Missed, "missing")
	case "saves":
		return outcome.WhyCount(of, with+", how often a workspace is saved in a repeat by "+who+".", "Of each repeat, then the mean."+everyPlan, f.Saves), true
	case "down":
		return gigabytes(f.DownGB, "brought from the store")
	case "up":
		return gigabytes(f.UpGB, "sent to the store")
	case "pays":
		return o.whyPays(of, with, who, &f.Pays)
	}
	if x, ok := phase[figure]; ok {
		return time(x.x, x.what+", on average of "+who, ended)
	}
	return outcome.Why{}, false
}

func (o *Weighing) whyPays(of, with, who string, p *PaysOff) (outcome.Why, bool) {
	why := outcome.Why{
		Of: of, What: with + ", after how many " + who + " it has paid.", Runs: p.Repeats,
		How: "What the workspace takes of each build (restoring, cold work, saving) is added up from the first on, less what cold work takes of it without a cache. " +
			"It has paid from where on the sum stays below; told is the median of the repeats in which it does.",
		Interval: fmt.Sprintf("It pays within the span in %d of %d repeats. No interval is worked out for it.", p.Paid, p.Repeats),
	}
	switch {
	case p.Repeats == 0:
		why.Value, why.Interval = "not followed", "Builds are not the same ones with each plan, so that they cannot be followed one by one."
	case p.Paid == 0:
		why.Value = "never"
	default:
		why.Value = units.Count(int64(p.Builds)) + " builds"
	}
	return why, true
}

func (o *Weighing) whyBill(of, with, figure string, p *Weighed) (outcome.Why, bool) {
	const all = "All that is paid within the window of a repeat, the store and its traffic too, brought to a month of 730 h"
	switch figure {
	case "month":
		return outcome.WhyMoney(of, with+", what is paid a month.", all+"; then the mean."+everyPlan, p.Cost, o.Currency), true
	case "more":
		return outcome.WhyMoney(of, with+", what is paid a month less what is paid without a cache; below 0: less.", all+", less that without a cache, repeat by repeat; then the mean."+everyPlan, p.CostDiff, o.Currency), true
	case "kept":
		return outcome.WhyCount(of, with+", GB in the store on average.", "Over the window of each repeat, then the mean."+everyPlan, p.KeptGB), true
	case "worth":
		if o.PerHour <= 0 {
			return outcome.Why{}, false
		}
		return outcome.Why{
			Of: of, Value: units.Amount(p.Worth).Short(o.Currency), What: with + ", what sooner ends of jobs are worth a month, less what more is paid.", Runs: o.Repeats,
			How:      fmt.Sprintf("The hours by which jobs end sooner than without a cache at %s an hour, brought to a month of 730 h, less the difference of the bill.%s", units.Amount(o.PerHour).Short(o.Currency), everyPlan),
			Interval: "No interval is worked out for it: those of the lead time and the bill say how sure it is.",
		}, true
	}
	return outcome.Why{}, false
}

func (o *Weighing) whyPeak(of, with, figure string, t *PeakTimes) (outcome.Why, bool) {
	hour := fmt.Sprintf("the hour with most builds (%s in the first repeat)", units.Count(int64(o.Peak.Jobs)))
	how := "Restoring, cold work and saving, and waiting for a volume that another job has; the mean over the builds of that hour, of each repeat; then the mean of these." + everyPlan
	switch figure {
	case "alone":
		return outcome.WhyTime(of, with+", what the workspace takes of a build in "+hour+", were nobody else on the store's link or had the volume.", how, t.Alone), true
	case "truth":
		return outcome.WhyTime(of, with+", what the workspace takes of a build in "+hour+".", how, t.Truth), true
	case "more":
		return outcome.WhyTime(of, with+", what sharing the store's link and volumes adds to a build in "+hour+".", "What it takes as it is, less what it would take alone, repeat by repeat. "+how, t.More), true
	}
	return outcome.Why{}, false
}
