package world

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// An EventKind is what an Event does.
type EventKind uint8

// The kinds of trouble.
const (
	SpotTaken EventKind = iota
	NoCapacity
	Slow
	ControllerAway
)

// An Event is trouble that comes over many at once.
type Event struct {
	demand.Stretch
	Kind   EventKind
	Reason string
	Pools  []int32        // whose nodes are taken back, or that have none to give
	Share  float64        // chance of a node to be taken back in a wave
	Every  units.Duration // from one wave to the next; 0: there is one
	Link   string         // that is slow
	Part   float64        // of its usual rates that it has
	Gone   bool           // of a controller that is away, what it knew is gone
	Says   string         // what happens, in words
	Number uint64         // that draws know it by
}

// events lays out the scenario's trouble over simulated time.
func (a *assembly) events(list []document.Mishap, c *document.ClusterSpec) {
	for i := range list {
		x, path := &list[i], fmt.Sprintf("spec.events[%d]", i)
		e := Event{Number: uint64(i)}
		switch {
		case x.SpotTaken != nil:
			e.Kind, e.Share, e.Every = SpotTaken, x.SpotTaken.Share, x.SpotTaken.Every
			e.Pools = a.named(path+".spotTaken.pools", x.SpotTaken.Pools, func(p *Pool) bool { return p.Spot != nil }, "is no spot pool")
			e.Says = "spot nodes of " + a.poolNames(e.Pools) + " are taken back"
			if e.Every > 0 {
				e.Says += " every " + e.Every.Short()
			}
		case x.NoCapacity != nil:
			e.Kind = NoCapacity
			any := func(*Pool) bool { return true }
			e.Pools = a.named(path+".noCapacity.pools", x.NoCapacity.Pools, any, "")
			if zone := x.NoCapacity.Zone; zone != "" {
				e.Pools = a.named("", nil, func(p *Pool) bool { return p.Labels[corev1.LabelTopologyZone] == zone }, "")
				if len(e.Pools) == 0 {
					a.fault(a.in.Scenario, path+".noCapacity.zone", zone, "no pool of cluster "+a.in.Cluster.Name+" is in it: their labels "+
						corev1.LabelTopologyZone+" say where they are")
				}
			}
			e.Says = a.poolNames(e.Pools) + " can give no node"
		case x.Slow != nil:
			e.Kind, e.Link, e.Part = Slow, x.Slow.Link, x.Slow.To
			if !c.Links.HasLink(e.Link) {
				a.fault(a.in.Scenario, path+".slow.link", e.Link, "cluster "+a.in.Cluster.Name+" has "+strings.Join(c.Links.LinkNames(), ", "))
			}
			e.Says = fmt.Sprintf("link %s carries %.3g %% of what it does", e.Link, 100*e.Part)
		default:
			e.Kind, e.Says = ControllerAway, "the controller is away"
			if x.NodeGone {
				e.Gone, e.Says = !c.Controller.Keeps(), "the controller's node is gone, and what it knew is there when it is back"
				if e.Gone {
					e.Says = "the controller's node is gone, and all that it knew with it"
				}
				if a.w.Host == nil {
					a.fault(a.in.Scenario, path+".nodeGone", "true", "cluster "+a.in.Cluster.Name+" does not say on the nodes of which pool its "+
						"controller runs (spec.controller.pool)")
				}
			}
		}
		for _, s := range a.w.stretchesOf(&x.Away) {
			e.Stretch, e.Reason = s, x.Reason
			a.w.Events = append(a.w.Events, e)
		}
	}
	slices.SortStableFunc(a.w.Events, func(x, y Event) int { return cmp.Compare(x.From, y.From) })
}

// named are the pools of some names, or all that are fit where none is named; one that is named and is not
// is a fault, as is one that there is not.
func (a *assembly) named(path string, names []string, fit func(*Pool) bool, why string) (out []int32) {
	for i, name := range names {
		p := slices.IndexFunc(a.w.Pools, func(p Pool) bool { return p.Name == name })
		switch {
		case p < 0:
			a.fault(a.in.Scenario, fmt.Sprintf("%s[%d]", path, i), name, "cluster "+a.in.Cluster.Name+" has no such pool")
		case !fit(&a.w.Pools[p]):
			a.fault(a.in.Scenario, fmt.Sprintf("%s[%d]", path, i), name, why)
		default:
			out = append(out, int32(p))
		}
	}
	for p := range a.w.Pools {
		if len(names) == 0 && fit(&a.w.Pools[p]) {
			out = append(out, int32(p))
		}
	}
	return out
}

func (a *assembly) poolNames(list []int32) string {
	if len(list) == 1 {
		return "pool " + a.w.Pools[list[0]].Name
	}
	var names []string
	for _, p := range list {
		names = append(names, a.w.Pools[p].Name)
	}
	return "pools " + strings.Join(names, ", ")
}

// Barren reports whether an event ever leaves a pool without a node to give.
func (w *World) Barren(pool int) bool {
	return slices.ContainsFunc(w.Events, func(e Event) bool { return e.Kind == NoCapacity && slices.Contains(e.Pools, int32(pool)) })
}

// Quiet is the world without its events.
func (w *World) Quiet() *World {
	c := *w
	c.Events = nil
	return &c
}

// Undrained is the world with nodes left until they are empty.
func (w *World) Undrained() *World {
	c := *w
	c.Growth.DrainBelow = 0
	return &c
}
