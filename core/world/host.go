package world

import (
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// A Host is the node on which the controller runs: the first of a pool, which stays.
type Host struct {
	Pool   int32
	Needs  fleet.Need  // of that node
	Volume units.Bytes // persistent, and paid for
}

// host reads where the controller runs.
func (a *assembly) host(c *document.ClusterSpec) {
	x := &c.Controller
	p := slices.IndexFunc(a.w.Pools, func(p Pool) bool { return p.Name == x.Pool })
	if p < 0 {
		return
	}
	h := &Host{Pool: int32(p), Needs: fleet.Need{Request: template.Request{CPU: x.CPU, Memory: x.Memory}}}
	if x.Keeps() {
		h.Volume = x.Volume.Size
	}
	pool := &a.w.Pools[p]
	least := pool.Min
	for _, s := range pool.MinSteps {
		least = min(least, s.Min)
	}
	room := pool.Room
	switch {
	case least < 1:
		a.fault(a.in.Scenario, "spec.nodes.pools."+pool.Name+".min", "0", "the controller runs on a node of pool "+pool.Name+", of which none stays; "+
			"give the pool a min of at least 1, in the scenario or the cluster")
	case room.Lacks(&h.Needs).Short():
		a.fault(a.in.Cluster, "spec.controller.pool", pool.Name, "what it requests fits no node of the pool")
	default:
		a.w.Host = h
	}
}

// Hosted reports whether a pool's n-th node, from 1, is the controller's.
func (w *World) Hosted(pool, ordinal int32) bool {
	return w.Host != nil && w.Host.Pool == pool && ordinal == 1
}

// Elsewhere is the world with the controller outside the cluster.
func (w *World) Elsewhere() *World {
	c := *w
	c.Host = nil
	return &c
}
