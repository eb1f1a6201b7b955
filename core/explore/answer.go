package explore

import (
	"cmp"
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/stats"
)

// Measures are what runs of a variant say.
type Measures struct {
	Delay stats.Figure  `json:"delayP95Ns" doc:"95 % of jobs start within this, ns."`
	Few   bool          `json:"few,omitempty" doc:"Of fresh draws: too few jobs ran for the percentile of all runs together; it is the mean of those of each run."`
	Lead  stats.Figure  `json:"leadNs" doc:"Mean lead time, ns."`
	Bill  stats.Figure  `json:"billPerMonth" doc:"A month's bill, in the currency."`
	Worth stats.Figure  `json:"worthPerMonth" doc:"The bill and what waiting is worth, a month; the bill where the scenario does not price it."`
	Aims  []aim.Reading `json:"aims" doc:"What is said of each aim, in their order."`
}

// A Variant is one that was run.
type Variant struct {
	Change   string    `json:"change" doc:"The settings in a line."`
	Settings []Setting `json:"settings" doc:"The knobs that it has otherwise than the scenario; none: it is the scenario."`
	Has      []int     `json:"has" doc:"By knob, which of its values it has; −1: the scenario's own."`
	Runs     int       `json:"runs" doc:"Repeats that it was run with."`
	Measures
	Frontier bool   `json:"frontier,omitempty" doc:"No other has both a lower delay and a lower bill."`
	Out      string `json:"out,omitempty" doc:"Why it got no more repeats; absent: it was in the race to the end."`
}

// A Rung is one change on the way from the scenario to what is recommended.
type Rung struct {
	Setting
	Alone Measures `json:"alone" doc:"The scenario with this change alone."`
	Added Measures `json:"added" doc:"With this and those before it."`
}

// A NextStep is what is recommended with one knob a step further.
type NextStep struct {
	Setting
	Delay   stats.Figure `json:"delayP95Ns" doc:"By how much the 95th percentile of start delays would change, ns."`
	Bill    stats.Figure `json:"billPerMonth" doc:"By how much a month's bill would."`
	Verdict aim.Verdict  `json:"verdict" doc:"What is said of all aims then."`
	Misses  string       `json:"misses,omitempty" doc:"The aim that is missed or not decided then."`
}

// Confirmed is what is recommended, and the scenario, on draws that took no part in choosing.
type Confirmed struct {
	Best    Measures `json:"best" doc:"What is recommended."`
	Today   Measures `json:"today" doc:"The scenario as it is."`
	Repeats int      `json:"repeats" doc:"Repeats of each, on the same draws."`
	Tried   int      `json:"tried" doc:"How many were tried so, the recommended one with them: those before it did not keep their aims."`
}

// An Answer is what exploring a scenario came to.
type Answer struct {
	Sweep    string         `json:"sweep" doc:"Name of the sweep."`
	Scenario string         `json:"scenario" doc:"Name of the scenario."`
	Currency string         `json:"currency" doc:"Currency of bills."`
	Least    document.Least `json:"least" doc:"What is to be as little as can be."`
	Aims     []aim.Asked    `json:"aims" doc:"What must be kept."`
	Sentence string         `json:"sentence" doc:"The answer in a sentence."`
	Notes    []string       `json:"notes" doc:"What is to be known of it."`

	Knobs    []Tried            `json:"knobs" doc:"What was varied."`
	Possible int                `json:"possible" doc:"Variants that there are; at most a million is counted."`
	Searched bool               `json:"searched" doc:"Not all of them were run: they were searched."`
	Unfit    int                `json:"unfit" doc:"Variants that cannot be run: they make no valid documents, as where a floor is above its ceiling, or agents fit on no node."`
	Struck   []Struck           `json:"struck,omitempty" doc:"Variants that were not run because it is known beforehand that they cannot be what is looked for."`
	Runs     int                `json:"runs" doc:"Runs that it took."`
	Variants []Variant          `json:"variants" doc:"Those that were run, the scenario first."`
	Best     int                `json:"best" doc:"The one that is recommended, among them; −1: none keeps all aims."`
	Today    aim.Verdict        `json:"today" doc:"What is said of the scenario as it is."`
	Confirm  *Confirmed         `json:"confirmed,omitempty" doc:"It and the scenario on fresh draws; absent where none is recommended."`
	Stays    *Staying           `json:"staysOn,omitempty" doc:"Coming and going beside nodes that stay on; absent in answers of before it was told."`
	Binds    []outcome.Limit    `json:"binds" doc:"What jobs still wait for under what is recommended: ceilings, quotas and full pools of its first repeat, what costs most first."`
	Ladder   []Rung             `json:"ladder" doc:"The changes that lead to it, those that buy most first."`
	Steps    []NextStep         `json:"steps" doc:"It with one knob a step further."`
	Matters  []Matter           `json:"matters" doc:"Which knobs account for the spread of delays and bills, most first."`
	Patch    []document.Changes `json:"patch" doc:"The edits that make the scenario what is recommended, by document."`
	list     []*lane            // of Variants
	ran      *runner
}

// A Tried is a knob with all its values.
type Tried struct {
	Knob   string   `json:"knob" doc:"What the knob is called."`
	At     []string `json:"at" doc:"The places that it moves."`
	Was    string   `json:"was" doc:"What the scenario has."`
	Values []string `json:"values" doc:"The values that it may take."`
	Moves  []Move   `json:"moves" doc:"The fields that it moves."`
	Gives  [][]any  `json:"gives" doc:"By value, what each of those fields says then."`
}

// mostBinds is how many limits are told.
const mostBinds = 4

// possibleMost is how many variants are counted at most.
const possibleMost = 1_000_000

// mostTried is how many variants are tried on fresh draws at most.
const mostTried = 5

// Answer explores. What it says does not depend on the number of workers.
func (q *Question) Answer(way Way) (*Answer, error) {
	budget := q.Spec.Budget.Runs
	r := newRunner(q, way, budget+mostTried*freshRepeats[0]+freshRepeats[0])
	out := &Answer{
		Sweep: q.Sweep, Scenario: q.bases[0].Scenario, Currency: q.bases[0].Currency, Least: q.Spec.Least, Aims: []aim.Asked{}, Notes: []string{},
		Possible: q.many(possibleMost), Best: -1, Binds: []outcome.Limit{}, Ladder: []Rung{}, Steps: []NextStep{}, Patch: []document.Changes{}, Matters: []Matter{}, ran: r,
	}
	for _, k := range q.knobs {
		tried := Tried{Knob: k.name, Was: k.was, Values: k.text, Gives: k.values}
		for _, p := range k.places {
			tried.At = append(tried.At, p.at)
			tried.Moves = append(tried.Moves, Move{p.kind, p.name, p.pointer})
		}
		out.Knobs = append(out.Knobs, tried)
	}
	for _, a := range q.aims {
		out.Aims = append(out.Aims, a.Asked())
	}
	list := []variant{q.today()}
	spread := 0 // of a search: the first that lie all over
	var err error
	if q.fits(budget) {
		for _, v := range q.grid() {
			if v = q.settled(v); v.key() != list[0].key() {
				list = append(list, v)
			}
		}
		if list, err = q.every(r, list); err != nil {
			return nil, err
		}
	} else if list, spread, err = q.search(r, budget); err != nil {
		return nil, err
	} else {
		out.Searched = true
	}
	out.Unfit, out.Struck = len(r.faults), r.struckOut()
	for _, v := range list {
		out.list = append(out.list, &lane{v: v, same: -1})
	}
	if err := q.race(r, out.list, budget); err != nil {
		return nil, err
	}
	for _, l := range out.list {
		settings := q.settings(l.v)
		out.Variants = append(out.Variants, Variant{
			Change: said(settings), Settings: settings, Has: l.v, Runs: l.repeats, Measures: q.measures(r.of(l.v, 0)), Out: l.out,
		})
	}
	v, _ := worst(out.Variants[0].Aims)
	out.Today = v
	of := out.list
	if out.Searched {
		of = of[:spread]
	}
	out.Matters = q.matters(r, of, out.Searched)
	q.standing(r, Confirming, out.list)
	if err := q.choose(out); err != nil {
		return nil, err
	}
	out.frontier()
	out.Stays = q.staying(out)
	q.standing(r, Telling, out.list)
	if out.Best >= 0 {
		if err := q.ladder(out); err != nil {
			return nil, err
		}
		if err := q.aside(out); err != nil {
			return nil, err
		}
		limits, err := r.waits(out.list[out.Best].v, outcome.Limits)
		if err != nil {
			return nil, err
		}
		out.Binds = append(out.Binds, limits[:min(len(limits), mostBinds)]...)
		if out.Patch, err = out.Changes(out.Best); err != nil {
			return nil, err
		}
	}
	out.Runs = int(r.done.Load())
	out.Sentence = q.sentence(out)
	q.notes(out)
	return out, nil
}

// measures are figures over runs.
func (q *Question) measures(runs []Run) Measures {
	values := func(of func(*Run) float64) stats.Figure { return figureOf(runs, of) }
	return Measures{
		Delay: values(func(r *Run) float64 { return r.P95 }), Lead: values(func(r *Run) float64 { return r.Lead }),
		Bill: values(func(r *Run) float64 { return r.Bill }), Worth: values(func(r *Run) float64 { return r.Bill + r.Waiting }),
		Aims: q.readings(runs, errorOfAll),
	}
}

// pooled is measures with the percentile of all jobs in all runs together.
func (q *Question) pooled(runs []Run) Measures {
	m := q.measures(runs)
	spreads := make([]stats.Spread, len(runs))
	for i := range runs {
		spreads[i] = *runs[i].Delays
	}
	f, ok := stats.PoolOf(spreads).Figure(95)
	if m.Few = !ok; ok {
		m.Delay = f
	}
	return m
}

// frontier marks the variants that no other beats on both delay and bill.
func (a *Answer) frontier() {
	order := make([]int, len(a.Variants))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(x, y int) int {
		one, other := &a.Variants[x], &a.Variants[y]
		return cmp.Or(cmp.Compare(one.Bill.Mean, other.Bill.Mean), cmp.Compare(one.Delay.Mean, other.Delay.Mean),
			cmp.Compare(len(one.Settings), len(other.Settings))) // of those that do the same, that with fewest changes
	})
	least := -1.0
	for _, i := range order {
		if d := a.Variants[i].Delay.Mean; least < 0 || d < least {
			least, a.Variants[i].Frontier = d, true
		}
	}
}

// choose finds the variant with the least of what is asked that keeps all aims, also on fresh
// draws.
func (q *Question) choose(a *Answer) (err error) {
	var order []int
	for i := range a.Variants {
		if v, _ := worst(a.Variants[i].Aims); v == aim.Kept && a.Variants[i].Runs >= firstRepeats && a.list[i].same < 0 {
			order = append(order, i)
		}
	}
	least := func(i int) float64 { return mean(a.ran.of(a.list[i].v, 0), q.objective) }
	slices.SortStableFunc(order, func(x, y int) int { return cmp.Or(cmp.Compare(least(x), least(y)), cmp.Compare(x, y)) })
	for n, i := range order[:min(len(order), mostTried)] {
		if i, err = q.simpler(a, i); err != nil {
			return err
		}
		repeats, err := q.confirm(a, a.list[i].v)
		if err != nil {
			return err
		}
		if repeats == 0 {
			continue
		}
		if err := a.ran.run([]variant{q.today()}, fresh, repeats); err != nil {
			return err
		}
		first := func(v variant) []Run { return a.ran.of(v, fresh)[:repeats] }
		a.Best = i
		a.Confirm = &Confirmed{Best: q.pooled(first(a.list[i].v)), Today: q.pooled(first(q.today())), Repeats: repeats, Tried: n + 1}
		return nil
	}
	return nil
}

// simplerBy is how much more of what is to be least a variant may have, as a share, that leaves
// more of the scenario as it is.
const simplerBy = 0.002

// simpler takes changes back that bring nothing: as long as all aims stay kept and what is to be
// least is hardly more, the one without which there is least of it. It returns the variant that
// is left, among those of the answer.
func (q *Question) simpler(a *Answer, i int) (int, error) {
	for {
		l := a.list[i]
		var next []variant
		for k, x := range l.v {
			if x >= 0 {
				v := append(variant(nil), l.v...)
				v[k] = -1
				next = append(next, v)
			}
		}
		next = a.ran.valid(next)
		repeats := max(firstRepeats, l.repeats)
		if err := a.ran.run(append([]variant{l.v}, next...), 0, repeats); err != nil {
			return 0, err
		}
		first := func(v variant) []Run { return a.ran.of(v, 0)[:repeats] }
		most := float64(mean(first(l.v), q.objective) * (1 + simplerBy))
		var best variant
		least := 0.0
		for _, v := range next {
			x := mean(first(v), q.objective)
			if says, _ := worst(q.readings(first(v), errorOfAll)); says == aim.Kept && x <= most && (best == nil || x < least) {
				best, least = v, x
			}
		}
		if best == nil {
			return i, nil
		}
		if i = slices.IndexFunc(a.list, func(l *lane) bool { return l.v.key() == best.key() }); i < 0 {
			i = len(a.list)
			a.list = append(a.list, &lane{v: best, same: -1})
			settings := q.settings(best)
			a.Variants = append(a.Variants, Variant{Change: said(settings), Settings: settings, Has: best})
		}
		a.list[i].repeats = repeats
		a.Variants[i].Runs, a.Variants[i].Measures = repeats, q.measures(a.ran.of(best, 0))
	}
}

// freshRepeats are those after which a variant on fresh draws is looked at; where it is not
// decided there are more.
var freshRepeats = [...]int{8, 16, 32}

// confirm runs a variant on draws that took no part in choosing, until its aims are decided, and
// returns after how many repeats they are surely kept; 0: they are not. The chance of a wrong
// word over all looks is errorOfAll.
func (q *Question) confirm(a *Answer, v variant) (int, error) {
	for _, repeats := range freshRepeats {
		if err := a.ran.run([]variant{v}, fresh, repeats); err != nil {
			return 0, err
		}
		says, _ := worst(q.readings(a.ran.of(v, fresh)[:repeats], errorOfAll/float64(len(freshRepeats))))
		switch says {
		case aim.Kept:
			return repeats, nil
		case aim.Missed:
			return 0, nil
		}
	}
	return 0, nil
}

// ladder takes the changes one after the other, each time the one that brings most: first towards
// the aims, then towards less of what is asked. Each is tried on the first draws.
func (q *Question) ladder(a *Answer) error {
	best := a.list[a.Best].v
	var left []int
	for k, x := range best {
		if x >= 0 {
			left = append(left, k)
		}
	}
	with := func(v variant, k int) variant {
		out := append(variant(nil), v...)
		out[k] = best[k]
		return out
	}
	at := q.today()
	for len(left) > 0 {
		var next []variant
		var of []int
		for _, k := range left {
			if v := with(at, k); len(a.ran.valid([]variant{v})) == 1 {
				next, of = append(next, v), append(of, k)
			}
		}
		if len(next) == 0 { // none of them can be made by itself
			return nil
		}
		if err := a.ran.run(next, 0, firstRepeats); err != nil {
			return err
		}
		pick := 0
		for i := range next {
			if q.better(a.ran, next[i], next[pick]) < 0 {
				pick = i
			}
		}
		k := of[pick]
		at = next[pick]
		left = slices.DeleteFunc(left, func(x int) bool { return x == k })
		rung := Rung{Setting: Setting{q.knobs[k].name, q.knobs[k].text[best[k]], q.knobs[k].was}, Added: q.measures(a.ran.of(at, 0))}
		alone := with(q.today(), k)
		if len(a.ran.valid([]variant{alone})) == 1 {
			if err := a.ran.run([]variant{alone}, 0, firstRepeats); err != nil {
				return err
			}
			rung.Alone = q.measures(a.ran.of(alone, 0))
		}
		a.Ladder = append(a.Ladder, rung)
	}
	return nil
}

// aside runs what is recommended with one knob a step further, on the first draws.
func (q *Question) aside(a *Answer) error {
	best := a.list[a.Best].v
	list := a.ran.valid(q.steps(best, false))
	repeats := max(firstRepeats, min(a.list[a.Best].repeats, 9))
	if err := a.ran.run(append([]variant{best}, list...), 0, repeats); err != nil {
		return err
	}
	base := a.ran.of(best, 0)
	for _, v := range list {
		runs := a.ran.of(v, 0)
		n := min(len(runs), len(base))
		diff := func(of func(*Run) float64) stats.Figure {
			x, y := make([]float64, n), make([]float64, n)
			for i := range n {
				x[i], y[i] = of(&base[i]), of(&runs[i])
			}
			return stats.Paired(x, y)
		}
		s := NextStep{Delay: diff(func(r *Run) float64 { return r.P95 }), Bill: diff(func(r *Run) float64 { return r.Bill })}
		for k := range v {
			if v[k] != best[k] {
				s.Setting = Setting{Knob: q.knobs[k].name, Is: q.value(k, v[k]), Was: q.value(k, best[k])}
			}
		}
		verdict, at := worst(q.readings(runs, errorOfAll))
		if s.Verdict = verdict; at >= 0 {
			s.Misses = q.aims[at].String()
		}
		a.Steps = append(a.Steps, s)
	}
	return nil
}

// value is a knob's value as people read it.
func (q *Question) value(k, x int) string {
	if x < 0 {
		return q.knobs[k].was
	}
	return q.knobs[k].text[x]
}
