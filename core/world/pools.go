package world

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/units"
)

// pools reads the cluster's pools under the scenario's limits.
func (a *assembly) pools(s *document.ScenarioSpec, c *document.ClusterSpec) {
	var names []string
	for i := range c.Pools {
		p := &c.Pools[i]
		names = append(names, p.Name)
		t := fleet.TypeOf(c, p)
		pool := Pool{
			Site: fleet.SiteOf(c, p, a.w.Extended), Key: chance.Name(p.Name),
			Least: t.LeastCharge, Unpack: t.Unpack, ImageStore: t.ImageStore, CacheDisk: t.CacheDisk,
			Min: p.Min, Max: p.Max, Spot: p.Spot, BootTime: p.Boot.Dist(), BootFails: p.BootFails, NoCapacity: p.NoCapacity,
			BilledBy: t.BilledBy, GoingTime: p.Going.Dist(), NotReadyTime: p.NotReady.Dist(), SideBySide: p.BootsAtOnce,
			RetryAfter: p.RetryAfter, Pulls: p.Pulls,
		}
		for _, d := range c.DaemonSets {
			if d.Image != "" && d.On(p.Name) {
				pool.Daemons = append(pool.Daemons, int32(slices.IndexFunc(c.Images, func(i document.Image) bool { return i.Name == d.Image })))
			}
		}
		if o := p.Outages; o != nil {
			pool.Outage, pool.Short = o.Length.Dist(), o.Share
		}
		a.limits(&pool, *p, s.Nodes.Pools[p.Name])
		if pool.Room.CPU <= 0 || pool.Room.Memory <= 0 {
			a.fault(a.in.Cluster, fmt.Sprintf("spec.pools[%d].nodeType", i), t.Name,
				"the DaemonSets and what is reserved leave its nodes no CPU or memory for agents")
		}
		if pool.Room.Pods < 1 {
			a.fault(a.in.Cluster, fmt.Sprintf("spec.pools[%d].nodeType", i), t.Name,
				"its nodes have no room for any agent; lower reserved.pods or raise pods")
		}
		a.w.Pools = append(a.w.Pools, pool)
	}
	for name := range s.Nodes.Pools {
		if !slices.Contains(names, name) {
			a.fault(a.in.Scenario, "spec.nodes.pools."+name, "", "the cluster has no such pool; it has "+strings.Join(names, ", "))
		}
	}
	slices.SortFunc(a.faults, func(x, y document.Fault) int { return strings.Compare(x.Path, y.Path) })
}

// limits sets what the scenario and the calendars say of a pool.
func (a *assembly) limits(pool *Pool, p document.Pool, l document.PoolLimits) {
	if l.Max != nil {
		pool.Max = *l.Max
	}
	if l.Min != nil {
		pool.Min = *l.Min
	}
	pool.Min = min(pool.Min, pool.Max)
	for _, d := range p.Drains {
		pool.Drains = append(pool.Drains, demand.Stretches(d, a.w.Start, a.w.Horizon(), a.w.Zone)...)
	}
	pool.Drains = demand.Together(pool.Drains)
	if len(l.Calendar) == 0 {
		return
	}
	low := pool.Min
	at := func(t units.Duration) int {
		for _, c := range l.Calendar {
			z := c.Zone
			if z == (units.Zone{}) {
				z = a.w.Zone
			}
			if c.When.Covers(z.MinuteOfWeek(a.w.Start.Add(time.Duration(t)))) {
				return min(c.Min, pool.Max)
			}
		}
		return low
	}
	var windows []document.Window
	for _, c := range l.Calendar {
		windows = append(windows, document.Window{When: c.When, Zone: c.Zone})
	}
	pool.MinSteps = []MinStep{{0, at(0)}}
	for _, t := range demand.Edges(windows, a.w.Start, a.w.Horizon(), a.w.Zone) {
		if m := at(t); m != pool.MinSteps[len(pool.MinSteps)-1].Min {
			pool.MinSteps = append(pool.MinSteps, MinStep{t, m})
		}
	}
	pool.Min = pool.MinSteps[0].Min
}
