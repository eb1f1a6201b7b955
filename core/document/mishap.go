package document

import (
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/units"
)

// A Mishap is trouble that comes over many at once: part of the week, or once.
type Mishap struct {
	Away
	SpotTaken      *SpotTaken  `json:"spotTaken,omitempty" doc:"Spot nodes are taken back in waves."`
	NoCapacity     *NoCapacity `json:"noCapacity,omitempty" doc:"Pools have no node to give."`
	Slow           *Slow       `json:"slow,omitempty" doc:"A link carries less than usual."`
	ControllerAway bool        `json:"controllerAway,omitempty" doc:"The controller is away: it holds no rounds, and agents that come join when it is back. Jobs at work go on."`
	NodeGone       bool        `json:"nodeGone,omitempty" doc:"With controllerAway, because its node went: where its volume is not persistent all that it knew goes with it, jobs that wait and jobs at work."`
}

// SpotTaken says which spot nodes are taken back, and how often.
type SpotTaken struct {
	Pools []string       `json:"pools,omitempty" doc:"Pools whose nodes are taken back; absent: all spot pools."`
	Share float64        `json:"share" doc:"Chance of each node that is ready then to be taken back in a wave, above 0 and at most 1."`
	Every units.Duration `json:"every,omitempty" doc:"Time from one wave to the next while the event lasts; absent: one wave, at its beginning."`
}

// NoCapacity says which pools have no node to give.
type NoCapacity struct {
	Pools []string `json:"pools,omitempty" doc:"Pools; absent, as zone is: all."`
	Zone  string   `json:"zone,omitempty" doc:"Zone instead (label topology.kubernetes.io/zone of the pools)."`
}

// Slow says how much less a link carries.
type Slow struct {
	Link string  `json:"link" doc:"registry, store, or the name of one of the others."`
	To   float64 `json:"to" doc:"Part of its usual rates, of all flows and of each, above 0 and below 1, as in 0.1."`
}

// Links that every cluster has.
const (
	RegistryLink = "registry"
	StoreLink    = "store"
)

const maxEvents = 50

// events checks the trouble that comes over many at once; what it names is looked up where the cluster is
// known.
func (c checker) events(list []Mishap) {
	if len(list) > maxEvents {
		c.at("spec.events", fmt.Sprint(len(list), " events"), fmt.Sprintf("expected at most %d", maxEvents))
		return
	}
	for i := range list {
		x, path := &list[i], fmt.Sprintf("spec.events[%d]", i)
		c.whenAway(path, &x.Away)
		kinds := 0
		for _, is := range []bool{x.SpotTaken != nil, x.NoCapacity != nil, x.Slow != nil, x.ControllerAway} {
			if is {
				kinds++
			}
		}
		if kinds != 1 {
			c.at(path, fmt.Sprint(kinds, " kinds of trouble"), "say one of spotTaken, noCapacity, slow and controllerAway")
			continue
		}
		if x.NodeGone && !x.ControllerAway {
			c.at(path+".nodeGone", "true", "goes with controllerAway")
		}
		switch {
		case x.SpotTaken != nil:
			if s := x.SpotTaken.Share; !(s > 0 && s <= 1) {
				c.at(path+".spotTaken.share", fmt.Sprint(s), "expected a chance above 0 and at most 1")
			}
			if e := x.SpotTaken.Every; e != 0 && e < units.Minute {
				c.at(path+".spotTaken.every", e.String(), "expected at least 1m")
			}
		case x.NoCapacity != nil:
			if len(x.NoCapacity.Pools) > 0 && x.NoCapacity.Zone != "" {
				c.at(path+".noCapacity", "pools and zone", "name either the pools or their zone")
			}
		case x.Slow != nil:
			if x.Slow.Link == "" {
				c.at(path+".slow.link", "no link", "name registry, store or another link of the cluster")
			}
			if to := x.Slow.To; !(to > 0 && to < 1) {
				c.at(path+".slow.to", strconv.FormatFloat(to, 'g', -1, 64), "expected a part of the usual rate, above 0 and below 1")
			}
		}
	}
}

// LinkNames are the names of a cluster's links.
func (l *Links) LinkNames() []string {
	out := []string{RegistryLink, StoreLink}
	for _, o := range l.Others {
		out = append(out, o.Name)
	}
	return out
}

// HasLink reports whether a cluster has a link of a name.
func (l *Links) HasLink(name string) bool { return slices.Contains(l.LinkNames(), name) }
