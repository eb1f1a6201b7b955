package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Cost is the bill, scaled to a month of 730 h where it says so.
type Cost struct {
	Currency   string       `json:"currency" doc:"Currency code."`
	PerMonth   stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	PerJob     stats.Figure `json:"perJob" doc:"Money paid for each job submitted."`
	Parts      []CostPart   `json:"parts" doc:"What is not node time, a month; only what is paid for."`
	Floor      stats.Figure `json:"floorPerMonth" doc:"The floor under the bill: the least CPU and memory that the work done within the window needs at the cheapest prices that could hold it, and the fixed fee. No bill is below it."`
	TimesFloor stats.Figure `json:"timesFloor" doc:"The bill over its floor."`
	Waiting    stats.Figure `json:"waitingPerMonth" doc:"What people's waiting is worth; not part of the bill. 0 where the scenario does not price it."`
	Always     *AlwaysOn    `json:"alwaysOn,omitempty" doc:"What the same nodes and agents would cost if they did not come and go; absent in outcomes of before it was told."`
	Pools      []PoolCost   `json:"pools" doc:"By node pool."`
	Uses       []UseCost    `json:"uses" doc:"Node cost by what the node time went to."`
}

// PoolCost is one pool's part of the bill.
type PoolCost struct {
	Pool     string       `json:"pool" doc:"Name of the pool."`
	NodeType string       `json:"nodeType" doc:"Its node type."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	Nodes    stats.Figure `json:"nodes" doc:"Nodes on average."`
}

// A CostPart is a part of the bill that is not node time.
type CostPart struct {
	Part     string       `json:"part" doc:"What is paid for."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
}

// UseCost is node cost by use.
type UseCost struct {
	Use      string       `json:"use" enum:"work,start,lost,idle,stranded,empty,controller" doc:"work: agents at work; start: agents on their way; lost: attempts that were cut short; idle: agents waiting for jobs; stranded: room too small for any agent; empty: room nobody asked for, and nodes booting; controller: the room of the controller."`
	PerMonth stats.Figure `json:"perMonth" doc:"Money paid in a month."`
	Share    float64      `json:"share" doc:"Part of node cost, 0 to 1."`
}

// AMonth brings an amount of one run's window to a month, in the world's currency.
func AMonth(w *world.World, nano units.Sum[units.Money]) float64 {
	return float64(float64(units.AmountOf(nano)) * float64(float64(units.Month)/float64(w.Plan.Span-w.Plan.Warmup)))
}

// cost scales the repeats' bills to a month.
func (s *Sum) cost() Cost {
	w := s.world
	money := func(nano units.Sum[units.Money]) float64 { return AMonth(w, nano) }
	c := Cost{
		Currency: w.Currency,
		PerMonth: s.figure(func(x *Sample) float64 { return money(x.Cost.TotalNano) }),
		PerJob: s.figure(func(x *Sample) float64 {
			return float64(units.AmountOf(x.Cost.TotalNano)) / float64(max(1, x.Groups[0].Jobs))
		}),
		Floor:      s.figure(func(x *Sample) float64 { return money(x.Cost.FloorNano) }),
		TimesFloor: s.figure(func(x *Sample) float64 { return timesFloor(&x.Cost) }),
		Parts:      []CostPart{},
		Waiting:    s.figure(func(x *Sample) float64 { return money(x.Cost.WaitingNano) }),
	}
	for i, p := range s.samples[0].Cost.Parts {
		if f := s.figure(func(x *Sample) float64 { return money(x.Cost.Parts[i].Nano) }); f.Mean > 0 {
			c.Parts = append(c.Parts, CostPart{p.Part, f})
		}
	}
	for p, pool := range w.Pools {
		c.Pools = append(c.Pools, PoolCost{
			Pool: pool.Name, NodeType: pool.Type,
			PerMonth: s.figure(func(x *Sample) float64 { return money(x.Cost.Pools[p].Nano) }),
			Nodes:    s.figure(func(x *Sample) float64 { return x.Cost.Pools[p].NodeNs.Float() / float64(w.Plan.Span-w.Plan.Warmup) }),
		})
	}
	if s.samples[0].Cost.Always != nil {
		c.Always = s.alwaysOn(money)
	}
	total := 0.0
	for u, name := range sim.UseNames {
		f := s.figure(func(x *Sample) float64 {
			var sum units.Sum[units.Money]
			for _, p := range x.Cost.Pools {
				sum = sum.Plus(p.Uses[u])
			}
			return money(sum)
		})
		if sim.Use(u) == sim.UseController && w.Host == nil {
			continue
		}
		total += f.Mean
		c.Uses = append(c.Uses, UseCost{Use: name, PerMonth: f})
	}
	for i := range c.Uses {
		if total > 0 {
			c.Uses[i].Share = c.Uses[i].PerMonth.Mean / total
		}
	}
	return c
}

// timesFloor is the bill over the floor under it; 0 where there is no floor.
func timesFloor(c *CostSample) float64 {
	if c.FloorNano.Sign() <= 0 {
		return 0
	}
	return c.TotalNano.Float() / c.FloorNano.Float()
}
