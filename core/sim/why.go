package sim

import (
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Kept returns the cause that a job which never started waited for longest; ok is false
// for one of which nothing is told, because it waits for another job.
func (t *Trace) Kept(j int) (c Cause, ok bool) {
	var byCause [causes]units.Duration
	t.EachStay(j, func(s Stay) {
		if byCause[s.Cause] += s.To - s.From; !ok || byCause[s.Cause] > byCause[c] {
			c, ok = s.Cause, true
		}
	})
	return c, ok
}

// Behind names the pools that may be meant when template t's pods wait for a cause:
// those that are drained, or that may have no node to give, among the pools that could
// take its agents.
func Behind(w *world.World, c Cause, t int) (names []string) {
	for _, p := range w.Takers(t) {
		pool := &w.Pools[p]
		if c == Draining && len(pool.Drains) > 0 || c == CapacityOut && (pool.NoCapacity > 0 || pool.Short > 0) && pool.Max > 0 {
			names = append(names, pool.Name)
		}
	}
	return names
}

// Bars reports whether the quota has no room for even one agent of template t.
func Bars(w *world.World, c Cause, t int) bool {
	q, need := &w.Quota, &w.Templates[t].Request
	switch c {
	case QuotaPods:
		return q.Pods != nil && *q.Pods < 1
	case QuotaCPU:
		return q.CPU != nil && *q.CPU < need.CPU
	case QuotaMemory:
		return q.Memory != nil && *q.Memory < need.Memory
	}
	return false
}
