package world

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/document"
)

// Traffic is what a job of a class fetches and sends over a link while it works.
type Traffic struct {
	Link     int // index into Links.Others
	For      string
	Down, Up chance.Dist // bytes
	Cold     bool
}

// network looks up over which links jobs fetch and send.
func (a *assembly) network(l *document.WorkloadSpec, c *document.ClusterSpec) {
	for k := range l.Classes {
		for i, x := range l.Classes[k].Network {
			at := slices.IndexFunc(c.Links.Others, func(o document.NamedLink) bool { return o.Name == x.Over })
			if at < 0 {
				have := "it has none"
				if names := c.Links.LinkNames()[2:]; len(names) > 0 {
					have = "it has " + strings.Join(names, ", ")
				}
				a.fault(a.in.Workload, fmt.Sprintf("spec.classes[%d].network[%d].over", k, i), x.Over,
					"no other link of cluster "+a.in.Cluster.Name+" is called so (spec.links.others): "+have)
				continue
			}
			a.w.Classes[k].Network = append(a.w.Classes[k].Network, Traffic{at, x.For, x.Down.Dist(), x.Up.Dist(), x.Cold})
		}
	}
}

// Mirrored is the world with all that jobs fetch over a link at hand inside the cluster, at once and for
// nothing; what they send goes as before.
func (w *World) Mirrored(link int) *World {
	c := *w
	c.Classes = slices.Clone(w.Classes)
	for k := range c.Classes {
		c.Classes[k].Network = slices.Clone(w.Classes[k].Network)
		for i := range c.Classes[k].Network {
			if x := &c.Classes[k].Network[i]; x.Link == link {
				x.Down = chance.Dist{}
			}
		}
	}
	return &c
}

// Fetches reports whether jobs fetch anything over a link.
func (w *World) Fetches(link int) bool {
	return slices.ContainsFunc(w.Classes, func(c Class) bool {
		return slices.ContainsFunc(c.Network, func(x Traffic) bool { return x.Link == link && x.Down.Mean() > 0 })
	})
}
