package weigh

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"tachyphor/core/caching"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// say puts the answer into sentences.
func (x *weighing) say(o *Weighing) {
	o.Views = x.views(o)
	o.Words = append(o.Words, o.advice())
	if w := o.near(); w != "" {
		o.Words = append(o.Words, w)
	}
	if w := o.Views[0].Words; w != "" {
		o.Words = append(o.Words, w)
	}
	if w := o.harmful(); w != "" {
		o.Words = append(o.Words, w)
	}
	o.Words = append(o.Words, x.crowded(o))
	o.Assumed = x.assumed(o)
	o.Case = o.lines(x)
}

// assumed says which facts were not given, and what recorded times were taken to hold.
func (x *weighing) assumed(o *Weighing) []string {
	out := append([]string{}, x.w.Notes...)
	if w := o.unknown(); w != "" {
		out = append(out, w)
	}
	r := x.w.Records()
	if r.Jobs == 0 {
		return out
	}
	if rest := r.Jobs - r.Told; rest > 0 {
		who := "The recorded times"
		if r.Told > 0 {
			who = fmt.Sprintf("%s of %s recorded times say themselves what cold work they hold; the others", units.Count(int64(r.Told)),
				units.Count(int64(r.Jobs)))
		}
		switch r.Share {
		case 1:
			out = append(out, who+" are taken to hold all their cold work (the workload's jobs.cache: none, as where it says "+
				"nothing): without a cache builds take as long as they were recorded. Where they had a cache, say warm or mixed.")
		case 0:
			out = append(out, who+" are taken to be of builds that found a fresh cache (the workload's jobs.cache: warm): without "+
				"one their cold work comes on top. Where they had none, say none.")
		default:
			out = append(out, fmt.Sprintf("%s are taken to hold their cold work in %s of builds (the workload's jobs.cache: mixed). "+
				"A column cache would tell it build by build.", who, percent(r.Share)))
		}
	}
	if r.TooCold > 0 {
		out = append(out, fmt.Sprintf("%s of %s recorded builds took less time than their class's cold work takes on average: "+
			"workspace.cold may be too long.", units.Count(int64(r.TooCold)), units.Count(int64(r.Jobs))))
	}
	return out
}

// percent writes a share.
func percent(x float64) string { return fmt.Sprintf("%.0f %%", 100*x) }

func length(ns float64) string { return units.Duration(math.Round(ns)).Short() }

func (o *Weighing) money(x float64) string {
	return units.Amount(x).Short(o.Currency)
}

// advice is the plan to have, with what it does.
func (o *Weighing) advice() string {
	b := o.plan(o.Best)
	all := &b.Groups[0]
	if o.Best == None {
		best := 0
		for i := range o.Plans {
			if i > 0 && o.Plans[i].Key != Best && len(o.Plans[i].Missing) == 0 &&
				(best == 0 || o.Plans[i].Groups[0].LeadDiff.Mean < o.Plans[best].Groups[0].LeadDiff.Mean) {
				best = i
			}
		}
		if best == 0 {
			return "No plan can be judged: the cluster does not say what they rest on. Measure it (a probe does, for archives) or " +
				"write it into the cluster."
		}
		p := &o.Plans[best]
		return fmt.Sprintf("No cache: with none of the plans does the mean job surely end sooner; the nearest, %s, changes its "+
			"lead time by %s.", p.Label, o.change(p.Groups[0].LeadDiff.Mean, p.Groups[0].LeadDiff.Reach()))
	}
	says := fmt.Sprintf("Have %s: the mean job with a workspace ends after %s instead of %s, %s, and the bill is %s", o.mixed(b),
		length(all.Lead.Mean), length(o.Plans[0].Groups[0].Lead.Mean), o.change(all.LeadDiff.Mean, all.LeadDiff.Reach()), o.bill(b))
	if o.Today == o.Best {
		says += ". The scenario has it already"
	}
	return says + "."
}

// near says which plans are as good as the best one; empty where none is.
func (o *Weighing) near() string {
	all := &o.plan(o.Best).Groups[0]
	var close []string
	for _, key := range o.AsGood {
		p := o.plan(key)
		if key == byClass && p.Groups[0].LeadDiff == all.LeadDiff {
			continue // each project has one class: they are the same
		}
		close = append(close, fmt.Sprintf("%s (%s)", p.Label, o.change(p.Groups[0].LeadDiff.Mean, p.Groups[0].LeadDiff.Reach())))
	}
	if len(close) == 0 {
		return ""
	}
	return "As good within 2 % and more to keep up: " + strings.Join(close, "; ") + "."
}

// mixed names a plan; of the mix, what each class gets.
func (o *Weighing) mixed(p *Weighed) string {
	if p.Key != Best {
		return p.said()
	}
	var parts []string
	for _, r := range p.Rules {
		for i := range o.Plans {
			if q := &o.Plans[i]; len(q.Rules) == 1 && q.Key != Best {
				same := q.Rules[0]
				same.Classes = r.Classes
				if sameRules([]document.CacheRule{same}, []document.CacheRule{r}) {
					parts = append(parts, q.Label+" for "+strings.Join(r.Classes, ", "))
					break
				}
			}
		}
	}
	return strings.Join(parts, "; ")
}

func (o *Weighing) change(mean, half float64) string {
	word := "sooner"
	if mean > 0 {
		word = "later"
	}
	if half == 0 {
		return length(math.Abs(mean)) + " " + word
	}
	return fmt.Sprintf("%s ± %s %s", length(math.Abs(mean)), length(half), word)
}

// bill says what a plan does to the bill.
func (o *Weighing) bill(p *Weighed) string {
	d := p.CostDiff
	if d.Runs > 1 && !d.SureAlike() {
		return "as good as the same"
	}
	word := "less"
	if d.Mean > 0 {
		word = "more"
	}
	return fmt.Sprintf("%s a month %s", o.money(math.Abs(d.Mean)), word)
}

// unknown names the plans that rest on facts nobody gave, and which those are.
func (o *Weighing) unknown() string {
	var labels, fields []string
	for i := range o.Plans {
		p := &o.Plans[i]
		if len(p.Missing) == 0 {
			continue
		}
		labels = append(labels, p.Label)
		for _, f := range p.Missing {
			if !slices.Contains(fields, f) {
				fields = append(fields, f)
			}
		}
	}
	if len(labels) == 0 {
		return ""
	}
	return fmt.Sprintf("What the cluster does not say counts as free, at once or endless (%s). The plans that rest on it are "+
		"not judged, for their figures flatter them: %s.", strings.Join(fields, ", "), strings.Join(labels, "; "))
}

// harmful names the plans that are surely worse than none.
func (o *Weighing) harmful() string {
	var list []string
	for i := range o.Plans {
		p := &o.Plans[i]
		if all := &p.Groups[0]; i > 0 && all.Sure && all.LeadDiff.Mean > 0 {
			list = append(list, fmt.Sprintf("%s (%s)", p.Label, o.change(all.LeadDiff.Mean, all.LeadDiff.Reach())))
		}
	}
	if len(list) == 0 {
		return ""
	}
	return "Worse than no cache: " + strings.Join(list, "; ") + "."
}

// crowded says what sharing costs.
func (x *weighing) crowded(o *Weighing) string {
	when := x.w.Start.Add(time.Duration(o.Peak.From)).In(x.w.Zone.Location())
	says := fmt.Sprintf("In the busiest hour (%s, %d builds)", when.Format("Monday 15:04"), o.Peak.Jobs)
	alone, together := o.Peak.Plans[o.Peak.leastAlone()], o.Peak.Plans[o.Peak.least()]
	most := o.Peak.Plans[0]
	for _, t := range o.Peak.Plans {
		if t.More.Mean > most.More.Mean {
			most = t
		}
	}
	switch {
	case o.Peak.Changed && alone.More.Mean > 0.05*alone.Alone.Mean:
		rank := 1
		for _, t := range o.Peak.Plans {
			if t.Truth.Mean > alone.Truth.Mean {
				rank = 0
			}
		}
		word := "together it takes"
		if rank == 1 {
			word = "together it is the worst and takes"
		}
		return says + fmt.Sprintf(" %s would be best for a build alone (%s); %s %s, because agents wait for each other. Together "+
			"the least is %s, %s.",
			o.plan(alone.Key).said(), length(alone.Alone.Mean), word, length(alone.Truth.Mean), o.plan(together.Key).said(),
			length(together.Truth.Mean))
	case most.More.Mean > 0.05*most.Alone.Mean:
		return says + fmt.Sprintf(" %s takes %s of a build instead of %s alone, because agents wait for each other.", o.plan(most.Key).said(),
			length(most.Truth.Mean), length(most.Alone.Mean))
	}
	return says + " agents do not hinder each other: every plan takes a build as long as alone."
}

// lines are the case in five lines.
func (o *Weighing) lines(x *weighing) []string {
	b := o.plan(o.Best)
	all, none := &b.Groups[0], &o.Plans[0].Groups[0]
	out := []string{"1. " + o.advice()}
	out = append(out, fmt.Sprintf("2. Where the time goes, a build: restoring %s, cold work %s instead of %s, saving %s; %s of "+
		"builds find their workspace up to date.",
		length(all.Restore.Mean), length(all.Cold.Mean), length(none.Cold.Mean), length(all.Save.Mean), percent(all.Fresh.Mean)))
	if w := o.Views[0].Words; w != "" {
		out = append(out, "3. "+w)
	} else {
		out = append(out, "3. The usual comparison with the run that fills the cache does not mislead here.")
	}
	pays := "4. It does not pay within the span."
	if all.Pays.Repeats == 0 {
		pays = "4. After how many builds it pays is not told: what people submit differs from plan to plan."
	} else if o.Best == None {
		pays = "4. Nothing has to pay for itself."
	} else if all.Pays.Paid > 0 {
		pays = fmt.Sprintf("4. It has paid after %s builds of all (in %d of %d repeats)", units.Count(int64(all.Pays.Builds)), all.Pays.Paid,
			all.Pays.Repeats)
		if s := o.Surface; s != nil {
			pays += o.edges(s)
		}
		pays += "."
	}
	out = append(out, pays)
	sure := "5. From " + fmt.Sprintf("%d repeats of %s jobs", o.Repeats, units.Count(int64(none.Jobs.Mean)))
	if o.Repeats == 1 {
		sure += "; with one repeat no interval can be given"
	} else {
		sure += "; differences are paired, ± is their 95 % interval"
	}
	if o.Alike > 0 {
		sure += fmt.Sprintf(" for weeks like the recorded one, of which %d were run beside it", o.Alike)
	}
	return append(out, sure+".")
}

// edges say where the best plan of the surface would stop paying.
func (o *Weighing) edges(s *Surface) string {
	for _, p := range s.Plans {
		if p.Key != o.Best && !(o.Best == Best && p.Key == byProject) {
			continue
		}
		var parts []string
		for _, v := range p.Values {
			today := v.Quantity.In(s.Terms)
			if today <= 0 || v.Quantity == caching.OfPerDay {
				continue
			}
			parts = append(parts, fmt.Sprintf("%s at %s (today %s)", v.Quantity.Label(), Amount(v.Quantity, v.At), Amount(v.Quantity, today)))
		}
		if len(parts) > 0 {
			return "; for " + s.Class + " it breaks even with " + strings.Join(parts, ", ")
		}
	}
	return ""
}

// Amount writes a value of a quantity.
func Amount(q caching.Quantity, x float64) string {
	switch q.Unit() {
	case "bytes":
		return units.Decimal(x)
	case "bytes/s":
		return units.Decimal(x) + "/s"
	case "share":
		return fmt.Sprintf("%.3g %%", math.Round(1e3*x)/10)
	case "1/day":
		if x >= 100 {
			return units.Count(int64(math.Round(x))) + " a day"
		}
		return fmt.Sprintf("%.3g a day", x)
	default:
		return length(x * 1e9)
	}
}
