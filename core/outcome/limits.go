package outcome

import (
	"cmp"
	"fmt"
	"slices"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Limit is what held jobs back in the first repeat and a document could change: a
// ceiling, a quota, a pool's max, a pool without nodes or drained, agents that must be
// seen first or do not come up.
type Limit struct {
	Cause    string   `json:"cause" doc:"Short name of the cause."`
	Name     string   `json:"name" doc:"Whom it limits: a template, or all agents."`
	Label    string   `json:"label" doc:"The limit in words."`
	Jobs     int      `json:"jobs" doc:"Jobs that waited at it, each once."`
	JobHours float64  `json:"jobHours" doc:"Hours that they waited, added up; of those that never started, up to the end of the span."`
	Hours    float64  `json:"hours" doc:"Hours during which some job waited at it."`
	More     *OneMore `json:"oneMore,omitempty" doc:"The same jobs and draws with one more; absent where that was not tried."`
}

// OneMore is what one more of something would have done.
type OneMore struct {
	What        string                 `json:"what" doc:"One more of what."`
	MeanDelayNs float64                `json:"meanDelayNs" doc:"Mean start delay with it, in the first repeat."`
	LessNs      float64                `json:"lessNs" doc:"How much shorter that is."`
	MetHours    float64                `json:"metHours" doc:"Job-hours of start delay that it would have spared, of those that start; where more start it says little."`
	MoreStarted int                    `json:"moreStarted,omitempty" doc:"How many more jobs would have started; absent below one in a hundred."`
	CostNano    units.Sum[units.Money] `json:"costNano" doc:"What it would have added to the bill of the repeat; below 0 when it is less."`
}

// Waits lists what jobs of a run waited for before they started, limits and all else, what cost most
// first.
func Waits(t *sim.Trace) []Limit { return waitsOf(t, true) }

// Limits lists where jobs of a run waited for a limit, what cost most first.
func Limits(t *sim.Trace) []Limit { return waitsOf(t, false) }

func waitsOf(t *sim.Trace, all bool) []Limit {
	type key struct {
		cause    sim.Cause
		template int16 // -1: of all
		limit    int16 // that several templates share; -1: none
	}
	type sum struct {
		jobs  int
		last  int // job that was counted last
		total units.Sum[units.Duration]
		times []sim.Stay
	}
	sums := map[key]*sum{}
	for j := range t.Records {
		s := t.Jobs.List[j].Submitted
		if s < t.World.Plan.Warmup || s >= t.World.Plan.Span {
			continue
		}
		t.EachStay(j, func(s sim.Stay) {
			k := key{s.Cause, t.Records[j].Template, -1}
			if t.Records[j].Started < 0 { // it waits for as long as it is looked at
				s.From, s.To = min(s.From, t.World.Plan.Span), min(s.To, t.World.Plan.Span)
			}
			switch s.Cause {
			case sim.AtCeiling, sim.PoolsFull, sim.CapacityOut, sim.Draining, sim.KeptOff, sim.NoAgentYet, sim.AgentFailed, sim.OutOfService:
			case sim.AtLimit:
				if i := atLimit(t.World, int(k.template)); i >= 0 {
					k.template, k.limit = -1, int16(i)
				}
			case sim.AtAgents, sim.QuotaPods, sim.QuotaCPU, sim.QuotaMemory:
				if k.template < 0 || !sim.Bars(t.World, s.Cause, int(k.template)) {
					k.template = -1
				}
			default:
				if !all || s.Cause.Phase() > sim.Join {
					return
				}
			}
			x := sums[k]
			if x == nil {
				x = &sum{last: -1}
				sums[k] = x
			}
			if x.last != j {
				x.jobs, x.last = x.jobs+1, j
			}
			x.total.Add(s.To - s.From)
			x.times = append(x.times, s)
		})
	}
	out := []Limit{}
	for k, x := range sums {
		l := Limit{
			Cause: k.cause.String(), Name: "all agents", Label: k.cause.Label(), Jobs: x.jobs,
			JobHours: x.total.Float() / float64(units.Hour), Hours: covered(x.times).Hours(),
		}
		if k.template >= 0 {
			l.Name = t.World.Templates[k.template].Name
			if said := standing(t.World, k.cause, int(k.template)); said != "" {
				l.Label = said
			}
		}
		switch {
		case k.cause == sim.AtAgents:
			l.Label = standing(t.World, k.cause, 0)
		case k.limit >= 0:
			x := &t.World.Limits[k.limit]
			l.Name, l.Label = x.Name, limitSaid(x)
		}
		out = append(out, l)
	}
	slices.SortFunc(out, func(a, b Limit) int {
		return cmp.Or(cmp.Compare(b.JobHours, a.JobHours), cmp.Compare(a.Cause, b.Cause), cmp.Compare(a.Name, b.Name))
	})
	return out
}

// covered is the time that some of the stays cover.
func covered(list []sim.Stay) units.Duration {
	slices.SortFunc(list, func(a, b sim.Stay) int { return cmp.Compare(a.From, b.From) })
	var sum, upTo units.Duration
	for _, s := range list {
		if s.To > upTo {
			sum += s.To - max(s.From, upTo)
			upTo = s.To
		}
	}
	return sum
}

const (
	// limitsTried is how many limits are raised by one, and mostJobsTried how many
	// jobs a run may have for that, so that it never takes long.
	limitsTried   = 4
	mostJobsTried = 200_000
)

// tries lists the worlds in which one of the limits is higher by one, and for
// which limit each is.
func tries(t *sim.Trace, limits []Limit) (worlds []*world.World, of []int, what []string) {
	if len(t.Records) > mostJobsTried {
		return nil, nil, nil
	}
	for i, l := range limits[:min(limitsTried, len(limits))] {
		w, name := oneMore(t, l)
		if w != nil {
			worlds, of, what = append(worlds, w), append(of, i), append(what, name)
		}
	}
	return worlds, of, what
}

func oneMore(t *sim.Trace, l Limit) (*world.World, string) {
	w := t.World
	at := slices.IndexFunc(w.Templates, func(x world.Template) bool { return x.Name == l.Name })
	switch l.Cause {
	case sim.AtCeiling.String():
		return w.WithCeiling(at, 1), "agent of " + l.Name
	case sim.AtAgents.String():
		return w.WithAgents(1), "agent"
	case sim.AtLimit.String():
		if i := slices.IndexFunc(w.Limits, func(x world.Limit) bool { return x.Name == l.Name }); i >= 0 {
			return w.WithLimit(i, 1), "seat of " + l.Name
		}
	case sim.PoolsFull.String():
		if p, ok := w.Grown(at, 1); ok >= 0 {
			return p, fmt.Sprintf("node of pool %s", w.Pools[ok].Name)
		}
	case sim.QuotaPods.String(), sim.QuotaCPU.String(), sim.QuotaMemory.String():
		return w.WithQuota(), "agent under the quota"
	}
	return nil, ""
}

// compareOne says what one more did.
func compareOne(what string, before, after Sample) *OneMore {
	a, b := &before.Groups[0], &after.Groups[0]
	hours := func(g *GroupSample) float64 { return g.Delay.Mean * float64(g.Started) / float64(units.Hour) }
	more := b.Started - a.Started
	if 100*max(more, -more) < a.Started {
		more = 0 // hours tell more than a few jobs do
	}
	return &OneMore{
		What: what, MeanDelayNs: b.Delay.Mean, LessNs: a.Delay.Mean - b.Delay.Mean,
		MetHours: hours(a) - hours(b), MoreStarted: more, CostNano: after.Cost.TotalNano.Minus(before.Cost.TotalNano),
	}
}
