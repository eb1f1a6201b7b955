package explore

import (
	"cmp"
	"slices"

	"tachyphor/core/chance"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/stat/distmv"
	"gonum.org/v1/gonum/stat/samplemv"
)

// Shares of a budget that a search may have.
const (
	spreadShare = 0.25 // for the variants that are spread over all that is possible
	searchShare = 0.7  // for those and the steps from the best
)

// fits reports whether all variants can be run.
func (q *Question) fits(budget int) bool { return q.many(budget+1)*firstRepeats <= budget }

// A source gives numbers for what is tried first: the same ones at every call.
type source uint64

// Uint64 is the next.
func (s *source) Uint64() uint64 {
	*s++
	return uint64(chance.Root(0, 0).For(chance.Exploring, 0, uint64(*s)))
}

// spread lists variants that lie evenly over all that is possible: scrambled points of Halton's
// sequence, the same at every call.
func (q *Question) spread(n int) []variant {
	points := mat.NewDense(max(n, 1), len(q.knobs), nil)
	src := new(source)
	samplemv.Halton{Kind: samplemv.Owen, Q: distmv.NewUnitUniform(len(q.knobs), src), Src: src}.Sample(points)
	var out []variant
	seen := map[string]bool{}
	for i := range n {
		v := make(variant, len(q.knobs))
		for k := range v {
			most := len(q.knobs[k].values)
			v[k] = min(most-1, int(points.At(i, k)*float64(most)))
		}
		if v = q.settled(v); !seen[v.key()] {
			seen[v.key()] = true
			out = append(out, v)
		}
	}
	return out
}

// steps lists variants one step along one knob away; of a knob whose value is none of its own,
// its first and last. pairs are those that are one step along two.
func (q *Question) steps(v variant, pairs bool) []variant {
	type step struct{ knob, to int }
	var one []step
	for k, x := range v {
		if x < 0 {
			x = q.knobs[k].base
		}
		last := len(q.knobs[k].values) - 1
		switch {
		case x < 0 && last == 0:
			one = append(one, step{k, 0})
		case x < 0:
			one = append(one, step{k, 0}, step{k, last})
		default:
			if x > 0 {
				one = append(one, step{k, x - 1})
			}
			if x < last {
				one = append(one, step{k, x + 1})
			}
		}
	}
	with := func(list ...step) variant {
		out := append(variant(nil), v...)
		for _, s := range list {
			out[s.knob] = s.to
		}
		return q.settled(out)
	}
	var out []variant
	for i, a := range one {
		if !pairs {
			out = append(out, with(a))
			continue
		}
		for _, b := range one[i+1:] {
			if a.knob != b.knob {
				out = append(out, with(a, b))
			}
		}
	}
	return out
}

// better compares by how far aims are missed, then by what is to be least.
func (q *Question) better(r *runner, a, b variant) int {
	short := func(v variant) (sum float64) {
		for i, x := range q.readings(r.of(v, 0), errorOfAll) {
			sum += q.aims[i].Short(x)
		}
		return sum
	}
	return cmp.Or(cmp.Compare(short(a), short(b)),
		cmp.Compare(mean(r.of(a, 0), q.objective), mean(r.of(b, 0), q.objective)), slices.Compare(a, b))
}

// search looks for variants that are worth a race: those spread over all that is possible, then
// steps along one knob from the best so far, and along two where no single one is better.
func (q *Question) search(r *runner, budget int) ([]variant, error) {
	known := map[string]bool{}
	var list []variant
	for _, v := range r.valid(append([]variant{q.today()}, q.spread(int(float64(float64(budget)*spreadShare))/firstRepeats)...)) {
		if !known[v.key()] {
			known[v.key()] = true
			list = append(list, v)
		}
	}
	if err := q.block(r, Spreading, list, firstRepeats); err != nil {
		return nil, err
	}
	q.stands(r, Spreading, list, 0)
	best := slices.MinFunc(list, func(a, b variant) int { return q.better(r, a, b) })
	for pairs := false; ; {
		var next []variant
		for _, v := range r.valid(q.steps(best, pairs)) {
			if !known[v.key()] {
				known[v.key()] = true
				next = append(next, v)
			}
		}
		if room := int(float64(float64(budget)*searchShare)) - int(r.done.Load()); len(next)*firstRepeats > room {
			next = next[:max(0, room/firstRepeats)]
		}
		if len(next) == 0 && pairs {
			return list, nil
		}
		if err := r.run(next, 0, firstRepeats); err != nil {
			return nil, err
		}
		list = append(list, next...)
		q.stands(r, Stepping, list, 0)
		was := best
		for _, v := range next {
			if q.better(r, v, best) < 0 {
				best = v
			}
		}
		switch {
		case slices.Compare(was, best) != 0:
			pairs = false
		case pairs:
			return list, nil
		default:
			pairs = true
		}
	}
}
