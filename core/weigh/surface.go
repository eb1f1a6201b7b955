package weigh

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"tachyphor/core/caching"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// A Surface says where the break-even of one class lies, its builds by themselves: an
// agent is there for each, and nobody else is on the store's link.
type Surface struct {
	Class  string         `json:"class" doc:"Class that it is drawn for."`
	Terms  caching.Terms  `json:"terms" doc:"Where it is today; seconds and bytes."`
	Plans  []SurfacePlan  `json:"plans" doc:"Plans that it is drawn for, none first."`
	Curves []SurfaceCurve `json:"curves" doc:"What a build of each plan takes along one quantity, the others as today."`
	X      Axis           `json:"x" doc:"Quantity along the map."`
	Y      Axis           `json:"y" doc:"Quantity up the map."`
	Map    [][]int        `json:"map" doc:"By row of y and column of x: the index of the plan with the least time; of those within 3 % of it the one that is least to keep up."`
	Gain   [][]float64    `json:"gain" doc:"Likewise: what that spares a build against none, seconds."`
	How    string         `json:"how" doc:"How it was computed, in a sentence."`
}

// SurfacePlan is a plan of the surface and how its closed form does at today's point.
type SurfacePlan struct {
	Key    string            `json:"key" doc:"Plan."`
	Label  string            `json:"label" doc:"What it is."`
	Engine stats.Figure      `json:"engineNs" doc:"Restoring, cold work and saving of a build, by the engine."`
	Closed float64           `json:"closedNs" doc:"The same by the closed form; 0 where there is none."`
	Agrees bool              `json:"agrees" doc:"The closed form lies in the engine's interval, at today's terms and at the corners of the map."`
	Values []QuantityAtBreak `json:"breakEvens" doc:"Where it takes as long as none."`
	Pays   float64           `json:"paysAfter" doc:"Builds after which it has paid by the closed form, where that is used; 0: never, or it is not."`
}

// QuantityAtBreak is a value at which a plan takes as long as none.
type QuantityAtBreak struct {
	Quantity caching.Quantity `json:"quantity" doc:"Quantity."`
	At       float64          `json:"at" doc:"Its value there."`
}

// An Axis is a quantity with its values.
type Axis struct {
	Quantity caching.Quantity `json:"quantity" doc:"Quantity."`
	Label    string           `json:"label" doc:"What it is."`
	Unit     string           `json:"unit" doc:"bytes, bytes/s, share, 1/day or s."`
	Today    float64          `json:"today" doc:"Its value today; 0: without limit."`
	Values   []float64        `json:"values" doc:"Values, ascending."`
}

// SurfaceCurve is what a build takes along one quantity.
type SurfaceCurve struct {
	Axis
	Ns     [][]float64 `json:"ns" doc:"By plan and value: restoring, cold work and saving of a build, ns."`
	Closed [][]float64 `json:"closedNs" doc:"The same by the closed form; an empty list for a plan that has none."`
}

// Sizes of what is drawn.
const (
	curveSteps = 9
	mapColumns = 15
	mapRows    = 11
	agreeRuns  = 6    // repeats by which a closed form is held against the engine
	mostBuilds = 600  // of a run of the surface, the first
	alike      = 0.03 // share of the least time within which plans are alike on the map
)

// surfacePlans are those that need no nodes, none first, then by how often they save: all
// but the first are less to keep up the later they stand.
func (x *weighing) surfacePlans() []Plan {
	var out []Plan
	for _, key := range []string{None, "every-all", "every-trunk", "changed-all", "changed-trunk", "daily-trunk"} {
		out = append(out, x.plans[slices.IndexFunc(x.plans, func(p Plan) bool { return p.Key == key })])
	}
	return out
}

// ground is where the surface is measured.
type ground struct {
	x     *weighing
	class int
	terms caching.Terms
	jobs  []*demand.Jobs // of each repeat
	plans []Plan
	shut  []bool // by plan: its closed form is used
}

// surface draws the surface. worth is what its progress counts for in all.
func (x *weighing) surface(workers int, worth int64) (*Surface, error) {
	class := x.surfaceClass()
	g := &ground{x: x, class: class, plans: x.surfacePlans()}
	g.jobs = append(g.jobs, x.first)
	for r := 1; r < agreeRuns; r++ {
		jobs, err := x.came(r)
		if err != nil {
			return nil, err
		}
		g.jobs = append(g.jobs, jobs)
	}
	var ok bool
	if g.terms, ok = x.w.Terms(class, x.first); !ok {
		return nil, nil
	}
	g.terms.Trunk = g.trunk()
	s := &Surface{Class: x.w.Classes[class].Name, Terms: g.terms}
	s.X, s.Y = axis(cmp.Or(x.q.X, caching.OfUp), g, mapColumns), axis(cmp.Or(x.q.Y, caching.OfChange), g, mapRows)
	if err := g.agree(s, workers); err != nil {
		return nil, err
	}
	spent := worth / 4
	x.step(spent)
	for _, q := range caching.Quantities() {
		c, err := g.curve(q, workers)
		if err != nil {
			return nil, err
		}
		s.Curves = append(s.Curves, c)
	}
	for i := range s.Plans {
		s.Plans[i].Values = g.breaks(s.Curves, i)
		if g.shut[i] {
			s.Plans[i].Pays = caching.Pays(g.terms, ruleOf(g.plans[i]))
		}
	}
	x.step(worth / 4)
	if err := g.draw(s, workers); err != nil {
		return nil, err
	}
	x.step(worth - spent - worth/4)
	return s, nil
}

// trunk is the share of the builds behind the surface that build the trunk.
func (g *ground) trunk() float64 {
	trunk, all := 0, 0
	for _, jobs := range g.jobs {
		n := 0
		for i := range jobs.List {
			if j := &jobs.List[i]; int(j.Class) == g.class && n < mostBuilds {
				n++
				if !j.Change {
					trunk++
				}
			}
		}
		all += n
	}
	return float64(trunk) / math.Max(1, float64(all))
}

// surfaceClass is the class that was asked for, or the one whose cold work comes to most.
func (x *weighing) surfaceClass() int {
	most, best := -1.0, x.classes[0]
	for _, c := range x.classes {
		if x.w.Classes[c].Name == x.q.Class {
			return c
		}
		sum := 0.0
		for i := range x.all[None] {
			sum += x.all[None][i].sample.Groups[1+c].CausesNs[sim.ColdWork].Float()
		}
		if sum > most {
			most, best = sum, c
		}
	}
	return best
}

// axis lays a quantity out, no further than simulated time reaches.
func axis(q caching.Quantity, g *ground, n int) Axis {
	a := Axis{Quantity: q, Label: q.Label(), Unit: q.Unit(), Today: q.In(g.terms), Values: q.Steps(g.terms, n)}
	if q == caching.OfPerDay {
		const longest = 380 * 24 // hours that the engine counts to, with room to end
		least := g.terms.PerDay * float64(g.x.w.Plan.Span) / float64(units.Hour) / longest
		low := max(a.Values[0], least)
		high := a.Values[n-1]
		for i := range a.Values {
			a.Values[i] = low * portable.Pow(high/low, float64(i)/float64(n-1))
		}
	}
	return a
}

// engine is the mean time that a build's workspace takes under a plan and terms, in one
// repeat, ns.
func (g *ground) engine(p Plan, t caching.Terms, repeat int) (float64, error) {
	by := g.terms.PerDay / t.PerDay
	jobs := g.jobs[repeat].Only(int32(g.class), by, mostBuilds)
	w := g.x.w.Alone(g.class, t, by, p.Rules)
	trace, err := sim.RunJobs(w, jobs, g.x.w.Plan.Seed+uint64(repeat)<<32, repeat, nil)
	if err != nil {
		return 0, err
	}
	sum, n := 0.0, 0
	for j := range trace.Records {
		if trace.Jobs.List[j].Submitted < w.Plan.Warmup || trace.Records[j].Ended < 0 {
			continue
		}
		n++
		trace.EachStay(j, func(s sim.Stay) {
			if s.Cause == sim.Restoring || s.Cause == sim.ColdWork || s.Cause == sim.Saving {
				sum += float64(s.To - s.From)
			}
		})
	}
	return sum / math.Max(1, float64(n)), nil
}

// closed is the same by the closed form.
func closed(p Plan, t caching.Terms) (float64, bool) {
	e, ok := caching.Expect(t, ruleOf(p))
	return e.Carried() * 1e9, ok
}

// ruleOf is the one rule of a plan of the surface.
func ruleOf(p Plan) document.CacheRule {
	if len(p.Rules) == 0 {
		return document.CacheRule{Plan: document.NoCache}
	}
	return p.Rules[0]
}

// agree holds the closed forms against the engine, at today's terms and at the map's
// corners.
func (g *ground) agree(s *Surface, workers int) error {
	x0, x1 := s.X.Values[0], s.X.Values[len(s.X.Values)-1]
	y0, y1 := s.Y.Values[0], s.Y.Values[len(s.Y.Values)-1]
	at := []caching.Terms{g.terms}
	for _, c := range [][2]float64{{x0, y0}, {x0, y1}, {x1, y0}, {x1, y1}} {
		at = append(at, g.terms.With(s.X.Quantity, c[0]).With(s.Y.Quantity, c[1]))
	}
	values := make([][]float64, len(g.plans)*len(at)) // by plan and point
	for i := range values {
		values[i] = make([]float64, agreeRuns)
	}
	err := sim.Each(workers, len(values)*agreeRuns, func(n int) error {
		i, r := n/agreeRuns, n%agreeRuns
		var err error
		values[i][r], err = g.engine(g.plans[i/len(at)], at[i%len(at)], r)
		if !g.x.step(0) {
			return sim.ErrStopped
		}
		return err
	})
	if err != nil {
		return err
	}
	used := 0
	for i, p := range g.plans {
		sp := SurfacePlan{Key: p.Key, Label: p.Label, Engine: stats.Of(values[i*len(at)]), Agrees: true}
		for k, t := range at {
			f := stats.Of(values[i*len(at)+k])
			c, ok := closed(p, t)
			// Two samples of a mean can lie a little apart; a form that is off by more than
			// the interval and a hundredth is not used.
			if !ok || math.Abs(c-f.Mean) > f.Half+float64(0.01*f.Mean) {
				sp.Agrees = false
			}
			if k == 0 && ok {
				sp.Closed = c
			}
		}
		if sp.Agrees {
			used++
		}
		g.shut = append(g.shut, sp.Agrees)
		s.Plans = append(s.Plans, sp)
	}
	switch used {
	case len(g.plans):
		s.How = "By closed forms, which the engine confirms at today's point and at the corners of the map."
	case 0:
		s.How = "By the engine: builds overlap or come in bursts, and the closed forms are for builds one after the other."
	default:
		s.How = fmt.Sprintf("By closed forms for %d of %d plans, which the engine confirms at today's point and at the corners of "+
			"the map; by the engine for the others, whose builds overlap or come in bursts.", used, len(g.plans))
	}
	return nil
}

// drawRuns are the runs of the engine behind a point.
const drawRuns = 2

// time is what a build takes: by the closed form where it is used, by runs of the engine
// otherwise.
func (g *ground) time(plan int, t caching.Terms) (float64, error) {
	if g.shut[plan] {
		c, _ := closed(g.plans[plan], t)
		return c, nil
	}
	sum := 0.0
	for r := range drawRuns {
		v, err := g.engine(g.plans[plan], t, r)
		if err != nil {
			return 0, err
		}
		sum += v
	}
	return sum / drawRuns, nil
}

func (g *ground) curve(q caching.Quantity, workers int) (SurfaceCurve, error) {
	c := SurfaceCurve{Axis: axis(q, g, curveSteps)}
	for i := range g.plans {
		c.Ns = append(c.Ns, make([]float64, curveSteps))
		list := []float64{}
		for _, v := range c.Values {
			if x, ok := closed(g.plans[i], g.terms.With(q, v)); ok {
				list = append(list, x)
			}
		}
		c.Closed = append(c.Closed, list)
	}
	err := sim.Each(workers, len(g.plans)*curveSteps, func(n int) error {
		p, i := n/curveSteps, n%curveSteps
		v, err := g.time(p, g.terms.With(q, c.Values[i]))
		c.Ns[p][i] = math.Round(v)
		if !g.x.step(0) {
			return sim.ErrStopped
		}
		return err
	})
	return c, err
}

// draw finds the best plan on every point of the map.
func (g *ground) draw(s *Surface, workers int) error {
	s.Map, s.Gain = make([][]int, mapRows), make([][]float64, mapRows)
	for y := range s.Map {
		s.Map[y], s.Gain[y] = make([]int, mapColumns), make([]float64, mapColumns)
	}
	return sim.Each(workers, mapRows*mapColumns, func(n int) error {
		y, x := n/mapColumns, n%mapColumns
		t := g.terms.With(s.X.Quantity, s.X.Values[x]).With(s.Y.Quantity, s.Y.Values[y])
		takes := make([]float64, len(g.plans))
		for p := range g.plans {
			v, err := g.time(p, t)
			if err != nil {
				return err
			}
			takes[p] = v
		}
		least := slices.Min(takes)
		// Of plans that are alike, the one that is least to keep up.
		best := 0
		for p := len(takes) - 1; takes[best] > least*(1+alike); p-- {
			best = p
		}
		s.Map[y][x] = best
		s.Gain[y][x] = math.Round((takes[0]-least)/1e6) / 1e3
		if !g.x.step(0) {
			return sim.ErrStopped
		}
		return nil
	})
}

// breaks are the values at which a plan takes as long as none: exact where its closed form
// is used, otherwise where its curve meets that of none, between two values by a straight
// line over their logarithms.
func (g *ground) breaks(curves []SurfaceCurve, plan int) []QuantityAtBreak {
	out := []QuantityAtBreak{}
	if plan == 0 {
		return out
	}
	for _, c := range curves {
		if g.shut[plan] && g.shut[0] {
			if at, ok := caching.BreakEven(g.terms, ruleOf(g.plans[plan]), c.Quantity); ok {
				out = append(out, QuantityAtBreak{c.Quantity, at})
			}
			continue
		}
		for i := 1; i < len(c.Values); i++ {
			a, b := c.Ns[plan][i-1]-c.Ns[0][i-1], c.Ns[plan][i]-c.Ns[0][i]
			if (a < 0) == (b < 0) || a == b {
				continue
			}
			x := portable.Log(c.Values[i-1]) + float64(a/(a-b)*(portable.Log(c.Values[i])-portable.Log(c.Values[i-1])))
			out = append(out, QuantityAtBreak{c.Quantity, portable.Exp(x)})
		}
	}
	return out
}
