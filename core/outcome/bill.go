package outcome

import (
	"math"

	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// A CostSample is the bill of one repeat, in billionths of the currency.
type CostSample struct {
	TotalNano   int64        `json:"totalNano" doc:"Everything paid: pools and parts."`
	Pools       []PoolSample `json:"pools" doc:"By node pool."`
	Parts       []PartSample `json:"parts" doc:"Everything that is not node time, in a fixed order."`
	WaitingNano int64        `json:"waitingNano" doc:"What the waiting of people is worth; not part of the total."`
	FloorNano   int64        `json:"floorNano" doc:"The floor under the bill: the work's own CPU and memory at the cheapest prices that could hold them, and the fixed fee."`
	JobsNano    int64        `json:"jobsNano" doc:"Node cost that is shared out to jobs; the rest is starts for nobody, lost attempts, idle, stranded and empty room."`
}

// A PoolSample is one pool's part of the bill.
type PoolSample struct {
	Nano   int64   `json:"nano" doc:"Cost of the pool's nodes; the sum of its uses."`
	Uses   []int64 `json:"usesNano" doc:"Its cost by use: work, start, lost, idle, stranded, empty."`
	NodeNs int64   `json:"nodeNs" doc:"Node time paid for."`
	Nodes  int     `json:"nodes" doc:"Nodes that lived within the window."`
}

// A PartSample is a part of the bill that is not node time.
type PartSample struct {
	Part string `json:"part" doc:"What is paid for."`
	Nano int64  `json:"nano" doc:"Its cost."`
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
		{PartFee, int64(w.Fee.For(window))},
		{PartAgents, int64(w.AgentFee.For(t.AgentTime))},
		{PartStored, int64(w.Store.Price.For(t.Cache.Kept))},
		{PartRequests, int64(w.Store.Request.For(t.Cache.Requests))},
		{PartVolumes, int64(w.Volumes.Price.For(volumes))},
		{PartRegistry, int64(w.Links.Registry.Price.For(t.Moved[0]))},
		{PartStore, int64(w.Links.Store.Price.For(t.Moved[1] + t.Moved[2]))},
	}
	for i, o := range w.Links.Others {
		list = append(list, PartSample{o.Name + " transfer", int64(o.Price.For(t.Moved[3+i]))})
	}
	return list
}

// costOf adds up the bill: each node's is its price for its time, rounded once,
// and split by what the time went to so that the parts add up to it. jobs are the
// jobs' shares.
func costOf(t *sim.Trace, all GroupSample, jobs []int64) CostSample {
	w := t.World
	c := CostSample{Pools: make([]PoolSample, len(w.Pools)), Parts: parts(t)}
	for i := range c.Pools {
		c.Pools[i].Uses = make([]int64, sim.Uses)
	}
	for _, n := range t.Nodes {
		p := &c.Pools[n.Pool]
		bill := nodeBill(w, &n)
		for u, part := range bill.Split(n.Spent[:]) {
			p.Uses[u] += int64(part)
		}
		p.Nano += int64(bill)
		p.NodeNs += int64(n.Billed)
		if n.Billed > 0 {
			p.Nodes++
		}
		c.TotalNano += int64(bill)
	}
	for _, p := range c.Parts {
		c.TotalNano += p.Nano
	}
	var delay units.Duration
	for p, d := range all.RibbonNs {
		if sim.Phase(p) < sim.Restore {
			delay += units.Duration(d)
		}
	}
	c.WaitingNano = int64(w.Waiting.For(delay))
	c.FloorNano = floor(t) + c.Parts[0].Nano
	for _, x := range jobs {
		c.JobsNano += x
	}
	return c
}

func nodeBill(w *sim.World, n *sim.NodeLife) units.Money {
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

// floor is what no design can beat on these node types: the core-hours and
// GiB-hours of the work that was done, each job for its own unhindered time, at
// the cheapest mix of pools that could hold both, as if nodes could be had in
// fractions and were never empty.
func floor(t *sim.Trace) int64 {
	w := t.World
	var cpu, memory float64 // core-ns, byte-ns
	for j := range t.Records {
		if t.Records[j].Result != sim.Succeeded || t.Jobs.List[j].Submitted < w.Plan.Warmup {
			continue
		}
		own := float64(t.OwnWork(j))
		c, m := t.Needs(j)
		cpu += c * own
		memory += float64(m) * own
	}
	best := math.Inf(1)
	for i := range w.Pools {
		a := &w.Pools[i]
		if a.Max == 0 {
			continue
		}
		ac, am := a.Room.CPU.Cores(), float64(a.Room.Memory)
		best = min(best, float64(a.Price)*max(cpu/ac, memory/am))
		for j := range i {
			b := &w.Pools[j]
			bc, bm := b.Room.CPU.Cores(), float64(b.Room.Memory)
			det := ac*bm - bc*am
			if b.Max == 0 || det == 0 {
				continue
			}
			x, y := (cpu*bm-memory*bc)/det, (memory*ac-cpu*am)/det
			if x >= 0 && y >= 0 {
				best = min(best, x*float64(a.Price)+y*float64(b.Price))
			}
		}
	}
	if math.IsInf(best, 1) {
		return 0
	}
	return int64(best / float64(units.Hour))
}
