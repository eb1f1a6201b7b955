package sim

import (
	"slices"

	"tachyphor/core/units"
)

// A puller brings images to one node, one after the other. A node keeps what it
// has pulled as long as it lives.
type puller struct {
	queue  []int32 // images in the order in which they were asked for; the first is on its way
	waiter []waiter
}

// waiter is an agent that needs an image.
type waiter struct{ agent, image int32 }

// needImages asks for the images that agent a's node does not hold.
func (e *engine) needImages(a int32) {
	g := &e.agents[a]
	node := &e.nodes[g.node]
	for _, i := range e.w.Templates[g.template].images {
		if node.images[i] {
			continue
		}
		g.missing++
		node.puller.waiter = append(node.puller.waiter, waiter{a, i})
		if !slices.Contains(node.puller.queue, i) {
			node.puller.queue = append(node.puller.queue, i)
			if len(node.puller.queue) == 1 {
				e.queue.plan(e.now+e.w.Registry.Latency, pullBegins, g.node, 0)
			}
		}
	}
	if g.missing == 0 {
		e.imagesPresent(a)
		return
	}
	e.becomes(a, pulling)
}

// pullBegins puts the first image's bytes on the registry link.
func (e *engine) pullBegins(n int32) {
	image := e.nodes[n].puller.queue[0]
	e.registry.add(e.now, e.w.Images[image].Size, n)
	e.planFlow()
}

// planFlow plans the end of the flow that ends first; an earlier plan is stale.
func (e *engine) planFlow() {
	e.registry.version++
	if at, ok := e.registry.next(); ok {
		e.queue.plan(max(at, e.now), flowEnds, 0, e.registry.version)
	}
}

// flowEnds has a node unpack what it pulled.
func (e *engine) flowEnds() {
	n := e.registry.end(e.now)
	e.planFlow()
	node := &e.nodes[n]
	var unpack units.Duration
	if r := e.w.Pools[node.pool].unpack; r > 0 {
		unpack = r.Time(e.w.Images[node.puller.queue[0]].Size)
	}
	e.queue.plan(e.now+unpack, pulled, n, 0)
}

// pulled gives an image to those who wait for it and begins the next pull.
func (e *engine) pulled(n int32) {
	node := &e.nodes[n]
	image := node.puller.queue[0]
	node.puller.queue = node.puller.queue[:copy(node.puller.queue, node.puller.queue[1:])]
	node.images[image] = true
	e.place.holding[image]++
	if len(node.puller.queue) > 0 {
		e.queue.plan(e.now+e.w.Registry.Latency, pullBegins, n, 0)
	}
	kept, whole := node.puller.waiter[:0], e.wholeNow[:0]
	for _, w := range node.puller.waiter {
		if w.image != image {
			kept = append(kept, w)
			continue
		}
		g := &e.agents[w.agent]
		if g.missing--; g.missing == 0 {
			whole = append(whole, w.agent)
		}
	}
	node.puller.waiter = kept
	e.wholeNow = whole
	for _, a := range whole {
		e.imagesPresent(a)
	}
}
