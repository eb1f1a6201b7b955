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
	spreadShare = 0.15 // for the variants that are spread over all that is possible
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

// A seeker looks for variants that are worth a race.
type seeker struct {
	q     *Question
	r     *runner
	known map[string]bool
	list  []variant // that were run, in their order
}

// fresh are the variants of a list that are worth a run and had none yet.
func (s *seeker) fresh(list []variant) (out []variant, err error) {
	list, err = s.r.worthwhile(list)
	for _, v := range list {
		if !s.known[v.key()] {
			s.known[v.key()] = true
			out = append(out, v)
		}
	}
	return out, err
}

// try runs what is new of a list, as far as a number of runs allows.
func (s *seeker) try(list []variant, upTo int) error {
	list, err := s.fresh(list)
	if err != nil {
		return err
	}
	if room := max(0, upTo-int(s.r.done.Load())) / firstRepeats; len(list) > room {
		for _, v := range list[room:] {
			delete(s.known, v.key())
		}
		list = list[:room]
	}
	if err := s.q.block(s.r, Stepping, list, firstRepeats); err != nil {
		return err
	}
	s.list = append(s.list, list...)
	return nil
}

// best is the best of a list that was run.
func (s *seeker) best(list []variant) variant {
	list = slices.DeleteFunc(slices.Clone(list), func(v variant) bool { return len(s.r.of(v, 0)) < firstRepeats })
	return slices.MinFunc(list, func(a, b variant) int { return s.q.better(s.r, a, b) })
}

// mostJoined is how many steps along single knobs are taken at once.
const mostJoined = 10

// climb goes on from a variant, as long as something near is better and a number of runs allows:
// steps along single knobs, and those that are better, joined, the best of them first; for most
// of what is better by itself is so together. Where no step is better, steps along two knobs are
// tried, if pairs are asked for.
func (s *seeker) climb(from variant, upTo int, pairs bool) (variant, error) {
	for {
		steps := s.q.steps(from, false)
		if err := s.try(steps, upTo); err != nil {
			return from, err
		}
		better := s.better(steps, from)
		var joined []variant
		v := append(variant(nil), from...)
		taken := map[int]bool{}
		for _, step := range better {
			k := changed(from, step)
			if taken[k] {
				continue // the other way along the same knob
			}
			taken[k] = true
			v = append(variant(nil), v...)
			v[k] = step[k]
			if joined = append(joined, s.q.settled(v)); len(joined) == mostJoined {
				break
			}
		}
		if err := s.try(joined, upTo); err != nil {
			return from, err
		}
		near := append(better, s.better(joined, from)...)
		if len(near) == 0 && pairs {
			two := s.q.steps(from, true)
			if err := s.try(two, upTo); err != nil {
				return from, err
			}
			near = s.better(two, from)
		}
		s.q.stands(s.r, Stepping, s.list, 0)
		if len(near) == 0 || int(s.r.done.Load())+firstRepeats > upTo {
			return s.best(append(near, from)), nil
		}
		from = s.best(near)
	}
}

// better are those of a list that were run and are better than a variant, the best first.
func (s *seeker) better(list []variant, than variant) []variant {
	var out []variant
	for _, v := range list {
		if len(s.r.of(v, 0)) >= firstRepeats && s.q.better(s.r, v, than) < 0 {
			out = append(out, v)
		}
	}
	slices.SortStableFunc(out, func(a, b variant) int { return s.q.better(s.r, a, b) })
	return out
}

// changed is the knob in which a step differs.
func changed(from, step variant) int {
	for k := range from {
		if from[k] != step[k] {
			return k
		}
	}
	return 0
}

// search looks for variants that are worth a race: those spread over all that is possible, then
// what lies near the best of them, and near the scenario as it is, which somebody thought about. The
// first of the list are those that are spread.
func (q *Question) search(r *runner, budget int) (list []variant, spread int, err error) {
	s := &seeker{q: q, r: r, known: map[string]bool{}}
	share := func(x float64) int { return int(float64(float64(budget) * x)) }
	first, err := s.fresh(q.spread(share(spreadShare) / firstRepeats))
	if err != nil {
		return nil, 0, err
	}
	s.known[q.today().key()] = true
	s.list = append(r.valid([]variant{q.today()}), slices.DeleteFunc(first, func(v variant) bool { return v.key() == q.today().key() })...)
	if err := q.block(r, Spreading, s.list, firstRepeats); err != nil {
		return nil, 0, err
	}
	spread = len(s.list)
	q.stands(r, Spreading, s.list, 0)
	ends := []variant{}
	starts := []variant{q.today()}
	if best := s.best(s.list); best.key() != starts[0].key() {
		starts = append(starts, best)
	}
	for i, from := range starts {
		upTo := share(spreadShare + float64(searchShare-spreadShare)*float64(i+1)/float64(len(starts)+1))
		end, err := s.climb(from, upTo, false)
		if err != nil {
			return nil, 0, err
		}
		ends = append(ends, end)
	}
	_, err = s.climb(s.best(ends), share(searchShare), true)
	return s.list, spread, err
}
