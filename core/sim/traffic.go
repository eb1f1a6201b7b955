package sim

import (
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// The links of a cluster, each way by itself.
const (
	RegistryDown = iota
	StoreDown
	StoreUp
	OtherLinks // and those behind it: the cluster's other links, towards it and then from it
)

func newLinks(w *world.World) []link {
	r, s := w.Links.Registry, w.Links.Store
	all := []link{newLink(r.Down, r.PerFlow), newLink(s.Down, s.PerFlow), newLink(s.Up, s.PerFlowUp)}
	for _, o := range w.Links.Others {
		all = append(all, newLink(o.Down, o.PerFlow))
	}
	for _, o := range w.Links.Others {
		all = append(all, newLink(o.Up, o.PerFlowUp))
	}
	return all
}

// linkOf returns the link that an image comes over, and its latency.
func linkOf(w *world.World, image int32) (link int32, latency units.Duration) {
	name := w.Images[image].Link
	for i := range w.Links.Others {
		if o := &w.Links.Others[i]; name != "" && o.Name == name {
			return int32(OtherLinks + i), o.Latency
		}
	}
	return RegistryDown, w.Links.Registry.Latency
}

// failing is the chance that a pull over a link that images come over fails.
func failing(w *world.World, link int32) float64 {
	if link == RegistryDown {
		return w.Links.Registry.Fails
	}
	return w.Links.Others[link-OtherLinks].Fails
}

// send puts a flow on a link: to a node that pulls an image, or for an agent.
func (e *engine) send(l int32, size units.Bytes, owner, image int32) {
	e.links[l].add(e.now, size, owner, image)
	e.planFlow(l)
}

// planFlow plans the end of the flow that ends first on a link; an earlier plan is
// stale.
func (e *engine) planFlow(l int32) {
	link := &e.links[l]
	link.version++
	if at, ok := link.next(); ok {
		e.queue.plan(max(at, e.now), flowEnds, l, link.version)
	}
}

// flowEnds hands what came, or went, to those who wait for it.
func (e *engine) flowEnds(l int32) {
	f := e.links[l].end(e.now)
	e.carry(l, f.size)
	e.planFlow(l)
	switch l {
	case StoreDown:
		e.carried(f.owner, f.size)
	case StoreUp:
		e.sent(f.owner, f.size)
	default:
		if f.image < 0 {
			e.fetched(f.owner, f.image, f.size)
			return
		}
		if !e.pullFails(f.owner, f.image, f.size) {
			e.unpackImage(f.owner, f.image, f.size)
		}
	}
}

// carry counts bytes that a link has moved.
func (e *engine) carry(l int32, n units.Bytes) {
	if e.inWindow() {
		e.trace.Moved[l].Add(n)
	}
}

// dropFlow ends agent a's flow, if it has one, before its time.
func (e *engine) dropFlow(a int32) {
	switch e.agents[a].run.step {
	case carrying:
		e.abandon(StoreDown, a, -1)
	case sending:
		e.abandon(StoreUp, a, -1)
	}
}

func (e *engine) abandon(l, owner, image int32) {
	if moved, ok := e.links[l].drop(e.now, owner, image); ok {
		e.carry(l, moved)
		e.planFlow(l)
	}
}
