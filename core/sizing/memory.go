package sizing

import (
	"fmt"
	"math"

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

// month is what trends are told by.
const month = float64(730 * units.Hour / units.Second) // in seconds

// MemoryAdvice is a request of memory with all that it rests on.
type MemoryAdvice struct {
	// Request is the bound, rounded up to the grain; 0 where none can be given.
	Request units.Bytes
	Bound   stats.Tolerance
	Half    units.Bytes // half of the runs stay at or below it, kills taken into account; 0: not known
	P95     units.Bytes // likewise 95 %
	Runs    int
	Killed  int
	Least   units.Bytes // where kills leave no bound: what is known to be needed at least
	// Trend is how fast peaks grow, a share a month of 730 h; zero where nothing can be
	// said.
	Trend stats.Trend
}

// Memory says how much memory runs need. A run that was killed counts as unbounded,
// so that a bound errs upwards and is not given when too many were. now is the
// moment that ages count from, in seconds as runs have them.
func Memory(runs []Run, now float64, w Wish) MemoryAdvice {
	w = w.Defaults()
	a := MemoryAdvice{Runs: len(runs)}
	var peaks, weights, times, seen []float64
	var open []stats.Observed
	for _, r := range runs {
		weight := 1.0
		if w.HalfLife > 0 {
			weight = math.Exp2(-math.Max(now-r.Began, 0) / w.HalfLife.Seconds())
		}
		peak := float64(r.Memory)
		open = append(open, stats.Observed{Value: peak, AtLeast: r.Killed})
		if r.Killed {
			a.Killed++
			a.Least = max(a.Least, r.Memory)
			peak = math.Inf(1)
		} else {
			times, seen = append(times, r.Began/month), append(seen, peak)
		}
		peaks, weights = append(peaks, peak), append(weights, weight)
	}
	a.Bound = stats.WeightedTolerance(peaks, weights, w.Share, w.Sure)
	if !math.IsInf(a.Bound.Bound, 1) {
		a.Request = max(units.Bytes(math.Ceil(a.Bound.Bound/float64(grain)))*grain, grain)
	}
	a.Half, a.P95 = known(stats.KaplanMeier(open, 50)), known(stats.KaplanMeier(open, 95))
	a.Trend = stats.Growth(times, seen)
	return a
}

// known turns a percentile into bytes; 0 where it is beyond what was seen.
func known(x float64) units.Bytes {
	if math.IsInf(x, 1) {
		return 0
	}
	return units.Bytes(x)
}

// Words say what the advice rests on, in sentences.
func (a MemoryAdvice) Words() []string {
	var out []string
	share, sure := fmt.Sprintf("%g %%", 100*a.Bound.Share), fmt.Sprintf("%g %%", 100*a.Bound.Sure)
	effective := ""
	if a.Bound.Runs != a.Runs {
		effective = fmt.Sprintf(", which count as %s for their age", units.Count(int64(a.Bound.Runs)))
	}
	switch {
	case a.Request > 0:
		out = append(out, fmt.Sprintf("%s of runs stay below %s with %s confidence, from %s runs%s.", share, units.Bytes(a.Bound.Bound).Short(), sure, units.Count(int64(a.Runs)), effective))
	case a.Bound.Runs < a.Bound.Needs:
		most := 100 * math.Pow(1-a.Bound.Sure, 1/float64(max(a.Bound.Runs, 1)))
		out = append(out, fmt.Sprintf("%s runs%s are too few for %s of runs with %s confidence; %s more are needed.", units.Count(int64(a.Runs)), effective, share, sure, units.Count(int64(a.Bound.Needs-a.Bound.Runs))))
		if a.Bound.Runs > 0 {
			out = append(out, fmt.Sprintf("They can support a bound for %.0f %% of runs.", math.Floor(most)))
		}
	default:
		out = append(out, fmt.Sprintf("So many of the %s runs were killed for memory that no bound can be given; they need more than %s.", units.Count(int64(a.Runs)), a.Least.Short()))
	}
	if a.Killed > 0 && a.Request > 0 {
		out = append(out, fmt.Sprintf("%s of them were killed for memory; they count as if they needed any amount.", units.Count(int64(a.Killed))))
	}
	if a.Trend.Sure() {
		word := "grow"
		if a.Trend.Growth < 0 {
			word = "shrink"
		}
		out = append(out, fmt.Sprintf("Peaks %s by %.0f %% a month (95 %% interval %.0f to %.0f %%).", word, 100*math.Abs(a.Trend.Growth), 100*math.Min(math.Abs(a.Trend.Low), math.Abs(a.Trend.High)), 100*math.Max(math.Abs(a.Trend.Low), math.Abs(a.Trend.High))))
	}
	return out
}
