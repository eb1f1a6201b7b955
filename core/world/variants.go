package world

import (
	"cmp"
	"slices"

	"tachyphor/core/template"
)

// WithCeiling returns the world with template t's ceiling higher by n, in every
// part of its calendar.
func (w *World) WithCeiling(t, n int) *World {
	c := *w
	c.Templates = slices.Clone(w.Templates)
	numbers := slices.Clone(c.Templates[t].Calendar.Steps())
	for i := range numbers {
		if numbers[i].Ceiling >= 0 {
			numbers[i].Ceiling += n
		}
	}
	c.Templates[t].Calendar = c.Templates[t].Calendar.With(numbers)
	return &c
}

// WithAgents returns the world with the ceiling of all agents higher by n.
func (w *World) WithAgents(n int) *World {
	c := *w
	c.AgentCeiling += n
	return &c
}

// WithLimit returns the world with the i-th limit over several templates higher by n.
func (w *World) WithLimit(i, n int) *World {
	c := *w
	c.Limits = slices.Clone(w.Limits)
	c.Limits[i].Agents += n
	return &c
}

// WithQuota returns the world with room in the quota for one more of its largest
// agents.
func (w *World) WithQuota() *World {
	c := *w
	q := &c.Quota
	var largest template.Request
	for _, t := range w.Templates {
		largest.CPU, largest.Memory = max(largest.CPU, t.Request.CPU), max(largest.Memory, t.Request.Memory)
	}
	if q.Pods != nil {
		n := *q.Pods + 1
		q.Pods = &n
	}
	if q.CPU != nil {
		n := *q.CPU + largest.CPU
		q.CPU = &n
	}
	if q.Memory != nil {
		n := *q.Memory + largest.Memory
		q.Memory = &n
	}
	return &c
}

// Grown returns the world with the max higher by n of the pool that could take
// template t's agents and has the cheapest nodes; pool is -1 when there is none.
func (w *World) Grown(t, n int) (grown *World, pool int) {
	pool = -1
	for _, p := range w.Takers(t) {
		if pool < 0 || cmp.Or(cmp.Compare(w.Pools[p].Price, w.Pools[pool].Price), cmp.Compare(w.Pools[p].Name, w.Pools[pool].Name)) < 0 {
			pool = p
		}
	}
	if pool < 0 {
		return nil, -1
	}
	c := *w
	c.Pools = slices.Clone(w.Pools)
	c.Pools[pool].Max += n
	return &c, pool
}
