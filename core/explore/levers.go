package explore

import (
	"fmt"
	"math"

	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// finest is how fine factors are: each is so many times the one before.
const finest = 1.02

// mostJobs is how many times as many jobs are tried at most.
const mostJobs = 4

// A lever is something of the world that nobody chooses and that may grow: what its fields say at
// a factor of what they say now.
type lever struct {
	name   string
	what   string  // what a factor is of, after "times"
	most   float64 // the largest factor that is tried
	bills  bool    // it moves bills and nothing else
	places []place
	gives  []func(by float64) any // by place
}

func (l *lever) add(d *document.Document, pointer string, gives func(by float64) any) {
	l.places = append(l.places, place{at: d.Kind + pointer, kind: d.Kind, name: d.Name, pointer: pointer})
	l.gives = append(l.gives, gives)
}

// levers are those that a world has: how many jobs come, how long nodes boot, how large images are,
// how slow links are, what nodes cost.
func levers(in world.Input) (out []lever) {
	jobs := lever{name: "jobs", what: "as many jobs", most: mostJobs}
	spec := &in.Workload.Value.(*document.Workload).Spec
	if spec.Jobs != nil {
		is := 1.0
		if spec.Jobs.Times != nil {
			is = *spec.Jobs.Times
		}
		jobs.add(in.Workload, "/spec/jobs/times", func(by float64) any { return float64(is * by) })
	} else {
		whole := func(n int) func(float64) any {
			return func(by float64) any { return math.Round(float64(n) * by) }
		}
		for i, k := range spec.Classes {
			at := fmt.Sprintf("/spec/classes/%d/arrivals/", i)
			for j, h := range k.Arrivals.Hours {
				jobs.add(in.Workload, fmt.Sprintf("%shours/%d/perHour", at, j), func(by float64) any { return float64(h.PerHour * by) })
			}
			for j, b := range k.Arrivals.Bursts {
				jobs.add(in.Workload, fmt.Sprintf("%sbursts/%d/count", at, j), whole(b.Count))
			}
			for j, p := range k.Arrivals.People {
				jobs.add(in.Workload, fmt.Sprintf("%speople/%d/count", at, j), whole(p.Count))
			}
		}
	}
	c := &in.Cluster.Value.(*document.Cluster).Spec
	boots := lever{name: "boot times", what: "as long to boot a node", most: 10}
	for i, p := range c.Pools {
		boot := func(field string, t document.Times) {
			if !t.IsZero() {
				boots.add(in.Cluster, fmt.Sprintf("/spec/pools/%d/%s", i, field), func(by float64) any { return document.Plain(t.Scaled(by)) })
			}
		}
		boot("boot", p.Boot)
		boot("notReady", p.NotReady)
	}
	images := lever{name: "image sizes", what: "as large images", most: 10}
	size := func(b units.Bytes) func(float64) any {
		return func(by float64) any { return units.Bytes(math.Round(float64(b) * by)).String() }
	}
	for i, m := range c.Images {
		if m.Size > 0 {
			images.add(in.Cluster, fmt.Sprintf("/spec/images/%d/size", i), size(m.Size))
		}
		for j, l := range m.Layers {
			images.add(in.Cluster, fmt.Sprintf("/spec/images/%d/layers/%d/size", i, j), size(l.Size))
		}
	}
	slow := lever{name: "slow links", what: "as slow links", most: 10}
	link := func(at string, l *document.Link) {
		rate := func(field string, r units.Rate) {
			if r > 0 {
				slow.add(in.Cluster, at+field, func(by float64) any { return units.Rate(math.Max(1, math.Round(float64(r)/by))).String() })
			}
		}
		rate("down", l.Down)
		rate("up", l.Up)
		rate("perFlow", l.PerFlow)
		rate("perFlowUp", l.PerFlowUp)
	}
	link("/spec/links/registry/", &c.Links.Registry)
	link("/spec/links/store/", &c.Links.Store)
	for i := range c.Links.Others {
		link(fmt.Sprintf("/spec/links/others/%d/", i), &c.Links.Others[i].Link)
	}
	prices := lever{name: "node prices", what: "the price of a node", most: 10, bills: true}
	for i, t := range c.NodeTypes {
		times := func(p units.Price) func(float64) any {
			return func(by float64) any { return units.Price(math.Round(float64(p) * by)).String() }
		}
		prices.add(in.Cluster, fmt.Sprintf("/spec/nodeTypes/%d/price", i), times(t.Price))
		if t.SpotPrice != nil {
			prices.add(in.Cluster, fmt.Sprintf("/spec/nodeTypes/%d/spotPrice", i), times(*t.SpotPrice))
		}
	}
	for _, l := range []lever{jobs, boots, images, slow, prices} {
		if len(l.places) > 0 {
			out = append(out, l)
		}
	}
	return out
}

// steps is how many steps of finest a factor is.
func steps(factor float64) int { return int(math.Round(portable.Log(factor) / portable.Log(finest))) }

// knob is the lever as a knob: its values are the factors from one over the largest to the largest,
// and the middle one is what there is.
func (l *lever) knob() knob {
	n := steps(l.most)
	out := knob{name: l.name, places: l.places, base: n}
	for i := -n; i <= n; i++ {
		by := factor(i)
		values := make([]any, len(l.places))
		for p, gives := range l.gives {
			values[p] = gives(by)
		}
		out.values = append(out.values, values)
		out.text = append(out.text, fmt.Sprintf("%.2f times %s", by, l.what))
	}
	return out
}

// factor is what so many steps come to.
func factor(n int) float64 {
	f := 1.0
	for range max(n, -n) {
		f *= finest
	}
	if n < 0 {
		return 1 / f
	}
	return f
}
