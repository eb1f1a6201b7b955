package world

import (
	"math"
	"slices"

	"tachyphor/core/caching"
	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// WithFreeStore returns the world with a link to the cache store that is never
// shared: each flow gets what one alone would.
func (w *World) WithFreeStore() *World {
	c := *w
	s := &c.Links.Store
	s.PerFlow, s.PerFlowUp = s.Alone()
	s.Down, s.Up = 0, 0
	return &c
}

// Terms are what the workspace of a class is and what carries it, in means; jobs are
// those of the world. ok is false for a class without a workspace or without jobs.
func (w *World) Terms(class int, jobs *demand.Jobs) (t caching.Terms, ok bool) {
	c, s := &w.Classes[class], w.WithFreeStore().Links.Store
	t = caching.Terms{
		Work: c.Work.Mean() / 1e9, Cold: c.Cold.Mean() / 1e9, Partial: c.Partial, Change: c.Change, Size: c.Archive.Mean(),
		Down: float64(s.PerFlow), Up: float64(s.PerFlowUp), Pack: float64(w.Store.Pack), Unpack: float64(w.Store.Unpack),
		Latency: s.Latency.Seconds(),
	}
	n, trunk, own, owned := 0, 0, units.Sum[units.Duration]{}, 0
	for i := range jobs.List {
		j := &jobs.List[i]
		if int(j.Class) != class {
			continue
		}
		n++
		if !j.Change {
			trunk++
		}
		if j.Work >= 0 {
			own.Add(max(0, j.Work-units.Duration(w.HeldMean(j))))
			owned++
		}
	}
	if n == 0 || t.Cold <= 0 {
		return t, false
	}
	if owned > 0 {
		t.Work = own.Over(owned) / float64(units.Second)
	}
	t.Trunk = float64(trunk) / float64(n)
	t.PerDay = float64(n) / (w.Plan.Span.Seconds() / 86400)
	return t, true
}

// scaledRate is a link's total when one flow gets another speed than today: a better
// line is better for all.
func scaledRate(total units.Rate, flow float64, today units.Rate) units.Rate {
	if total == 0 || today == 0 || flow <= 0 {
		return 0
	}
	return units.Rate(float64(total) * flow / float64(today))
}

// Alone returns a world in which the class's builds are by themselves: an agent is
// there for each at once, and nobody else is on the store's link. Its workspace and
// what carries it are as the terms say. by is what their times were multiplied by
// (see demand.Jobs.Only). Only the rules' plans that need no nodes mean anything in it.
func (w *World) Alone(class int, t caching.Terms, by float64, rules []document.CacheRule) *World {
	c := w.bare()
	k := w.Classes[class]
	k.Retries, k.Limit, k.GiveUp, k.Cores, k.Memory, k.Disk, k.Leftovers, k.Network = 0, 0, 0, 0, chance.Dist{}, chance.Dist{}, document.Leftovers{}, nil
	scaled := func(d chance.Dist, mean float64) chance.Dist {
		if m := d.Mean(); m > 0 {
			return d.Times(mean / m)
		}
		return chance.NewFixed(mean)
	}
	k.Archive, k.Cold = scaled(k.Archive, t.Size), scaled(k.Cold, t.Cold*1e9)
	k.Change, k.Partial = t.Change, t.Partial
	c.Classes = slices.Clone(w.Classes)
	for i := range c.Classes {
		c.Classes[i].Network = nil // the links are others here
	}
	c.Classes[class] = k

	today, link := w.WithFreeStore().Links.Store, &c.Links.Store
	link.Down, link.Up = scaledRate(link.Down, t.Down, today.PerFlow), scaledRate(link.Up, t.Up, today.PerFlowUp)
	link.PerFlow, link.PerFlowUp = units.Rate(t.Down), units.Rate(t.Up)
	link.Latency = units.Duration(t.Latency * 1e9)
	c.Store.Pack, c.Store.Unpack, c.Store.Size = units.Rate(t.Pack), units.Rate(t.Unpack), 0

	numbers := document.AgentNumbers{Reuse: document.Never}
	c.Templates = []Template{{
		Agent: template.Agent{Name: "alone", Offers: k.Wants, Images: []string{"alone"}, Always: []bool{false}}, Numbers: numbers,
		ImageAt:  []int32{0},
		Calendar: demand.NewCalendar(numbers, w.Start, 0, w.Zone),
	}}
	c.Pools = []Pool{{
		Min: 1, Max: 1, Pulls: 1,
		Site: fleet.Site{Name: "alone", Room: fleet.Room{
			Request: template.Request{CPU: 1 << 40, Memory: 1 << 50, Disk: 1 << 50},
			Pods:    math.MaxInt32,
		}},
	}}
	c.Images = []document.Image{{Name: "alone"}}
	c.Lay()
	c.Plan.Span = units.Duration(float64(w.Plan.Span) * by)
	c.Plan.Warmup = units.Duration(float64(w.Plan.Warmup) * by)
	return c.WithCaching(rules)
}

// bare returns the world without agents, nodes, images and limits: when it is, its jobs,
// its store and links, and what things cost.
func (w *World) bare() *World {
	growth := w.Growth
	growth.SpareRoom = nil
	return &World{
		Scenario: w.Scenario, Currency: w.Currency, Start: w.Start, Zone: w.Zone, Plan: w.Plan,
		AgentCeiling: -1, AgentFee: w.AgentFee, Growth: growth, Backoff: w.Backoff, Preempts: w.Preempts, Placement: w.Placement, Fee: w.Fee,
		Links:   document.Links{Store: w.Links.Store},
		Volumes: w.Volumes, AttachTime: w.AttachTime, DetachTime: w.DetachTime, Store: w.Store,
		Workload: w.Workload, Log: w.Log, Waiting: w.Waiting, HeldCold: w.HeldCold, missing: w.missing,
	}
}

// WorkspaceSize is the mean size of a class's packed workspace, bytes.
func (w *World) WorkspaceSize(class int) float64 { return w.Classes[class].Archive.Mean() }

// HasWorkspace reports whether a cache can spare the jobs of a class anything.
func (w *World) HasWorkspace(class int) bool { return w.Classes[class].Cold.Mean() > 0 }
