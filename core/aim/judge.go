package aim

import (
	"math"
	"slices"

	"tachyphor/core/portable"
)

// A Tally is what one run says of an aim: so much of so many. Of a share X jobs of N are within
// the time; of a mean X is their sum, in ns; of a bill it is a month's, and N is 1; else X is how
// many jobs do what none should.
type Tally struct {
	N float64 `json:"n"`
	X float64 `json:"x"`
}

// Verdict is what runs say of an aim.
type Verdict string

// The verdicts.
const (
	Kept      Verdict = "kept"
	Missed    Verdict = "missed"
	Undecided Verdict = "not decided" // the bound is within the interval
)

// Grave orders verdicts: the graver, the larger.
func (v Verdict) Grave() int { return slices.Index([]Verdict{Kept, Undecided, Missed}, v) }

// A Reading is what runs together say of an aim.
type Reading struct {
	Verdict Verdict `json:"verdict" enum:"kept,missed,not decided" doc:"kept, missed or not decided."`
	Is      float64 `json:"is" doc:"The share (0 to 1), the mean (ns), a month's bill, or how many jobs of a run do what none should."`
	Half    float64 `json:"half" doc:"Half the width of its interval."`
	Runs    int     `json:"runs" doc:"Runs that it rests on."`
	On      string  `json:"on,omitempty" doc:"Of several workloads, the one on which it stands worst."`
	Nobody  bool    `json:"nobody,omitempty" doc:"No job came that it is about: it is kept for want of anybody who could miss it."`
}

// Bound is what a reading is held against, in its unit, and whether it must be at least that,
// rather than at most.
func (a Aim) Bound() (bound float64, least bool) {
	switch a.Kind {
	case Share:
		return a.Share, true
	case Mean:
		return float64(a.Within), false
	case Bill:
		return a.Money, false
	}
	return 0, false
}

// Judge holds runs against the aim, with a chance of being wrong that is above 0 and below 1:
// the ratio of all runs together must be on the right side of the bound with the whole of its
// interval, by Student's t over runs, which need not have as many jobs each. What none should do
// is missed once one does it, and kept where all runs are without. One run decides nothing else.
//
// Source: Cochran, Sampling Techniques, 3rd ed. (1977), ch. 6: the variance of a ratio.
func (a Aim) Judge(runs []Tally, chance float64) Reading {
	n, x := 0.0, 0.0
	for _, r := range runs {
		n, x = n+r.N, x+r.X
	}
	out := Reading{Verdict: Undecided, Runs: len(runs)}
	if a.Kind == Never || a.Kind == Fails {
		switch out.Is = x / math.Max(1, float64(len(runs))); {
		case x > 0:
			out.Verdict = Missed
		case len(runs) > 1:
			out.Verdict = Kept
		}
		out.Nobody = n == 0
		return out
	}
	if n == 0 { // nobody came whom it is about
		if out.Nobody = true; len(runs) > 1 {
			out.Verdict = Kept
		}
		return out
	}
	out.Is = x / n
	if len(runs) < 2 {
		return out
	}
	squares, k := 0.0, float64(len(runs))
	for _, r := range runs {
		d := r.X - float64(out.Is*r.N)
		squares += float64(d * d)
	}
	out.Half = portable.StudentBeyond(len(runs)-1, chance) * math.Sqrt(squares/float64((k-1)*k)) / (n / k)
	bound, least := a.Bound()
	low, high := out.Is-out.Half, out.Is+out.Half
	if least {
		low, high, bound = -high, -low, -bound
	}
	switch {
	case high <= bound:
		out.Verdict = Kept
	case low > bound:
		out.Verdict = Missed
	}
	return out
}

// Short is how far a reading is from what it must be, as a share of the bound; 0 where it is
// there.
func (a Aim) Short(r Reading) float64 {
	bound, least := a.Bound()
	if least {
		return math.Max(0, bound-r.Is)
	}
	if bound == 0 {
		return math.Max(0, r.Is)
	}
	return math.Max(0, r.Is/bound-1)
}
