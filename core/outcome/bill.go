package outcome

import (
	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A CostSample is the bill of one repeat, in billionths of the currency.
type CostSample struct {
	TotalNano   units.Sum[units.Money] `json:"totalNano" doc:"Everything paid: pools and parts."`
	Pools       []PoolSample           `json:"pools" doc:"By node pool."`
	Parts       []PartSample           `json:"parts" doc:"Everything that is not node time, in a fixed order."`
	WaitingNano units.Sum[units.Money] `json:"waitingNano" doc:"What the waiting of people is worth; not part of the total."`
	FloorNano   units.Sum[units.Money] `json:"floorNano" doc:"The floor under the bill: the least CPU and memory that the work done within the window needs, at the cheapest prices that could hold them, and the fixed fee."`
	Always      *AlwaysSample          `json:"always,omitempty" doc:"What the same would cost if it stayed; absent in outcomes of before it was told."`
	JobsNano    units.Sum[units.Money] `json:"jobsNano" doc:"Node cost that is shared out to jobs; the rest is starts for nobody, lost attempts, idle, stranded and empty room."`
}

// A PoolSample is one pool's part of the bill.
type PoolSample struct {
	Nano   units.Sum[units.Money]    `json:"nano" doc:"Cost of the pool's nodes; the sum of its uses."`
	Uses   []units.Sum[units.Money]  `json:"usesNano" doc:"Its cost by use: work, start, lost, idle, stranded, empty, controller."`
	NodeNs units.Sum[units.Duration] `json:"nodeNs" doc:"Node time paid for."`
	Nodes  int                       `json:"nodes" doc:"Nodes that lived within the window."`
}

// A PartSample is a part of the bill that is not node time.
type PartSample struct {
	Part string                 `json:"part" doc:"What is paid for."`
	Nano units.Sum[units.Money] `json:"nano" doc:"Its cost."`
}

// Parts of the bill that are not node time.
const (
	PartFee      = "fixed fee"
	PartAgents   = "agents' licence"
	PartStored   = "cache store"
	PartRequests = "store requests"
	PartVolumes  = "volumes"
	PartRegistry = "registry transfer"
	PartStore    = "store transfer"
)

// Paid is all the money of a run within the window, as its outcome has it.
func Paid(t *sim.Trace) (total units.Sum[units.Money]) {
	for i := range t.Nodes {
		total.Add(nodeBill(t.World, &t.Nodes[i]))
	}
	for _, p := range parts(t) {
		total = total.Plus(p.Nano)
	}
	return total
}

// parts adds up what is not node time. Each is rounded once.
func parts(t *sim.Trace) []PartSample {
	w := t.World
	window := w.Plan.Span - w.Plan.Warmup
	var volumes units.Kept
	for _, s := range w.Scopes {
		if r := w.Rules[s.Rule]; r.Plan == document.Volume {
			volumes.Add(r.Size*units.Bytes(r.Copies), window)
		}
	}
	for _, c := range w.Claims {
		volumes.Add(c.Size, window)
	}
	list := []PartSample{
		{PartFee, units.SumOf(w.Fee.For(window))},
		{PartAgents, w.AgentFee.ForAll(t.AgentTime)},
		{PartStored, w.Store.Price.For(t.Cache.Kept)},
		{PartRequests, w.Store.Request.For(t.Cache.Requests)},
		{PartVolumes, w.Volumes.Price.For(volumes)},
		{PartRegistry, w.Links.Registry.Price.For(t.Moved[sim.RegistryDown])},
		{PartStore, w.Links.Store.Price.For(t.Moved[sim.StoreDown].Plus(t.Moved[sim.StoreUp]))},
	}
	for _, l := range w.Limits {
		if l.Seat > 0 {
			var seats units.Sum[units.Money]
			seats.AddTimes(l.Seat.For(window), int64(l.Agents))
			list = append(list, PartSample{"seats of " + l.Name, seats})
		}
	}
	if w.Host != nil && w.Host.Volume > 0 {
		var kept units.Kept
		kept.Add(w.Host.Volume, window)
		list = append(list, PartSample{"the controller's volume", w.Volumes.Price.For(kept)})
	}
	return append(list, linkParts(t, window)...)
}

// costOf adds up the bill: each node's is its price for its time, rounded once,
// and split by what the time went to so that the parts add up to it. jobs are the
// jobs' shares.
func costOf(t *sim.Trace, all GroupSample, jobs []int64) CostSample {
	w := t.World
	c := CostSample{Pools: make([]PoolSample, len(w.Pools)), Parts: parts(t)}
	for i := range c.Pools {
		c.Pools[i].Uses = make([]units.Sum[units.Money], sim.Uses)
	}
	for _, n := range t.Nodes {
		p := &c.Pools[n.Pool]
		bill := nodeBill(w, &n)
		for u, part := range bill.Split(n.Spent[:]) {
			p.Uses[u].Add(part)
		}
		p.Nano.Add(bill)
		p.NodeNs.Add(n.Billed)
		if n.Billed > 0 {
			p.Nodes++
		}
		c.TotalNano.Add(bill)
	}
	for _, p := range c.Parts {
		c.TotalNano = c.TotalNano.Plus(p.Nano)
	}
	var delay units.Sum[units.Duration]
	for p, d := range all.RibbonNs {
		if sim.Phase(p) < sim.Restore {
			delay = delay.Plus(d)
		}
	}
	c.WaitingNano = w.Waiting.ForAll(delay)
	c.FloorNano = floor(t).Plus(c.Parts[0].Nano)
	always := stayingOn(t, c.Parts)
	c.Always = &always
	for _, x := range jobs {
		c.JobsNano.Add(units.Money(x))
	}
	return c
}

func nodeBill(w *world.World, n *sim.NodeLife) units.Money {
	return w.Pools[n.Pool].Price.For(n.Billed + n.Extra)
}

// JobCosts returns each job's share of the node cost, in billionths of the
// currency: of its node's bill, by what its agent requested of the node over its
// time, and the time to start it where the agent was started for the job. What is
// left of a bill after its jobs is nobody's. The shares on a node are differences
// of rounded running sums, so that they and the rest add up to its bill exactly.
func JobCosts(t *sim.Trace) []int64 {
	type state struct {
		bill, given units.Money
		total, run  int64
	}
	nodes := make([]state, len(t.Nodes))
	for i := range t.Nodes {
		n := &t.Nodes[i]
		s := &nodes[i]
		s.bill = nodeBill(t.World, n)
		for _, x := range n.Spent {
			s.total += x
		}
	}
	out := make([]int64, len(t.Records))
	for j := range t.Records {
		r := &t.Records[j]
		if r.Used <= 0 || r.Node < 0 {
			continue
		}
		s := &nodes[r.Node]
		if s.total == 0 {
			continue
		}
		s.run += r.Used
		upTo := s.bill.Part(s.run, s.total)
		out[j], s.given = int64(upTo-s.given), upTo
	}
	return out
}
