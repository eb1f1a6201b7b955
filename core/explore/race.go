package explore

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/portable"
)

// Repeats of a race.
const (
	firstRepeats = 3  // before anybody is left out
	blockRepeats = 2  // between two looks
	mostRepeats  = 17 // of a variant
	errorOfAll   = 0.05
)

// A lane is a variant in the race.
type lane struct {
	v       variant
	out     string // why it gets no more repeats; empty: it is still in
	same    int    // of one that does the same as another: which; −1
	repeats int
}

// objective is what is to be as little as can be.
func (q *Question) objective(r *Run) float64 {
	switch q.Spec.Least {
	case document.LeastDelay:
		return r.P95
	case document.LeastLead:
		return r.Lead
	case document.LeastWorth:
		return r.Bill + r.Waiting
	}
	return r.Bill
}

func mean(runs []Run, of func(*Run) float64) float64 {
	sum := 0.0
	for i := range runs {
		sum += of(&runs[i])
	}
	return sum / float64(max(1, len(runs)))
}

// more reports whether b is surely more than a, repeat by repeat, with a chance of being wrong.
func more(a, b []float64, chance float64) bool {
	n := min(len(a), len(b))
	if n < 2 {
		return false
	}
	d := make([]float64, n)
	for i := range n {
		d[i] = b[i] - a[i]
	}
	m, se := meanAndError(d)
	return m > 0 && m > float64(portable.StudentBeyond(n-1, chance)*se)
}

// meanAndError is the mean of two values or more, and its standard error.
func meanAndError(values []float64) (m, se float64) {
	n := float64(len(values))
	for _, x := range values {
		m += x
	}
	m /= n
	squares := 0.0
	for _, x := range values {
		squares += float64((x - m) * (x - m))
	}
	return m, math.Sqrt(squares / float64((n-1)*n))
}

// alike reports whether two variants did exactly the same in every repeat.
func alike(a, b []Run) bool {
	return len(a) == len(b) && slices.EqualFunc(a, b, func(x, y Run) bool {
		return x.P95 == y.P95 && x.Lead == y.Lead && x.Bill == y.Bill && x.Waiting == y.Waiting && slices.Equal(x.Tallies, y.Tallies) &&
			slices.EqualFunc(x.Others, y.Others, slices.Equal)
	})
}

// strikeError is the chance that variants are wrongly struck out for what one before them has.
const strikeError = errorOfAll / 8

// errorOf is the chance that any comparison of the n-th look, from 0 on, is wrong (Bonferroni): half of
// errorOfAll for the first, half of the rest for the next, and so on, without strikeError.
func errorOf(n int) float64 {
	if n >= 2 {
		n++
	}
	return errorOfAll / float64(int(1)<<min(n+1, 40))
}

// look leaves out those that are surely worse, after the n-th block. The chance that any of all
// comparisons is wrong is held at errorOfAll over all looks.
func (q *Question) look(r *runner, lanes []*lane, n int) {
	var in []*lane
	for _, l := range lanes {
		if l.out == "" {
			in = append(in, l)
		}
	}
	runs := make([][]Run, len(in))
	values := make([][]float64, len(in))
	for i, l := range in {
		runs[i] = r.of(l.v, 0)
		for j := range runs[i] {
			values[i] = append(values[i], q.objective(&runs[i][j]))
		}
	}
	level := errorOf(n) / float64(max(1, len(in)))
	// Those that do the same as one before them.
	firsts := map[string]int{}
	for i, l := range in {
		key := fmt.Sprint(runs[i][0].P95, runs[i][0].Lead, runs[i][0].Bill, runs[i][0].Tallies, runs[i][0].Others)
		if j, ok := firsts[key]; ok && in[j].out == "" && alike(runs[i], runs[j]) {
			l.out, l.same = "does the same as another", slices.Index(lanes, in[j])
			continue
		}
		firsts[key] = i
	}
	// Those that surely miss an aim, as long as somebody does not.
	missed := make([]int, len(in))
	keeps := make([]bool, len(in))
	left := 0
	for i, l := range in {
		if missed[i] = -1; l.out != "" {
			continue
		}
		switch v, at := worst(q.readings(runs[i], level/float64(max(1, len(q.aims))))); v {
		case aim.Missed:
			missed[i] = at
		case aim.Kept:
			keeps[i] = true
			left++
		default:
			left++
		}
	}
	for i, l := range in {
		if left > 0 && missed[i] >= 0 {
			l.out = "misses: " + q.aims[missed[i]].String()
		}
	}
	// Those that surely have more of what is to be least than one that surely keeps all aims.
	best := -1
	for i, l := range in {
		if l.out == "" && keeps[i] && (best < 0 || mean(runs[i], q.objective) < mean(runs[best], q.objective)) {
			best = i
		}
	}
	if best < 0 {
		return
	}
	for i, l := range in {
		if i != best && l.out == "" && more(values[best], values[i], level) {
			l.out = "another keeps all aims with less " + string(q.Spec.Least)
		}
	}
}

// toldEvery is after how many variants of a block it is told how it stands.
const toldEvery = 200

// block runs variants up to so many repeats, telling meanwhile how those stand that are over.
func (q *Question) block(r *runner, phase Phase, list []variant, repeats int) error {
	over := 0
	for part := range slices.Chunk(list, toldEvery) {
		if err := r.run(part, 0, repeats); err != nil {
			return err
		}
		if over += len(part); over < len(list) {
			q.stands(r, phase, list[:over], 0)
		}
	}
	return nil
}

// race gives repeats to lanes until one is left, all have as many as they may, or the budget is
// spent. Decisions fall after whole blocks, so that workers change nothing.
func (q *Question) race(r *runner, lanes []*lane, budget int) error {
	all := func() (list []variant) {
		for _, l := range lanes {
			if l.out == "" {
				list = append(list, l.v)
			}
		}
		return list
	}
	for n, repeats := 0, firstRepeats; ; n++ {
		if err := q.block(r, Racing, all(), repeats); err != nil {
			return err
		}
		for _, l := range lanes {
			if l.out == "" {
				l.repeats = repeats
			}
		}
		q.look(r, lanes, n)
		q.standing(r, Racing, lanes)
		if list := all(); len(list) <= 1 || repeats >= mostRepeats || int(r.done.Load())+blockRepeats*len(list) > budget {
			return nil
		}
		repeats += blockRepeats
	}
}
