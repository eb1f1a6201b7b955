package weigh

import (
	"math"
	"slices"

	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// assemble turns readings into the answer, but for words and the surface.
func (x *weighing) assemble() *Weighing {
	w := x.w
	hour := x.q.Hour
	if hour == 0 {
		hour = w.Waiting
	}
	out := &Weighing{
		Scenario: w.Scenario, Engine: outcome.Engine, Currency: w.Currency, Seed: w.Plan.Seed, Repeats: w.Plan.Repeats, Alike: w.AlikeRuns(),
		SpanNs: int64(w.Plan.Span), WarmupNs: int64(w.Plan.Warmup), PerHour: units.Money(hour).Float(), Today: x.today,
	}
	for _, p := range x.plans {
		out.Plans = append(out.Plans, x.weighed(p, out.PerHour))
	}
	out.Best, out.AsGood = choose(out)
	out.Peak = x.peak()
	return out
}

// months is how many months the window is.
func (x *weighing) months() float64 {
	return float64(x.w.Plan.Span-x.w.Plan.Warmup) / float64(units.Month)
}

func (x *weighing) weighed(p Plan, perHour float64) Weighed {
	total := func(r *reading) float64 { return float64(units.AmountOf(r.sample.Cost.TotalNano)) / x.months() }
	out := Weighed{
		Plan: p, Edits: p.Edits(), Missing: append([]string{}, x.w.Missing(p.Rules)...), Cost: x.figure(p.Key, total),
		CostDiff: x.differs(p.Key, total),
		KeptGB:   x.figure(p.Key, func(r *reading) float64 { return r.sample.Cache.KeptBytes / float64(units.GB) }),
	}
	out.Groups = append(out.Groups, x.fared(p.Key, x.classes, ""))
	for _, c := range x.classes {
		out.Groups = append(out.Groups, x.fared(p.Key, []int{c}, x.w.Classes[c].Name))
	}
	out.Money = x.money(p.Key)
	if perHour > 0 {
		all := &out.Groups[0]
		hours := -all.LeadDiff.Mean * all.Jobs.Mean / float64(units.Hour) / x.months()
		out.Worth = float64(hours*perHour) - out.CostDiff.Mean
	}
	for r, one := range x.all[p.Key] {
		for i, gb := range one.stored {
			if r == 0 {
				out.StoredGB = append(out.StoredGB, 0)
			}
			out.StoredGB[i] += gb / float64(len(x.all[p.Key]))
		}
	}
	for i := range out.StoredGB {
		out.StoredGB[i] = math.Round(out.StoredGB[i]*1e4) / 1e4
	}
	return out
}

// money says by cause what a plan costs a month.
func (x *weighing) money(key string) []Money {
	var out []Money
	add := func(what string, part bool, of func(*reading) float64) {
		m := Money{What: what, PerMonth: x.figure(key, of), Difference: x.differs(key, of), Part: part}
		if m.PerMonth.Mean != 0 || m.Difference.Mean != 0 {
			out = append(out, m)
		}
	}
	add("nodes", false, func(r *reading) float64 {
		var sum units.Sum[units.Money]
		for _, p := range r.sample.Cost.Pools {
			sum = sum.Plus(p.Nano)
		}
		return float64(units.AmountOf(sum)) / x.months()
	})
	for i, what := range [...]string{"held by restoring", "held by cold work", "held by saving"} {
		add(what, true, func(r *reading) float64 {
			sum := 0.0
			for _, c := range x.classes {
				sum += r.held[i][c]
			}
			return sum / x.months()
		})
	}
	for i, p := range x.all[None][0].sample.Cost.Parts {
		add(p.Part, false, func(r *reading) float64 { return float64(units.AmountOf(r.sample.Cost.Parts[i].Nano)) / x.months() })
	}
	return out
}

// fared says how the jobs of some classes did together.
func (x *weighing) fared(key string, list []int, name string) Fared {
	k := classes(list)
	figure := func(of number) stats.Figure { return x.figure(key, of) }
	f := Fared{
		Class: name, Jobs: figure(k.ended), Lead: figure(k.mean(lead)), LeadDiff: x.differs(key, k.mean(lead)),
		Start:   figure(k.mean(phases(sim.Held, sim.Placing, sim.Node, sim.Image, sim.Setup, sim.Join))),
		Restore: figure(k.mean(phases(sim.Restore))), Cold: figure(k.mean(cold)), Save: figure(k.mean(phases(sim.Save))),
		Wipe: figure(k.mean(phases(sim.Wipe))), Work: figure(k.mean(phases(sim.Work)).Minus(k.mean(cold))),
		Pays: x.paysOff(key, list),
	}
	f.Sure = f.LeadDiff.SureAlike()
	if x.bakes(key) {
		f.Pull = x.differs(key, k.mean(phases(sim.Image)))
	}
	of := 0
	if len(list) == 1 {
		of = 1 + list[0]
	}
	mine, none := x.leads(key, of), x.leads(None, of)
	for q, into := range map[float64]**stats.Figure{50: &f.P50, 90: &f.P90, 95: &f.P95} {
		if p, ok := mine.Figure(q); ok {
			*into = &p
		}
	}
	f.P95Diff = stats.Paired(none.ByRepeat(95), mine.ByRepeat(95))
	f.Fresh = figure(k.share(func(c *sim.ClassCache) float64 { return float64(c.Hits) }))
	f.Stale = figure(k.share(func(c *sim.ClassCache) float64 { return float64(c.Stale) }))
	f.Missed = figure(k.share(func(c *sim.ClassCache) float64 { return float64(c.Misses) }))
	f.Saves = figure(k.count(func(c *sim.ClassCache) float64 { return float64(c.Saves) }))
	month := float64(units.GB) * x.months()
	f.DownGB = figure(k.count(func(c *sim.ClassCache) float64 { return c.Down.Float() / month }))
	f.UpGB = figure(k.count(func(c *sim.ClassCache) float64 { return c.Up.Float() / month }))
	return f
}

// paysOff follows what the workspace took, build by build, beside cold work alone.
func (x *weighing) paysOff(key string, classes []int) PaysOff {
	out := PaysOff{At: []int{}, Course: []float64{}}
	var after []float64
	for r := range x.all[key] {
		mine, none := x.all[key][r].carried, x.all[None][r].carried
		if mine == nil {
			continue
		}
		out.Repeats++
		sum, builds, last := 0.0, 0, 0
		var course []float64
		for j, class := range x.jobClasses[r] {
			if !slices.Contains(classes, int(class)) || mine[j] < 0 || none[j] < 0 {
				continue
			}
			builds++
			sum += float64(mine[j]) - float64(none[j])
			if sum > 0 {
				last = builds
			}
			if r == 0 {
				course = append(course, math.Round(sum/1e6)*1e6)
			}
		}
		if sum < 0 && last < builds {
			out.Paid++
			after = append(after, float64(last+1))
		}
		if r == 0 {
			out.At, out.Course = thinned(course)
		}
	}
	if len(after) > 0 {
		slices.Sort(after)
		out.Builds = after[len(after)/2]
	}
	return out
}

// thinned keeps a course's points ever farther apart, each a twentieth farther on than
// the one before, and its last.
func thinned(course []float64) (at []int, kept []float64) {
	at, kept = []int{}, []float64{}
	for n := 1; n <= len(course); n = max(n+1, n+n/20) {
		at, kept = append(at, n), append(kept, course[n-1])
	}
	if n := len(course); n > 0 && at[len(at)-1] != n {
		at, kept = append(at, n), append(kept, course[n-1])
	}
	return at, kept
}

// near is how much of the mean lead time a plan may be worse than the best and still
// count as as good.
const near = 0.02

// choose is the plan to have: the one worth most, or where an hour has no worth the one
// under which the mean job ends soonest; of those that are as good, the one that is
// least to keep up. One that is not surely better than none is not chosen, nor one that
// rests on facts which nobody gave.
func choose(o *Weighing) (best string, asGood []string) {
	none := &o.Plans[0].Groups[0]
	gain := func(p *Weighed) float64 {
		if o.PerHour > 0 {
			return p.Worth
		}
		return -p.Groups[0].LeadDiff.Mean
	}
	tolerance := near * none.Lead.Mean
	if o.PerHour > 0 {
		tolerance *= none.Jobs.Mean / float64(units.Hour) * o.PerHour * float64(units.Month) / float64(o.SpanNs-o.WarmupNs)
	}
	most := 0.0
	better := func(p *Weighed) bool {
		d := p.Groups[0].LeadDiff
		return len(p.Missing) == 0 && d.Mean < 0 && (d.Runs < 2 || d.SureAlike()) && gain(p) > 0
	}
	for i := range o.Plans {
		if p := &o.Plans[i]; better(p) {
			most = max(most, gain(p))
		}
	}
	if most == 0 {
		return None, nil
	}
	for _, key := range append([]string{o.Today}, keepOrder...) {
		for i := range o.Plans {
			p := &o.Plans[i]
			if p.Key != key || !better(p) || gain(p) < most-tolerance {
				continue
			}
			switch {
			case best == "":
				best = key
			case key != best && key != o.Today:
				asGood = append(asGood, key)
			}
		}
	}
	return best, asGood
}

// keepOrder has the plans by how little they are to keep up: archives, which need
// nothing of the nodes, by how seldom they save; then what needs room on nodes, images
// made anew, volumes, and several plans.
var keepOrder = []string{
	byProject, byClass, "daily-trunk", "changed-all", "every-trunk", "every-all", "node-disk", "baked", "volumes",
	"volume", Best,
}

// peak says what sharing costs in the busiest hour, of the plans whose facts are known.
func (x *weighing) peak() Peak {
	out := Peak{From: int64(x.from), Jobs: x.peakN, Plans: []PeakTimes{}}
	for _, p := range x.plans {
		if len(x.w.Missing(p.Rules)) > 0 {
			continue
		}
		by, ok := x.free[p.Key]
		if !ok {
			by = x.all[p.Key]
		}
		truth := paired.Values(x.all[p.Key], func(r *reading) float64 { return r.peak })
		free := paired.Values(by, func(r *reading) float64 { return r.peakAlone })
		out.Plans = append(out.Plans, PeakTimes{p.Key, stats.Of(free), stats.Of(truth), stats.Paired(free, truth)})
	}
	out.Changed = out.least() != out.leastAlone()
	return out
}

// least and leastAlone are the plans that take a build the least time in truth, and
// alone; the mix is left out.
func (p *Peak) least() int {
	return p.first(func(t *PeakTimes) float64 { return t.Truth.Mean })
}

func (p *Peak) leastAlone() int {
	return p.first(func(t *PeakTimes) float64 { return t.Alone.Mean })
}

func (p *Peak) first(of func(*PeakTimes) float64) int {
	best := 0
	for i := range p.Plans {
		if p.Plans[i].Key != Best && of(&p.Plans[i]) < of(&p.Plans[best]) {
			best = i
		}
	}
	return best
}
