package stats

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"tachyphor/core/portable"
)

// A Spread is how the values of one repeat are spread: all of them, or of many the middle
// ones of so many cells.
type Spread struct {
	values []int64 // ascending, one a cell
	n      int     // values that they stand for
}

// SpreadOf keeps at most so many of ascending values, 2 at least. Of more, half of the
// cells are for the largest tenth, so that far percentiles stay as sure as near ones.
func SpreadOf(sorted []int64, most int) Spread {
	s := Spread{n: len(sorted)}
	if len(sorted) <= most {
		s.values = slices.Clone(sorted)
		return s
	}
	s.values = make([]int64, most)
	for k := range s.values {
		s.values[k] = sorted[(cell(k, most, s.n)+cell(k+1, most, s.n)-1)/2]
	}
	return s
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

// Len is how many values there were.
func (s *Spread) Len() int { return s.n }

// atMost is how many values are at most v; between the middles of cells, in proportion.
func (s *Spread) atMost(v int64) float64 {
	cells := len(s.values)
	k := sort.Search(cells, func(k int) bool { return s.values[k] > v })
	if s.n <= cells || k == 0 || k == cells {
		return float64(cell(k, cells, s.n))
	}
	middle := func(k int) float64 { return float64(cell(k, cells, s.n)+cell(k+1, cells, s.n)) / 2 }
	low, high := s.values[k-1], s.values[k]
	return middle(k-1) + float64((middle(k)-middle(k-1))*(float64(v-low)/float64(high-low)))
}

// A Pool is the values of several repeats together.
type Pool struct {
	repeats []Spread
	values  []int64 // of all, ascending
	upTo    []int   // how many values they stand for with those before them
	thinned bool    // some values stand for several
}

// PoolOf puts repeats together. A repeat may have no values.
func PoolOf(repeats []Spread) *Pool {
	type point struct {
		value int64
		n     int
	}
	var points []point
	p := &Pool{repeats: repeats}
	for _, s := range repeats {
		p.thinned = p.thinned || s.n > len(s.values)
		for k, v := range s.values {
			points = append(points, point{v, cell(k+1, len(s.values), s.n) - cell(k, len(s.values), s.n)})
		}
	}
	slices.SortFunc(points, func(a, b point) int { return cmp.Compare(a.value, b.value) })
	n := 0
	for i, x := range points {
		n += x.n
		if i+1 < len(points) && points[i+1].value == x.value {
			continue
		}
		p.values, p.upTo = append(p.values, x.value), append(p.upTo, n)
	}
	return p
}

// Len is how many values there are.
func (p *Pool) Len() int {
	if len(p.upTo) == 0 {
		return 0
	}
	return p.upTo[len(p.upTo)-1]
}

// Percentile is the q-th percentile of all values, 0 ≤ q ≤ 100, by nearest rank; 0 of none.
func (p *Pool) Percentile(q float64) int64 { return p.ranked(q / 100) }

// ranked is the smallest value with at least a share of all values at or below it; where
// cells stand for values, between their middles in proportion.
func (p *Pool) ranked(share float64) int64 {
	n := p.Len()
	if n == 0 {
		return 0
	}
	rank := min(max(int(math.Ceil(float64(share*float64(n)))), 1), n)
	i, _ := slices.BinarySearch(p.upTo, rank)
	if !p.thinned {
		return p.values[i]
	}
	middle := func(i int) float64 {
		before := 0
		if i > 0 {
			before = p.upTo[i-1]
		}
		return float64(before+p.upTo[i]) / 2
	}
	at := float64(share * float64(n))
	if i > 0 && middle(i) > at {
		i--
	}
	if i+1 == len(p.values) || at <= middle(i) {
		return p.values[i]
	}
	low, high := middle(i), middle(i+1)
	return p.values[i] + int64(float64(p.values[i+1]-p.values[i])*((at-low)/(high-low)))
}

// Figure is the q-th percentile with its 95 % interval, by Woodruff's method: how far the
// share of a repeat's values that lie beyond it varies from repeat to repeat says, by
// Student's t, which other shares of all values may be the true one; the percentiles at
// those shares are the interval's ends, and Half reaches to the farther one. Repeats need
// not be alike in number, nor values be independent of those near them in time, as delays
// of jobs that wait for the same agent are not.
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
	n, below, sq := float64(p.Len()), 0.0, 0.0
	for i := range p.repeats {
		below += p.repeats[i].atMost(at)
	}
	for i := range p.repeats {
		s := &p.repeats[i]
		d := s.atMost(at) - float64(below/n*float64(s.n))
		more, sq = append(more, d), sq+float64(d*d)
	}
	r := float64(len(p.repeats))
	return more, float64(portable.StudentQuantile(len(p.repeats)-1)*math.Sqrt(sq*r/(r-1))) / n
}

// Parts are numbers by repeat whose mean is the q-th percentile of all values, and which
// vary as that does: what each repeat's values move it by, R times over, from how many
// more or fewer lie below it and how steeply the percentiles rise over its interval. So
// differences between two designs that were given the same jobs can be taken repeat by
// repeat, as those of means are. Of one repeat it is the percentile.
//
// Source: Bahadur, A note on quantiles in large samples (1966); the steepness is that of
// Woodruff's interval.
func (p *Pool) Parts(q float64) []float64 {
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
		out[i] -= float64(float64(len(out))*more[i]/float64(p.Len())) * rise
	}
	return out
}
