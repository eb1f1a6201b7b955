package explore

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/portable"
	"tachyphor/core/sim"
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

// windows are the lengths of time within which it is asked what agents can carry; the whole span is
// one more.
var windows = [...]units.Duration{units.Hour, 6 * units.Hour, units.Day}

// A load is what jobs keep busy at the least, in one repeat, for one aim.
type load struct {
	jobs      int // that the aim may count
	templates []teamLoad
	together  teamLoad // of all templates
}

// A teamLoad has the jobs of a template, or of all, by length of the windows in which they come.
type teamLoad struct {
	lengths []units.Duration
	windows [][][]float64 // by length, window: what the shortest k jobs keep busy together, for k from 1 on, ns
}

// late is how many of the jobs cannot start within a time of their coming, however they are
// ordered, where at most so many agents are there at once: those that do start in a window or within
// that time behind it. All but the last of each agent are over by then.
func (t *teamLoad) late(agents int, within units.Duration) int {
	most := 0
	for i, list := range t.windows {
		room := float64(agents) * float64(t.lengths[i]+within)
		late := 0
		for _, sums := range list {
			n, _ := slices.BinarySearchFunc(sums, room, func(x, r float64) int {
				if x <= r {
					return -1
				}
				return 1
			})
			late += max(0, len(sums)-n-agents)
		}
		most = max(most, late)
	}
	return most
}

// share is the largest share of the jobs that can be in time.
func (l *load) share(w *world.World, within units.Duration) (share float64, template int) {
	if l.jobs == 0 {
		return 1, -1
	}
	each, all := mostAgents(w)
	late, worst, template := 0, 0, -1
	for t := range l.templates {
		n := 0
		if each[t] < math.MaxInt32 {
			n = l.templates[t].late(each[t], within)
		}
		if late += n; n > worst {
			worst, template = n, t
		}
	}
	if all < math.MaxInt32 {
		if n := l.together.late(all, within); n > late {
			late, template = n, -1
		}
	}
	return 1 - float64(late)/float64(l.jobs), template
}

// mostAgents is how many agents there can be at once, by template and of all: by ceilings, and by
// what goes on nodes that hold nothing else.
func mostAgents(w *world.World) (each []int, all int) {
	sum := 0
	each = make([]int, len(w.Templates))
	for t := range w.Templates {
		fit := 0
		for p := range w.Pools {
			fit += w.Pools[p].Max * alone(w, t, p)
		}
		each[t] = fit
		if _, high := w.Templates[t].Ceilings(); high >= 0 {
			each[t] = min(each[t], high)
		}
		for _, i := range w.LimitsOf(t) {
			each[t] = min(each[t], w.Limits[i].Agents)
		}
		if w.AgentCeiling >= 0 {
			each[t] = min(each[t], w.AgentCeiling)
		}
		sum += each[t]
	}
	if all = sum; w.AgentCeiling >= 0 {
		all = min(all, w.AgentCeiling)
	}
	return each, all
}

// alone is how many agents of a template go on a node of a pool at most.
func alone(w *world.World, t, p int) int {
	room, need := &w.Pools[p].Room, &w.Templates[t].Needs
	n := max(0, room.Pods)
	if need.CPU > 0 {
		n = min(n, max(0, int(room.CPU/need.CPU)))
	}
	if need.Memory > 0 {
		n = min(n, max(0, int(room.Memory/need.Memory)))
	}
	return n
}

// bounded reports whether what agents can carry bounds an aim of a world: none of its agents are
// taken back or pushed off before their job is over, and nobody waits for a result before the next job.
func bounded(w *world.World, a aim.Aim) bool {
	if a.Kind != aim.Share && a.Kind != aim.Never || w.People() > 0 {
		return false
	}
	if slices.ContainsFunc(w.Pools, func(p world.Pool) bool { return p.Spot != nil && p.Max > 0 }) {
		return false
	}
	return !w.Preempts || !slices.ContainsFunc(w.Templates, func(t world.Template) bool { return t.Rank != w.Templates[0].Rank })
}

// loadOf is what the jobs of a repeat keep busy, for an aim.
func loadOf(w *world.World, a aim.Aim, repeat int) (*load, error) {
	jobs, err := paired.Draw{Repeat: repeat}.Jobs(w)
	if err != nil {
		return nil, err
	}
	class := slices.IndexFunc(w.Classes, func(c world.Class) bool { return c.Name == a.Class })
	if a.Class != "" && class < 0 {
		return &load{templates: make([]teamLoad, len(w.Templates))}, nil
	}
	type one struct{ came, keeps units.Duration }
	l := &load{}
	lists := make([][]one, len(w.Templates)+1)
	for j, s := range sim.ShortestOf(w, jobs, repeat) {
		job := &jobs.List[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span || a.Class != "" && int(job.Class) != class || s.Template < 0 {
			continue
		}
		l.jobs++
		// What waits for other jobs comes when the run says; what comes last may not be counted.
		if len(jobs.After(j)) == 0 && job.Submitted < w.Plan.Span-a.Within {
			x := one{job.Submitted - w.Plan.Warmup, s.Keeps}
			lists[s.Template], lists[len(w.Templates)] = append(lists[s.Template], x), append(lists[len(w.Templates)], x)
		}
	}
	for _, list := range lists {
		var t teamLoad
		for _, length := range append(windows[:], w.Plan.Span-w.Plan.Warmup) {
			if len(t.lengths) > 0 && length <= t.lengths[len(t.lengths)-1] {
				continue
			}
			var in [][]float64
			for rest := list; len(rest) > 0; {
				end := (rest[0].came/length + 1) * length
				n := slices.IndexFunc(rest, func(x one) bool { return x.came >= end })
				if n < 0 {
					n = len(rest)
				}
				sums := make([]float64, n)
				for i, x := range rest[:n] {
					sums[i] = float64(x.keeps)
				}
				slices.Sort(sums)
				for i := 1; i < n; i++ {
					sums[i] += sums[i-1]
				}
				in, rest = append(in, sums), rest[n:]
			}
			t.lengths, t.windows = append(t.lengths, length), append(t.windows, in)
		}
		l.templates = append(l.templates, t)
	}
	l.together = l.templates[len(w.Templates)]
	l.templates = l.templates[:len(w.Templates)]
	return l, nil
}

// loadsAtOnce is how many loads are kept.
const loadsAtOnce = 8

// loads are those of the first repeats; of recorded jobs of the first, which are the same in all.
func (r *runner) loads(w *world.World, in int, a aim.Aim, changes []document.Changes) ([]*load, error) {
	key := fmt.Sprint(in, a)
	for _, t := range w.Templates {
		key += fmt.Sprint(t.Key, t.Offers, t.Request.Memory, t.Limit.Disk)
	}
	for _, c := range w.Classes {
		key += fmt.Sprint(c.Fastest(), " ")
	}
	for _, c := range changes {
		if c.Kind == document.KindWorkload {
			key += fmt.Sprint(c.Edits)
		}
	}
	key += fmt.Sprint(w.Plan)
	if list, ok := r.loaded[key]; ok {
		return list, nil
	}
	var list []*load
	for repeat := range firstRepeats {
		l, err := loadOf(w, a, repeat)
		if err != nil {
			return nil, err
		}
		if list = append(list, l); w.Recorded() && w.HeldCold == 0 {
			break
		}
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
		if p.Spot != nil || p.BootFails > 0 || p.NoCapacity > 0 || p.Short > 0 || len(p.Drains) > 0 {
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
