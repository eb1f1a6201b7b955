package explore

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// What cannot work is not run: a variant of which it is known beforehand that it misses an aim in
// every repeat, or that what it pays for in any case is more than one has that keeps all aims.

// Struck are the variants that were not run for one reason.
type Struck struct {
	Why      string `json:"why" doc:"Why they cannot be what is looked for."`
	Variants int    `json:"variants" doc:"How many were found."`
	One      string `json:"one" doc:"How far one of them falls short."`
}

// A doubtless is a reason why variants are not run, and by how much the one at hand falls short.
type doubtless struct {
	why   string
	short string
}

// loadsAtOnce is how many loads are kept.
const loadsAtOnce = 8

// loads are those of the first repeats: also of recorded jobs, whose peaks and cold work are drawn.
func (r *runner) loads(w *world.World, in int, a aim.Aim, changes []document.Changes) ([]*load, error) {
	key := fmt.Sprint(in, a)
	for _, t := range w.Templates {
		key += fmt.Sprint(t.Key, t.Offers, t.Named, t.Request.Memory, t.Limit.Disk)
	}
	for _, c := range w.Classes {
		key += fmt.Sprint(c.Fastest(), " ")
	}
	for _, c := range changes {
		if c.Kind == document.KindWorkload {
			key += fmt.Sprint(c.Edits)
		}
	}
	key += fmt.Sprint(w.Plan.Warmup, w.Plan.Span, w.Plan.Seed)
	if list, ok := r.loaded[key]; ok {
		return list, nil
	}
	var list []*load
	for repeat := range firstRepeats {
		l, err := loadOf(w, a, repeat)
		if err != nil {
			return nil, err
		}
		list = append(list, l)
	}
	if len(r.loaded) >= loadsAtOnce {
		clear(r.loaded)
	}
	r.loaded[key] = list
	return list, nil
}

// cannot says why a variant that is a world cannot be what is looked for; nil: it may.
func (r *runner) cannot(v variant) (*doubtless, error) {
	worlds, ok := r.world(v)
	if !ok {
		return nil, nil
	}
	q, changes := r.q, r.q.changes(v)
	for _, a := range q.aims {
		for in, w := range worlds {
			if a.Kind == aim.Bill {
				if x := floorOf(w); x > a.Money {
					return &doubtless{fmt.Sprintf("%q is missed by what is paid for in any case", a), "at least " + q.money(x) + " a month"}, nil
				}
				continue
			}
			if !bounded(w, a) {
				continue
			}
			list, err := r.loads(w, in, a, changes)
			if err != nil {
				return nil, err
			}
			most, template := 0.0, -1
			for _, l := range list {
				if x, t := l.share(w, a.Within); x > most || template < 0 {
					most, template = max(most, x), t
				}
			}
			if a.Kind == aim.Share && most < a.Share || a.Kind == aim.Never && most < 1 {
				who := "all agents together"
				if template >= 0 {
					who = "the agents of " + w.Templates[template].Name
				}
				return &doubtless{fmt.Sprintf("%q is missed by what %s can carry at most", a, who), fmt.Sprintf("%s of %s jobs in time at most",
					units.Count(int64(float64(most*float64(list[0].jobs)))), units.Count(int64(list[0].jobs)))}, nil
			}
		}
	}
	if floor := r.floor(v); r.least > 0 && floor > r.least {
		return &doubtless{"what is paid for in any case is more than another has that keeps all aims", "at least " + q.money(floor) + " a month"}, nil
	}
	return nil, nil
}

func (q *Question) money(x float64) string { return units.Amount(x).Short(q.bases[0].Currency) }

// floorOf is what a world pays for a month in any case: the nodes that are there always, seats, and
// the fixed fee.
func floorOf(w *world.World) float64 {
	window := w.Plan.Span - w.Plan.Warmup
	sum := w.Fee.For(window).Float()
	for _, l := range w.Limits {
		sum += float64(float64(l.Agents) * l.Seat.For(window).Float())
	}
	for i := range w.Pools {
		p := &w.Pools[i]
		if p.Spot != nil || p.BootFails > 0 || p.NoCapacity > 0 || p.Short > 0 || len(p.Drains) > 0 || w.Barren(i) {
			continue // they may be away
		}
		least := p.Min
		for _, s := range p.MinSteps {
			least = min(least, s.Min)
		}
		sum += float64(float64(least) * p.Price.For(window).Float())
	}
	return sum * (float64(units.Month) / float64(window))
}

// worthwhile are the variants of a list that are a world and may be what is looked for. As long as
// none that was seen may be, all stay: then the nearest is asked for.
func (r *runner) worthwhile(list []variant) ([]variant, error) {
	list = r.valid(list)
	var out []variant
	why := map[string]*doubtless{}
	for _, v := range list {
		d, err := r.cannot(v)
		if err != nil {
			return nil, err
		}
		if d == nil {
			out = append(out, v)
		} else {
			why[v.key()] = d
		}
	}
	if r.some = r.some || len(out) > 0; !r.some {
		return list, nil
	}
	maps.Copy(r.struck, why)
	return out, nil
}

// firstOf is of how many variants of a grid one is run before the others, where what they pay in any
// case tells some apart.
const firstOf = 7

// every is what is run of a grid, the scenario first: of the others those that are worthwhile.
func (q *Question) every(r *runner, list []variant) ([]variant, error) {
	today := r.valid(list[:1])
	rest, err := r.worthwhile(list[1:])
	if err != nil {
		return nil, err
	}
	low, high := math.Inf(1), 0.0
	for _, v := range rest {
		floor := r.floor(v)
		low, high = min(low, floor), max(high, floor)
	}
	if low < high && len(rest) > 2*firstOf && r.byMoney() {
		first := append([]variant(nil), today...)
		for i := 0; i < len(rest); i += firstOf {
			first = append(first, rest[i])
		}
		if err := q.block(r, Racing, first, firstRepeats); err != nil {
			return nil, err
		}
		if err := r.bestSoFar(first, rest); err != nil {
			return nil, err
		}
		if rest, err = r.worthwhile(rest); err != nil {
			return nil, err
		}
	}
	return append(today[:1:1], rest...), nil
}

// floor is what a variant pays for a month in any case, a mean over its workloads.
func (r *runner) floor(v variant) (sum float64) {
	worlds, _ := r.world(v)
	for _, w := range worlds {
		sum += floorOf(w) / float64(len(worlds))
	}
	return sum
}

// byMoney reports whether what is to be least is no less than what is paid for in any case.
func (r *runner) byMoney() bool {
	return r.q.Spec.Least == document.LeastBill || r.q.Spec.Least == document.LeastWorth
}

// bestSoFar notes the most that the least of what is asked can be, from the best of the variants that
// were run. It gets more repeats for that, where those struck out for it would have more.
func (r *runner) bestSoFar(run, rest []variant) error {
	q := r.q
	best := slices.MinFunc(run, func(a, b variant) int { return q.better(r, a, b) })
	above := 0
	for _, v := range rest {
		if r.floor(v) > mean(r.of(best, 0), q.objective) {
			above++
		}
	}
	if above*firstRepeats < mostRepeats {
		return nil
	}
	if err := r.run([]variant{best}, 0, mostRepeats); err != nil {
		return err
	}
	runs := r.of(best, 0)
	chance := strikeError / float64(2*len(run)) // that it keeps its aims, and what it has
	if says, _ := worst(q.readings(runs, chance/float64(max(1, len(q.aims))))); says != aim.Kept {
		return nil
	}
	values := make([]float64, len(runs))
	for i := range runs {
		values[i] = q.objective(&runs[i])
	}
	m, se := meanAndError(values)
	r.least = m + float64(portable.StudentBeyond(len(runs)-1, chance)*se)
	return nil
}

// struckOut tells of those that were not run, the most first.
func (r *runner) struckOut() (out []Struck) {
	for _, key := range slices.Sorted(maps.Keys(r.struck)) {
		d := r.struck[key]
		i := slices.IndexFunc(out, func(s Struck) bool { return s.Why == d.why })
		if i < 0 {
			i = len(out)
			out = append(out, Struck{Why: d.why, One: d.short})
		}
		out[i].Variants++
	}
	slices.SortStableFunc(out, func(a, b Struck) int { return cmp.Or(b.Variants-a.Variants, cmp.Compare(a.Why, b.Why)) })
	return out
}
