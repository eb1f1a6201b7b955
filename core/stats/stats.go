// Package stats holds the few statistics that figures are reported with:
// percentiles, intervals over repeats, paired comparisons, and the closed forms
// of queueing theory that the engine is held against.
package stats

import (
	"math"
	"slices"

	"tachyphor/core/portable"
	"tachyphor/core/units"
)

// A Figure is a number with how sure it is. The zero Figure says nothing.
type Figure struct {
	Mean float64 `json:"mean" doc:"Mean over the repeats."`
	// Half is half the width of the 95 % interval of the mean, by Student's t
	// over Runs repeats; 0 when there was only one and nothing can be said.
	Half float64 `json:"half" doc:"Half the width of the 95 % interval; 0 with a single repeat, where nothing can be said."`
	Runs int     `json:"runs" doc:"Repeats behind the figure."`
	// Alike is Half for weeks like the recorded one; 0 where jobs are not recorded, or
	// none like them were run.
	Alike float64 `json:"alike,omitempty" doc:"Of recorded jobs: half the width of the 95 % interval for weeks like the recorded one, where half is for that very week."`
}

// Of returns the figure of one value a repeat.
func Of(values []float64) Figure {
	n := len(values)
	if n == 0 {
		return Figure{}
	}
	sum := 0.0
	for _, v := range values {
		sum += v
	}
	f := Figure{Mean: sum / float64(n), Runs: n}
	if n < 2 {
		return f
	}
	sq := 0.0
	for _, v := range values {
		sq += float64((v - f.Mean) * (v - f.Mean))
	}
	t := portable.StudentQuantile(n - 1)
	f.Half = t * math.Sqrt(sq/float64(n-1)/float64(n))
	return f
}

// OfAmounts is Of for amounts, which are never below 0: times, counts, money. Means of few
// repeats lie to the right of the truth less often than to the left, the more the repeats
// vary; the interval is as wide as it must be on the longer side where they are as skewed
// as log-normal ones that vary as much. Of repeats that vary little it is Of's.
//
// Source: Johnson, Modified t tests and confidence intervals for asymmetrical populations
// (1978), with a skewness of three times the coefficient of variation,
// which is at most (n − 2)/√(n − 1) of n values (Wilkins, A note on skewness and kurtosis,
// 1944).
func OfAmounts(values []float64) Figure {
	f := Of(values)
	if f.Runs < 2 || f.Mean <= 0 {
		return f
	}
	f.Half += skewed(f.Half/portable.StudentQuantile(f.Runs-1), f.Mean, f.Runs)
	return f
}

// Weeks are one value a run of weeks drawn like a recorded one, and by how much each differs
// from that of the repeat that has the same draws. Their spread times Short is the true one.
type Weeks struct {
	Values, Apart []float64
	Short         float64
}

// WeeksOf are weeks whose days were drawn of so many recorded ones (0: not day by day), by
// one value a run; beside are those of the repeats with the same draws, of the recorded week.
func WeeksOf(alike, beside []float64, of int) Weeks {
	w := Weeks{Values: alike, Apart: make([]float64, len(alike)), Short: 1}
	for i := range alike {
		w.Apart[i] = alike[i] - beside[i]
	}
	if of > 1 { // each day was drawn from its own mean: their spread says too little
		w.Short = math.Sqrt(float64(of) / float64(of-1))
	}
	return w
}

// Less returns the weeks less others, run by run, for differences between two designs that
// were given the same weeks.
func (w Weeks) Less(others Weeks) Weeks {
	n := min(len(w.Values), len(others.Values))
	out := Weeks{Short: w.Short, Values: make([]float64, n), Apart: make([]float64, n)}
	for i := range n {
		out.Values[i], out.Apart[i] = w.Values[i]-others.Values[i], w.Apart[i]-others.Apart[i]
	}
	return out
}

// Among is the figure with how far it may lie from the mean of all weeks like the one that
// it is of. The differences have the weeks' part alone where a run's draws do much the same
// in both, and the draws' part twice where they do not; the values have it once. The
// smaller of the two is taken.
func (f Figure) Among(w Weeks) Figure {
	n := min(len(w.Values), f.Runs)
	if n < 2 {
		return f
	}
	t := portable.StudentQuantile(n - 1)
	deviation := func(values []float64) float64 { return float64(Of(values).Half/t*math.Sqrt(float64(n))) * w.Short }
	apart, draws := deviation(w.Apart), f.Half/portable.StudentQuantile(f.Runs-1)
	f.Alike = float64(t * min(deviation(w.Values), math.Sqrt(float64(apart*apart)+float64(draws*draws))))
	return f
}

// AmongAmounts is Among for amounts, as OfAmounts is Of.
func (f Figure) AmongAmounts(w Weeks) Figure {
	if f = f.Among(w); f.Alike > 0 && f.Mean > 0 {
		n := min(len(w.Values), f.Runs)
		f.Alike += skewed(f.Alike/portable.StudentQuantile(n-1), f.Mean, n)
	}
	return f
}

// skewed is how much farther the longer side of an amount's interval reaches, with a
// standard error around a mean of n values: by three times its coefficient of variation,
// but no more skewed than so few values can be.
func skewed(se, mean float64, n int) float64 {
	t, most := portable.StudentQuantile(n-1), float64(n-2)/math.Sqrt(float64(n*(n-1)))
	return se * float64(min(3*se/mean, most)*(1+float64(2*t*t))) / 6
}

// Reach is half the width of the wider of its intervals: for weeks like it, where that is
// known.
func (f Figure) Reach() float64 { return max(f.Half, f.Alike) }

// Paired returns the figure of b − a, repeat by repeat. Only repeats that both
// have are taken. Differences that vary by rounding alone do not vary.
func Paired(a, b []float64) Figure {
	d, most := make([]float64, min(len(a), len(b))), 0.0
	for i := range d {
		d[i], most = b[i]-a[i], max(most, math.Abs(a[i]), math.Abs(b[i]))
	}
	f := Of(d)
	if f.Half < 1e-12*most {
		f.Half = 0
	}
	return f
}

// Sure reports whether the interval leaves zero out.
func (f Figure) Sure() bool { return f.Runs > 1 && math.Abs(f.Mean) > f.Half }

// SureAlike reports whether the wider of its intervals leaves zero out.
func (f Figure) SureAlike() bool { return f.Runs > 1 && math.Abs(f.Mean) > f.Reach() }

// Percentile returns the p-th percentile, 0 ≤ p ≤ 100, of ascending values by
// nearest rank: the smallest value with at least p % of the values at or below
// it. It is 0 for no values.
func Percentile[T int64 | float64](sorted []T, p float64) T {
	if len(sorted) == 0 {
		return 0
	}
	rank := int(math.Ceil(p / 100 * float64(len(sorted))))
	return sorted[min(max(rank, 1), len(sorted))-1]
}

// Supports reports whether n values say anything about the p-th percentile:
// at least ten of them must be expected beyond it.
func Supports(n int, p float64) bool { return float64(n)*(100-p) >= 1000 }

// Summary is what is reported of a set of durations in nanoseconds.
type Summary struct {
	Count int     `json:"count" doc:"Values."`
	Mean  float64 `json:"meanNs" doc:"Mean."`
	P50   int64   `json:"p50Ns" doc:"Half are at most this."`
	P90   int64   `json:"p90Ns" doc:"90 % are at most this."`
	P95   int64   `json:"p95Ns" doc:"95 % are at most this."`
	P99   int64   `json:"p99Ns" doc:"99 % are at most this."`
	Max   int64   `json:"maxNs" doc:"Largest."`
}

// Summarize sorts values and summarises them.
func Summarize(values []int64) Summary {
	if len(values) == 0 {
		return Summary{}
	}
	slices.Sort(values)
	var sum units.Sum[int64] // exact: long times of many jobs are more than a float holds
	for _, v := range values {
		sum.Add(v)
	}
	return Summary{
		Count: len(values), Mean: sum.Over(len(values)),
		P50: Percentile(values, 50), P90: Percentile(values, 90), P95: Percentile(values, 95),
		P99: Percentile(values, 99), Max: values[len(values)-1],
	}
}

// Unpaired returns the figure of the mean of b less the mean of a where the two
// have nothing in common, by Welch's t with the smaller number of repeats less
// one as degrees of freedom, which errs towards a wider interval.
func Unpaired(a, b []float64) Figure {
	x, y := Of(a), Of(b)
	f := Figure{Mean: y.Mean - x.Mean, Runs: min(x.Runs, y.Runs)}
	if f.Runs < 2 {
		return f
	}
	variance := func(v Figure) float64 {
		t := portable.StudentQuantile(v.Runs - 1)
		return float64((v.Half / t) * (v.Half / t))
	}
	t := portable.StudentQuantile(f.Runs - 1)
	f.Half = t * math.Sqrt(variance(x)+variance(y))
	return f
}
