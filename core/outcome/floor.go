package outcome

import (
	"math"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// floor is a lower bound for what the nodes of a run cost within its window: the least
// CPU and memory that the work done there needs, on the cheapest mix of pools that
// could hold both, as if nodes came in fractions and were never empty. It counts jobs
// that succeeded, wherever their work lies in the window, without cold work, stretch
// and lost attempts, which another design might spare.
//
// Of one resource at a time, two things bound what the nodes held: what the jobs need
// of it whose workload says so, and what all agents requested, of which each job counts
// no more than it needs. The greater counts. Where no workload says so, the floor is
// therefore that of this design's requests.
func floor(t *sim.Trace) units.Sum[units.Money] {
	var cpu, memory bound
	for j := range t.Records {
		l := t.Least(j)
		cpu.add(l.Cores, l.CoresKnown, l.RequestedCores)
		memory.add(l.Memory, l.MemoryKnown, l.RequestedMemory)
	}
	best := cheapest(t.World.Pools, cpu.least(), memory.least()) / float64(units.Hour)
	var sum units.Sum[units.Money]
	for ; best >= 1<<62; best -= 1 << 62 {
		sum.Add(1 << 62)
	}
	sum.Add(units.Money(best))
	return sum
}

// A bound adds up two lower bounds of one resource over time.
type bound struct{ needed, requested float64 }

func (b *bound) add(needs float64, known bool, requested float64) {
	b.needed += needs
	if known {
		requested = min(requested, needs)
	}
	b.requested += requested
}

func (b *bound) least() float64 { return max(b.needed, b.requested) }

// cheapest is the least price of core · ns and byte · ns on nodes of some pools, in
// price · ns: a linear programme of two constraints, whose solution needs two pools at
// most. It is 0 where no pool may have nodes.
func cheapest(pools []world.Pool, cpu, memory float64) float64 {
	best := math.Inf(1)
	for i := range pools {
		a := &pools[i]
		if a.Max == 0 {
			continue
		}
		ac, am := a.Room.CPU.Cores(), float64(a.Room.Memory)
		best = min(best, float64(a.Price)*max(cpu/ac, memory/am))
		for j := range i {
			b := &pools[j]
			bc, bm := b.Room.CPU.Cores(), float64(b.Room.Memory)
			det := float64(ac*bm) - float64(bc*am)
			if b.Max == 0 || det == 0 {
				continue
			}
			x, y := (float64(cpu*bm)-float64(memory*bc))/det, (float64(memory*ac)-float64(cpu*am))/det
			if x >= 0 && y >= 0 {
				best = min(best, float64(x*float64(a.Price))+float64(y*float64(b.Price)))
			}
		}
	}
	if math.IsInf(best, 1) {
		return 0
	}
	return best
}
