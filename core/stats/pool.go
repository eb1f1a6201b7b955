package stats

import (
	"math"
	"slices"
	"sort"

	"tachyphor/core/portable"
)

// Parts is how many parts of a repeat's values, one after the other, are told apart.
const Parts = 8

// A Spread is how the values of one repeat are spread, all of them and in each part.
type Spread struct {
	all   part
	parts [Parts]part
}

// A part is values in ascending order, or of many the middle ones of so many cells.
type part struct {
	values []int64 // one a cell
	n      int     // values that they stand for
}

// SpreadOf keeps at most twice as many values as most, which is 16 at least, of values in
// the order in which they came: so many of all, and as many of the parts. Of more, half of
// the cells are for the largest tenth, so that far percentiles stay as sure as near ones.
// It sorts the values.
func SpreadOf(values []int64, most int) (s Spread) {
	n := len(values)
	for i := range s.parts {
		list := values[n*i/Parts : n*(i+1)/Parts]
		slices.Sort(list)
		s.parts[i] = partOf(list, most/Parts)
	}
	slices.Sort(values)
	s.all = partOf(values, most)
	return s
}

// partOf keeps at most so many of ascending values.
func partOf(list []int64, most int) part {
	if len(list) <= most {
		return part{slices.Clone(list), len(list)}
	}
	p := part{make([]int64, most), len(list)}
	for k := range p.values {
		p.values[k] = list[(cell(k, most, p.n)+cell(k+1, most, p.n)-1)/2]
	}
	return p
}

// cell is how many of n values lie in the first k cells of so many.
func cell(k, cells, n int) int {
	if n <= cells {
		return k
	}
	low, near := cells/2, n-n/10
	if k <= low {
		return int(int64(near) * int64(k) / int64(low))
	}
	return near + int(int64(n-near)*int64(k-low)/int64(cells-low))
}

// atMost is how many values are at most v; between the middles of cells, in proportion.
func (p *part) atMost(v int64) float64 {
	cells := len(p.values)
	k := sort.Search(cells, func(k int) bool { return p.values[k] > v })
	if p.n <= cells || k == 0 || k == cells {
		return float64(cell(k, cells, p.n))
	}
	middle := func(k int) float64 { return float64(float64(cell(k, cells, p.n)+cell(k+1, cells, p.n)) / 2) }
	low, high := p.values[k-1], p.values[k]
	return middle(k-1) + float64((middle(k)-middle(k-1))*(float64(v-low)/float64(high-low)))
}

// A Pool is the values of several repeats together.
type Pool struct {
	repeats []Spread
	values  []int64 // that are kept of all, ascending, each once
	n       int     // values that they stand for
	thinned bool    // some stand for several
}

// PoolOf puts repeats together. A repeat may have no values.
func PoolOf(repeats []Spread) *Pool {
	p := &Pool{repeats: repeats}
	for i := range repeats {
		all := &repeats[i].all
		p.values, p.n = append(p.values, all.values...), p.n+all.n
		p.thinned = p.thinned || all.n > len(all.values)
	}
	slices.Sort(p.values)
	p.values = slices.Compact(p.values)
	return p
}

// Len is how many values there are.
func (p *Pool) Len() int { return p.n }

// atMost is how many values are at most v.
func (p *Pool) atMost(v int64) float64 {
	n := 0.0
	for i := range p.repeats {
		n += p.repeats[i].all.atMost(v)
	}
	return n
}

// Percentile is the q-th percentile of all values, 0 ≤ q ≤ 100, by nearest rank; 0 of none.
func (p *Pool) Percentile(q float64) int64 { return p.ranked(q / 100) }

// ranked is the smallest value with at least a share of all values at or below it; where
// cells stand for values, between their middles in proportion.
func (p *Pool) ranked(share float64) int64 {
	if p.n == 0 {
		return 0
	}
	rank := min(max(float64(share*float64(p.n)), 1), float64(p.n))
	i := sort.Search(len(p.values)-1, func(i int) bool { return p.atMost(p.values[i]) >= rank })
	if !p.thinned || i == 0 {
		return p.values[i]
	}
	low, high := p.atMost(p.values[i-1]), p.atMost(p.values[i])
	return p.values[i-1] + int64(float64(p.values[i]-p.values[i-1])*min(1, (rank-low)/(high-low)))
}

// Figure is the q-th percentile with its 95 % interval, by Woodruff's method: how far the
// share of values that lie beyond it varies from repeat to repeat says, by Student's t,
// which other shares of all values may be the true one; the percentiles at those shares are
// the interval's ends, and Half reaches to the farther one. Repeats need not be alike in
// number, nor values be independent of those near them in time, as delays of jobs that wait
// for the same agent are not. As few repeats are alike by chance now and then, they are
// not taken to vary less than their parts say, each beside the same part of the others.
//
// ok is false where that cannot be told: fewer than ten values are expected beyond it, or
// the interval has no upper end within what was seen. Of one repeat there is no interval.
//
// Source: Woodruff, Confidence intervals for medians and other position measures (1952),
// with the variance of a ratio over repeats of unlike size (Cochran, Sampling techniques).
func (p *Pool) Figure(q float64) (f Figure, ok bool) {
	n := p.Len()
	if !Supports(n, q) {
		return Figure{}, false
	}
	at := p.Percentile(q)
	f = Figure{Mean: float64(at), Runs: len(p.repeats)}
	if f.Runs < 2 {
		return f, true
	}
	_, half := p.beyond(at)
	if q/100+half > 1-1/float64(n) {
		return f, false
	}
	f.Half = math.Max(float64(p.ranked(q/100+half)-at), float64(at-p.ranked(q/100-half)))
	return f, true
}

// beyond says how a value lies in each repeat: how many values more at most it than there
// would be if the repeat were as all are, and half the width of the 95 % interval of the
// share of all that are at most it.
func (p *Pool) beyond(at int64) (more []float64, half float64) {
	n, below := float64(p.n), p.atMost(at)
	whole, parts := 0.0, 0.0 // sums of squares
	for i := range p.repeats {
		all := &p.repeats[i].all
		d := all.atMost(at) - float64(below/n*float64(all.n))
		more, whole = append(more, d), whole+float64(d*d)
	}
	for k := range Parts {
		below, n := 0.0, 0
		for i := range p.repeats {
			below, n = below+p.repeats[i].parts[k].atMost(at), n+p.repeats[i].parts[k].n
		}
		for i := range p.repeats {
			x := &p.repeats[i].parts[k]
			d := x.atMost(at) - float64(below/float64(max(1, n))*float64(x.n))
			parts += float64(d * d)
		}
	}
	r := float64(len(p.repeats))
	if half = float64(portable.StudentQuantile(len(p.repeats)-1)*math.Sqrt(max(whole, parts)*r/(r-1))) / n; half*n < rounding {
		half = 0
	}
	return more, half
}

// rounding is how much of one value may be the arithmetic's: where every repeat has as many values at most some as all
// others, that they differ by so little says nothing.
const rounding = 1e-6

// ByRepeat are numbers by repeat whose mean is the q-th percentile of all values, and which
// vary as that does: what each repeat's values move it by, R times over, from how many
// more or fewer lie below it and how steeply the percentiles rise over its interval. So
// differences between two designs that were given the same jobs can be taken repeat by
// repeat, as those of means are. Of one repeat it is the percentile.
//
// Source: Bahadur, A note on quantiles in large samples (1966); the steepness is that of
// Woodruff's interval.
func (p *Pool) ByRepeat(q float64) []float64 {
	at, out := p.Percentile(q), make([]float64, len(p.repeats))
	for i := range out {
		out[i] = float64(at)
	}
	if len(out) < 2 || p.Len() == 0 {
		return out
	}
	more, half := p.beyond(at)
	if half == 0 {
		return out
	}
	low, high := math.Max(0, q/100-half), math.Min(1, q/100+half)
	rise := float64(p.ranked(high)-p.ranked(low)) / (high - low)
	for i := range out {
		out[i] -= float64(float64(len(out)) * more[i] / float64(p.Len()) * rise)
	}
	return out
}
