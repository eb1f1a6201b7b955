package sizing

import (
	"math"
	"slices"
	"sort"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// A Choice is what another share of runs would ask of memory.
type Choice struct {
	Share   float64     `json:"share" doc:"Share of runs that stay below."`
	Request units.Bytes `json:"request" doc:"Request and limit, also where more was seen; 0: the runs give no bound for it."`
	Agents  int         `json:"agents" doc:"Agents on a node with the best request of CPU."`
	PerRun  float64     `json:"perRun" doc:"What a run costs, kills left out."`
	Kills   float64     `json:"kills" doc:"Runs in a thousand that it would kill at most, with the wished confidence."`
	Needs   int         `json:"needs" doc:"Runs that a bound for it needs."`
}

// shares are the choices that are shown.
var shares = []float64{0.9, 0.95, 0.99, 0.995, 0.999}

func (a *arena) choices(runs []Run, q Question, best Point) []Choice {
	list := shares
	if !slices.Contains(list, q.Wish.Share) {
		list = append(slices.Clone(list), q.Wish.Share)
		slices.Sort(list)
	}
	out := []Choice{}
	for _, share := range list {
		w := q.Wish
		w.Share = share
		m := Memory(runs, q.Now, w)
		c := Choice{Share: share, Kills: 1000 * (1 - share), Needs: m.Needs}
		if m.Bound > 0 {
			c.Request = roundUp(m.Bound)
			if c.Agents = a.holds(best.CPU, c.Request, best.Disk); c.Agents > 0 {
				c.PerRun = a.perRun(c.Agents, best.Expected)
			}
		}
		out = append(out, c)
	}
	return out
}

// An Overcommit is what a request of memory below the limit would risk.
type Overcommit struct {
	Share   float64     `json:"share" doc:"Share of runs that stay at or below the request."`
	Request units.Bytes `json:"request" doc:"Request of memory; the limit stays."`
	Agents  int         `json:"agents" doc:"Agents on a node then."`
	PerRun  float64     `json:"perRun" doc:"What a run costs, evictions left out."`
	Over    float64     `json:"over" doc:"Share of full nodes whose agents need more than the node has when all are at their peak at once; the truth lies below."`
}

// overcommitDraws is how many full nodes are drawn.
const overcommitDraws = 20_000

// below weighs requests of memory at the median and the 95th percentile of peaks,
// their limit staying where it is: how often the peaks of a full node's agents, drawn
// from the runs, come to more than the node has. Killed runs count with what they
// reached, and no run with more than the limit. Requests that bring no more agents on a
// node are left out.
func (a *arena) below(runs []Run, ad *Advice) []Overcommit {
	out := []Overcommit{}
	var peaks, upTo []float64
	sum := 0.0
	for i := range runs {
		if r := &runs[i]; r.Memory > 0 {
			sum += a.weights[i]
			peaks, upTo = append(peaks, float64(min(r.Memory, ad.Best.Memory))), append(upTo, sum)
		}
	}
	if sum == 0 {
		return out
	}
	for _, c := range []struct {
		share float64
		size  units.Bytes
	}{{0.5, ad.Memory.Half}, {0.95, ad.Memory.P95}} {
		size := roundUp(c.size)
		if c.size == 0 || size >= ad.Best.Memory {
			continue
		}
		need := a.need(ad.Best.CPU, size, ad.Best.Disk)
		n, _, _ := a.site.Room.Holds(&need)
		if n <= ad.Best.Agents {
			continue // it buys nothing
		}
		beside := float64(need.Memory - size)
		over, draws := 0, uint64(0)
		for range overcommitDraws {
			total := 0.0
			for range n {
				draws++
				u := a.seed.For(chance.Meet, draws, 0).Uniform() * sum
				total += beside + peaks[min(sort.SearchFloat64s(upTo, u), len(peaks)-1)]
			}
			if total > float64(a.site.Room.Memory) {
				over++
			}
		}
		out = append(out, Overcommit{c.share, size, n, a.perRun(n, ad.Best.Expected), float64(over) / overcommitDraws})
	}
	return out
}

// A Bin is a range of peaks with the runs in it.
type Bin struct {
	From   units.Bytes `json:"from" doc:"Lower end."`
	To     units.Bytes `json:"to" doc:"Upper end."`
	Runs   int         `json:"runs" doc:"Runs whose peak lies in it."`
	Killed int         `json:"killed" doc:"Those of them that were killed for memory: they needed at least that."`
}

// binCount is how many ranges peaks are told in.
const binCount = 48

// histogram spreads peaks over ranges of equal width from 0 to a little more than the
// largest peak and than the sizes that are spoken of.
func histogram(runs []Run, most units.Bytes) []Bin {
	for i := range runs {
		most = max(most, runs[i].Memory)
	}
	width := max(units.Bytes(math.Ceil(float64(most)*1.05/binCount)), 1)
	out := make([]Bin, binCount)
	for i := range out {
		out[i].From, out[i].To = width*units.Bytes(i), width*units.Bytes(i+1)
	}
	for i := range runs {
		r := &runs[i]
		if r.Memory <= 0 {
			continue
		}
		b := &out[min(int(r.Memory/width), binCount-1)]
		b.Runs++
		if r.Killed {
			b.Killed++
		}
	}
	return out
}

// Ribs are the CPU in use over the time of a run: of all runs that were still at work,
// and of a usual one.
type Ribs struct {
	Minutes []float64 `json:"minutes" doc:"Time since the beginning of a run, minutes."`
	Working []int     `json:"working" doc:"Runs still at work then."`
	P10     []float64 `json:"p10" doc:"Cores: one run in ten uses no more."`
	P50     []float64 `json:"p50" doc:"Cores: half of the runs use no more."`
	P90     []float64 `json:"p90" doc:"Cores: nine in ten use no more."`
	Usual   []float64 `json:"usual" doc:"Cores of one run whose CPU time is the median, until it ends."`
	Pod     string    `json:"pod" doc:"Pod of that run."`
}

// Limits on how CPU over time is told.
const (
	ribCount  = 60
	leastRuns = 5 // no percentiles of fewer
)

func overTime(runs []Run) Ribs {
	out := Ribs{Minutes: []float64{}, Working: []int{}, P10: []float64{}, P50: []float64{}, P90: []float64{}, Usual: []float64{}}
	order := make([]int, 0, len(runs))
	lengths := make([]float64, 0, len(runs))
	for i := range runs {
		if len(runs[i].Curve) > 0 {
			order, lengths = append(order, i), append(lengths, runs[i].Curve.Seconds())
		}
	}
	if len(order) == 0 {
		return out
	}
	slices.SortStableFunc(order, func(a, b int) int { return int(runs[a].CPU - runs[b].CPU) })
	usual := &runs[order[len(order)/2]]
	out.Pod = usual.Pod
	slices.Sort(lengths)
	span := max(lengths[(95*len(lengths)+99)/100-1], usual.Curve.Seconds()) // the longest are few
	at := func(k int) float64 { return (float64(k) + 0.5) * span / ribCount }
	var columns [ribCount][]float64
	for _, i := range order {
		k, end := 0, 0.0
		for _, l := range runs[i].Curve {
			for end += float64(l.Seconds); k < ribCount && at(k) < end; k++ {
				columns[k] = append(columns[k], float64(l.Cores))
			}
		}
	}
	for k, cores := range columns {
		if len(cores) < min(leastRuns, len(order)) {
			break
		}
		slices.Sort(cores)
		rank := func(p int) float64 { return cores[max((p*len(cores)+99)/100, 1)-1] }
		out.Minutes, out.Working = append(out.Minutes, at(k)/60), append(out.Working, len(cores))
		out.P10, out.P50, out.P90 = append(out.P10, rank(10)), append(out.P50, rank(50)), append(out.P90, rank(90))
		if c := usual.Curve.At(at(k)); !math.IsNaN(c) {
			out.Usual = append(out.Usual, c)
		}
	}
	return out
}
