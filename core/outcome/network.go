package outcome

import (
	"cmp"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A NetworkUse is what jobs of a class fetch and send over a link.
type NetworkUse struct {
	Link     string       `json:"link" doc:"Link of the cluster."`
	For      string       `json:"for" doc:"What it is."`
	Class    string       `json:"class" doc:"Class of the jobs."`
	DownGB   stats.Figure `json:"downGB" doc:"What comes in, GB in a month."`
	UpGB     stats.Figure `json:"upGB" doc:"What goes out, GB in a month."`
	PerMonth stats.Figure `json:"perMonth" doc:"What that costs by what flows, in a month."`
}

// A CarriedSample is a NetworkUse in one repeat.
type CarriedSample struct {
	Down units.Sum[units.Bytes] `json:"down" doc:"Bytes that came in."`
	Up   units.Sum[units.Bytes] `json:"up" doc:"Bytes that went out."`
}

// carriedOf lists what a run's jobs fetched and sent, by class and what it is for.
func carriedOf(t *sim.Trace) (out []CarriedSample) {
	for _, class := range t.Carried {
		for _, x := range class {
			out = append(out, CarriedSample{x.Down, x.Up})
		}
	}
	return out
}

// network tells what jobs fetch and send, most first.
func (s *Sum) network() []NetworkUse {
	w := s.world
	monthly := float64(units.Month) / float64(w.Plan.Span-w.Plan.Warmup)
	var out []NetworkUse
	at := 0
	for k := range w.Classes {
		for _, x := range w.Classes[k].Network {
			i, link := at, &w.Links.Others[x.Link]
			at++
			gb := func(of func(*CarriedSample) float64) stats.Figure {
				return s.figure(func(x *Sample) float64 { return of(&x.Network[i]) * monthly / 1e9 })
			}
			u := NetworkUse{
				Link: link.Name, For: called(x.For), Class: w.Classes[k].Name,
				DownGB: gb(func(c *CarriedSample) float64 { return c.Down.Float() }), UpGB: gb(func(c *CarriedSample) float64 { return c.Up.Float() }),
				PerMonth: s.figure(func(x *Sample) float64 {
					return float64(units.AmountOf(link.Price.For(x.Network[i].Down.Plus(x.Network[i].Up)))) * monthly
				}),
			}
			if u.DownGB.Mean > 0 || u.UpGB.Mean > 0 {
				out = append(out, u)
			}
		}
	}
	sortBy(out, func(u NetworkUse) float64 { return -u.DownGB.Mean - u.UpGB.Mean })
	return out
}

// called is what traffic is for, in words.
func called(what string) string { return cmp.Or(what, "jobs' traffic") }

// linkParts are the parts of the bill that the cluster's other links are: what jobs fetch and send by what it
// is for, the rest of what flows, and the price for the time.
func linkParts(t *sim.Trace, window units.Duration) (out []PartSample) {
	w := t.World
	for i, o := range w.Links.Others {
		rest := t.Moved[sim.OtherLinks+i].Plus(t.Moved[sim.OtherLinks+len(w.Links.Others)+i])
		var names []string
		by := map[string]units.Sum[units.Bytes]{}
		for k := range w.Classes {
			for n, x := range w.Classes[k].Network {
				if x.Link != i {
					continue
				}
				name := o.Name + ": " + called(x.For)
				if _, ok := by[name]; !ok {
					names = append(names, name)
				}
				moved := t.Carried[k][n].Down.Plus(t.Carried[k][n].Up)
				by[name], rest = by[name].Plus(moved), rest.Minus(moved)
			}
		}
		out = append(out, PartSample{o.Name + " transfer", o.Price.For(rest)})
		for _, name := range names {
			out = append(out, PartSample{name, o.Price.For(by[name])})
		}
		if o.Fee > 0 {
			out = append(out, PartSample{o.Name + ", for the time", units.SumOf(o.Fee.For(window))})
		}
	}
	return out
}

// mirrors are the worlds with a mirror inside for what jobs fetch over a link.
func mirrors(w *world.World) (out []otherwise) {
	for i := range w.Links.Others {
		if w.Fetches(i) {
			out = append(out, otherwise{"mirror-inside", "With all that jobs fetch over " + w.Links.Others[i].Name +
				" at hand inside the cluster, as a mirror has it at best", w.Mirrored(i)})
		}
	}
	return out
}
