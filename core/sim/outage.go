package sim

import (
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// shortages are the times in which a pool has no node to give, over so much time: they come
// and go by turns, those of capacity exponential, those without as long as the pool says,
// so that in the long run the pool's share of the time is without.
func (e *engine) shortages(p int32) (out []demand.Stretch) {
	pool := &e.w.Pools[p]
	if pool.Short == 0 {
		return nil
	}
	between := chance.NewExponential(pool.Outage.Mean() * (1 - pool.Short) / pool.Short)
	first := e.root.For(chance.Outage, pool.Key, 0)
	var now units.Duration
	if first.Uniform() < pool.Short { // it begins within one
		whole := e.draw(pool.Outage, chance.OutageLength, pool.Key, 0)
		now = units.Duration(float64(whole) * first.For(chance.Outage, 0, 1).Uniform())
		out = append(out, demand.Stretch{From: 0, To: now})
	}
	for n := uint64(1); now < e.w.Horizon(); n++ {
		from := now + e.draw(between, chance.Outage, pool.Key, n)
		now = from + max(units.Second, e.draw(pool.Outage, chance.OutageLength, pool.Key, n))
		out = append(out, demand.Stretch{From: from, To: now})
	}
	return out
}

// noneToGive reports whether a pool has no node to give now.
func (e *engine) noneToGive(p int32) bool {
	if e.pools[p].barren > 0 {
		for _, i := range e.active {
			if x := &e.w.Events[i]; x.Kind == world.NoCapacity && slices.Contains(x.Pools, p) {
				e.trace.Hit[i]++
				break
			}
		}
		return true
	}
	out := e.pools[p].shortages
	for len(out) > 0 && out[0].To <= e.now {
		out = out[1:]
	}
	e.pools[p].shortages = out
	return len(out) > 0 && out[0].From <= e.now
}
