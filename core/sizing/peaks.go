package sizing

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Wish says how sure a bound must be.
type Wish struct {
	Share    float64        // of runs that must stay below, as in 0.99
	Sure     float64        // confidence in that, as in 0.95
	HalfLife units.Duration // after which a run counts half as much; 0: all runs count alike
}

// Defaults fills what a wish leaves out.
func (w Wish) Defaults() Wish {
	if w.Share == 0 {
		w.Share = 0.99
	}
	if w.Sure == 0 {
		w.Sure = 0.95
	}
	return w
}

// weight is what a run counts, for its age.
func (w Wish) weight(r *Run, now float64) float64 {
	if w.HalfLife <= 0 {
		return 1
	}
	return math.Exp2(-math.Max(now-r.Began, 0) / w.HalfLife.Seconds())
}

// month is what trends are told by.
const month = float64(730 * units.Hour / units.Second) // in seconds

// A PeakAdvice is what a request of memory or disk rests on.
type PeakAdvice struct {
	Request units.Bytes `json:"request" doc:"The bound, or what it may not be below, rounded up to 64 MiB; 0 where no bound can be given."`
	Bound   units.Bytes `json:"bound" doc:"The wished share of runs stays at or below it, with the wished confidence; 0: none."`
	Share   float64     `json:"share" doc:"Share of runs that was wished for."`
	Sure    float64     `json:"sure" doc:"Confidence that was wished for."`
	Runs    int         `json:"runs" doc:"Runs in which it was measured."`
	Counted int         `json:"counted" doc:"What they count as for their age."`
	Needs   int         `json:"needs" doc:"Runs without a kill that a bound needs."`
	// Supports is the share for which that many runs give a bound.
	Supports float64     `json:"supports" doc:"The largest share of runs for which these give a bound at all."`
	Half     units.Bytes `json:"half" doc:"Half of the runs stay at or below it, kills taken into account; 0: not known."`
	P95      units.Bytes `json:"p95" doc:"95 % of runs stay at or below it, likewise."`
	Most     units.Bytes `json:"most" doc:"The most that was seen."`
	AtLeast  units.Bytes `json:"atLeast" doc:"The most that was seen of a run that was not killed, grown for as long ahead as was looked back, at most a month, where peaks surely grow, rounded up: nothing below it is advised. 0: no such run."`
	Killed   int         `json:"killed" doc:"Runs that were ended for it: they need at least what they reached."`
	Least    units.Bytes `json:"least" doc:"What killed runs reached at least; 0 without any."`
	Trial    units.Bytes `json:"trial" doc:"Where kills leave no bound: a size to try next; 0: none."`
	Roomy    units.Bytes `json:"roomy" doc:"A larger request than the bound that leaves as many agents on a node, and so costs nothing; 0: none."`
	Growth   float64     `json:"growth" doc:"How fast peaks grow, a share a month of 730 h; 0 where that is not sure."`
	Low      float64     `json:"growthLow" doc:"Lower end of its 95 % interval."`
	High     float64     `json:"growthHigh" doc:"Upper end of its 95 % interval."`
	Words    []string    `json:"words" doc:"What the advice rests on, in sentences."`
}

// A peak is one run's most, and whether the run was ended for it.
type peak struct {
	value  units.Bytes
	killed bool
}

// Memory says how much memory runs need. now is the moment that ages count from, in
// seconds as runs have them.
func Memory(runs []Run, now float64, w Wish) PeakAdvice {
	return advise(runs, now, w, func(r *Run) peak { return peak{r.Memory, r.Killed} }, "memory")
}

// Disk says how much ephemeral storage runs need.
func Disk(runs []Run, now float64, w Wish) PeakAdvice {
	return advise(runs, now, w, func(r *Run) peak { return peak{r.Disk, r.Evicted} }, "disk")
}

// advise bounds the peaks of runs. A run that was killed counts as unbounded, so that
// a bound errs upwards and is not given when too many were.
func advise(runs []Run, now float64, w Wish, of func(*Run) peak, what string) PeakAdvice {
	w = w.Defaults()
	a := PeakAdvice{Share: w.Share, Sure: w.Sure}
	var peaks, weights, times, seen []float64
	var most units.Bytes // of runs that were not killed
	var open []stats.Observed
	for i := range runs {
		r := &runs[i]
		p := of(r)
		if p.value <= 0 && !p.killed {
			continue // not measured
		}
		a.Runs++
		value := float64(p.value)
		open = append(open, stats.Observed{Value: value, AtLeast: p.killed})
		a.Most = max(a.Most, p.value)
		if p.killed {
			a.Killed++
			a.Least = max(a.Least, p.value)
			value = math.Inf(1)
		} else {
			times, seen, most = append(times, r.Began/month), append(seen, value), max(most, p.value)
		}
		peaks, weights = append(peaks, value), append(weights, w.weight(r, now))
	}
	t := stats.WeightedTolerance(peaks, weights, w.Share, w.Sure)
	a.Counted, a.Needs = t.Runs, t.Needs
	if t.Runs > 0 {
		a.Supports = math.Pow(1-w.Sure, 1/float64(t.Runs))
	}
	a.Half, a.P95 = known(stats.KaplanMeier(open, 50)), known(stats.KaplanMeier(open, 95))
	if g := stats.Growth(times, seen); g.Sure() {
		a.Growth, a.Low, a.High = g.Growth, g.Low, g.High
	}
	if most > 0 {
		ahead := min(1, slices.Max(times)-slices.Min(times)) // months: no farther than was looked back
		a.AtLeast = roundUp(units.Bytes(math.Ceil(float64(most) * math.Pow(1+max(0, a.Growth), ahead))))
	}
	if !math.IsInf(t.Bound, 1) {
		a.Bound = units.Bytes(t.Bound)
		a.Request = max(roundUp(a.Bound), a.AtLeast)
	}
	a.Words = a.words(what)
	return a
}

// roundUp rounds an amount up to the grain of requests.
func roundUp(b units.Bytes) units.Bytes { return max((b+grain-1)/grain, 1) * grain }

// known turns a percentile into bytes; 0 where it is beyond what was seen.
func known(x float64) units.Bytes {
	if math.IsInf(x, 1) {
		return 0
	}
	return units.Bytes(x)
}

func (a *PeakAdvice) words(what string) []string {
	out := []string{}
	share, sure := percent(a.Share), percent(a.Sure)
	effective := ""
	if a.Counted != a.Runs {
		effective = fmt.Sprintf(", which count as %s for their age", units.Count(int64(a.Counted)))
	}
	runs := units.Count(int64(a.Runs))
	switch {
	case a.Runs == 0:
		return []string{fmt.Sprintf("No run tells how much %s it used; %s more are needed.", what, units.Count(int64(a.Needs)))}
	case a.Request > 0:
		out = append(out, fmt.Sprintf("%s of runs stay below %s with %s confidence, from %s runs%s.", share, a.Bound.Short(), sure, runs,
			effective))
	case a.Counted < a.Needs:
		out = append(out, fmt.Sprintf("%s runs%s are too few for %s of runs with %s confidence; %s more are needed.", runs, effective, share,
			sure, units.Count(int64(a.Needs-a.Counted))))
		if a.Counted > 0 {
			out = append(out, fmt.Sprintf("They can support a bound for %.0f %% of runs.", math.Floor(100*a.Supports)))
		}
	default:
		out = append(out, fmt.Sprintf("So many of the %s runs (%s, %.1f %%) were killed for %s that no bound can be given; they "+
			"need more than %s.",
			runs, units.Count(int64(a.Killed)), 100*float64(a.Killed)/float64(a.Runs), what, a.Least.Short()))
	}
	if a.Killed > 0 && a.Request > 0 {
		out = append(out, fmt.Sprintf("%s of them were killed for %s; they count as if they needed any amount.", units.Count(int64(a.Killed)),
			what))
	}
	if ahead := ""; a.AtLeast > 0 && a.AtLeast > roundUp(a.Bound) {
		if a.Growth > 0 {
			ahead = ", grown as it has until now"
		}
		out = append(out, fmt.Sprintf("Not less than %s is asked for: that much was seen of a run that was not killed%s.", a.AtLeast.Short(),
			ahead))
	}
	if a.Growth != 0 {
		word, low, high := "grow", math.Abs(a.Low), math.Abs(a.High)
		if a.Growth < 0 {
			word = "shrink"
		}
		out = append(out, fmt.Sprintf("Peaks of %s %s by %.0f %% a month (95 %% interval %.0f to %.0f %%).", what, word,
			100*math.Abs(a.Growth), 100*min(low, high), 100*max(low, high)))
	}
	return out
}

// percent writes a share.
func percent(share float64) string { return fmt.Sprintf("%.4g %%", 100*share) }
