package sim

import (
	"slices"

	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A puller brings images to one node, some at a time.
type puller struct {
	queue  []int32 // images in the order in which they were asked for
	active []pull
	waiter []waiter
	putOff []putOff      // pulls that failed and are tried again later
	tries  map[int32]int // by image: pulls that failed; nil when none has
	// unpacking are images whose bytes are there; they share the node's disk.
	unpacking []unpack
	settled   units.Duration // up to when what is left of them is true
	version   uint32         // of the plan for the one that is done first
}

// A pull brings the layers of an image that its node had not and that no other
// pull was bringing when it began.
type pull struct {
	image int32
	done  bool // its own layers are there; it may wait for those of another pull
}

// waiter is an agent that needs an image.
type waiter struct {
	agent, image int32
	since        units.Duration
}

// A holding is what a node holds of images.
type holding struct {
	images []bool  // by image: all of it is there
	layers []int16 // by layer: 0 absent, −1 there, else 1 + the image whose pull brings it
	size   units.Bytes
	users  []int16          // by image: agents on the node that are made of it
	used   []units.Duration // by image: last moment it was used
}

func newHolding(w *world.World) holding {
	return holding{
		images: make([]bool, len(w.Images)), layers: make([]int16, len(w.Layers)),
		users: make([]int16, len(w.Images)), used: make([]units.Duration, len(w.Images)),
	}
}

// needImages asks for the images that agent a's node does not hold: one after the other, as
// the kubelet starts a pod's containers.
func (e *engine) needImages(a int32) {
	g := &e.agents[a]
	t := &e.w.Templates[g.template]
	g.image = 0
	e.nextImage(a)
	switch {
	case g.missing:
		g.waited = true
		e.pulling(a)
		e.nextPulls(g.node)
	case t.AsksAlways:
		e.pulling(a)
		latency := units.Duration(0)
		for i, image := range t.ImageAt {
			if _, l := linkOf(e.w, image); t.Always[i] {
				latency = max(latency, l)
			}
		}
		e.later(a, latency, imagesAsked)
	default:
		e.imagesPresent(a)
	}
}

// nextImage asks for the next image that agent a's node does not hold, and notes whether
// one is missing.
func (e *engine) nextImage(a int32) {
	g := &e.agents[a]
	node := &e.nodes[g.node]
	list := e.imagesOf(g)
	g.missing = false
	for ; int(g.image) < len(list); g.image++ {
		i := list[g.image]
		if node.shelf.images[i] {
			continue
		}
		g.missing = true
		node.puller.waiter = append(node.puller.waiter, waiter{a, i, e.now})
		asked := func(p pull) bool { return p.image == i }
		later := func(p putOff) bool { return p.image == i }
		if !slices.Contains(node.puller.queue, i) && !slices.ContainsFunc(node.puller.active, asked) &&
			!slices.ContainsFunc(node.puller.putOff, later) {
			node.puller.queue = append(node.puller.queue, i)
			g.pulls = true
		}
		return
	}
}

// pullDaemons asks for the images of the DaemonSets' pods on a node that has come up; those
// that are there from the start have them. What is part of the node's own image is there.
func (e *engine) pullDaemons(n int32) {
	node := &e.nodes[n]
	for _, image := range e.w.Pools[node.pool].Baked {
		node.shelf.users[image]++
		e.there(node, image)
	}
	for _, image := range e.w.Pools[node.pool].Daemons {
		node.shelf.users[image]++ // for as long as the node is there
		if e.now == 0 {
			e.there(node, image)
			continue
		}
		if !node.shelf.images[image] && !slices.Contains(node.puller.queue, image) {
			node.puller.queue = append(node.puller.queue, image)
		}
	}
	e.nextPulls(n)
}

// there has a node have an image from the start.
func (e *engine) there(node *node, image int32) {
	if node.shelf.images[image] {
		return
	}
	for _, l := range e.w.LayersOf[image] {
		if node.shelf.layers[l] == 0 {
			node.shelf.layers[l] = -1
			node.shelf.size += e.w.Layers[l]
		}
	}
	e.arrived(node, image, nil)
}

// pulling moves agent a to that state, unless making its images has.
func (e *engine) pulling(a int32) {
	if e.agents[a].state != pulling {
		e.becomes(a, pulling)
	}
}

// nextPulls begins as many pulls as the node may have at a time.
func (e *engine) nextPulls(n int32) {
	p := &e.nodes[n].puller
	for len(p.queue) > 0 && len(p.active) < e.w.Pools[e.nodes[n].pool].Pulls {
		image := p.queue[0]
		p.queue = append(p.queue[:0], p.queue[1:]...)
		p.active = append(p.active, pull{image: image})
		_, latency := linkOf(e.w, image)
		e.queue.plan(e.now+latency, pullBegins, n, uint32(image))
	}
}

// pullBegins puts the bytes of the image's missing layers on the registry link.
func (e *engine) pullBegins(n, image int32) {
	node := &e.nodes[n]
	if node.gone {
		return
	}
	var size units.Bytes
	for _, l := range e.w.LayersOf[image] {
		if node.shelf.layers[l] == 0 {
			node.shelf.layers[l] = int16(image) + 1
			size += e.w.Layers[l]
			if e.inWindow() {
				e.trace.LayerPulls[l]++
			}
		}
	}
	if e.inWindow() {
		e.trace.ImagePulls[image]++
	}
	link, _ := linkOf(e.w, image)
	e.send(link, size, n, image)
}

// pulled marks the layers that a pull brought as there, gives every image that is
// now whole to those who wait for it, and begins the next pull.
func (e *engine) pulled(n, image int32) {
	node := &e.nodes[n]
	if node.gone {
		return
	}
	for _, l := range e.w.LayersOf[image] {
		if node.shelf.layers[l] == int16(image)+1 {
			node.shelf.layers[l] = -1
			node.shelf.size += e.w.Layers[l]
		}
	}
	whole := e.wholeNow[:0]
	active := node.puller.active[:0]
	for _, p := range node.puller.active {
		p.done = p.done || p.image == image
		if p.done && node.shelf.whole(e.w.LayersOf[p.image]) {
			e.changed(n)
			whole = e.arrived(node, p.image, whole)
			continue
		}
		active = append(active, p)
	}
	node.puller.active = active
	if len(node.puller.tries) > 0 {
		delete(node.puller.tries, image)
		e.bringRest(n)
	}
	present := whole[:0]
	for _, a := range whole {
		if e.nextImage(a); !e.agents[a].missing {
			present = append(present, a)
		}
	}
	e.wholeNow = present
	e.evictImages(n)
	e.nextPulls(n)
	for _, a := range present {
		e.imagesPresent(a)
	}
}

func (s *holding) whole(layers []int32) bool {
	for _, l := range layers {
		if s.layers[l] != -1 {
			return false
		}
	}
	return true
}

// arrived notes that a node has all of an image, and adds the agents that have
// waited for it to the list.
func (e *engine) arrived(node *node, image int32, whole []int32) []int32 {
	node.shelf.images[image] = true
	node.shelf.used[image] = e.now
	e.place.holding[image]++
	kept := node.puller.waiter[:0]
	for _, w := range node.puller.waiter {
		if w.image != image {
			kept = append(kept, w)
			continue
		}
		whole = append(whole, w.agent)
	}
	node.puller.waiter = kept
	return whole
}

// useImages counts agent g's images n times (1 or −1) on a node.
func (e *engine) useImages(node *node, g *agent, n int16) {
	for _, i := range e.imagesOf(g) {
		node.shelf.users[i] += n
		node.shelf.used[i] = e.now
	}
}

// evictImages drops images that no agent uses, the one unused for longest first,
// until the node's store of images holds what it may.
func (e *engine) evictImages(n int32) {
	node := &e.nodes[n]
	room := e.w.Pools[node.pool].ImageStore
	for room > 0 && node.shelf.size > room {
		oldest := -1
		for i, there := range node.shelf.images {
			if there && node.shelf.users[i] == 0 && (oldest < 0 || node.shelf.used[i] < node.shelf.used[oldest] ||
				node.shelf.used[i] == node.shelf.used[oldest] && e.w.Images[i].Name < e.w.Images[oldest].Name) {
				oldest = i
			}
		}
		if oldest < 0 {
			return
		}
		e.dropImage(node, oldest)
		e.changed(n)
	}
}

// dropImage takes an image off a node, but for layers that others there need.
func (e *engine) dropImage(node *node, image int) {
	node.shelf.images[image] = false
	e.place.holding[image]--
	e.trace.ImagesEvicted++
	for _, l := range e.w.LayersOf[image] {
		shared := false
		for i, there := range node.shelf.images {
			shared = shared || there && slices.Contains(e.w.LayersOf[i], l)
		}
		for _, p := range node.puller.active {
			shared = shared || slices.Contains(e.w.LayersOf[p.image], l)
		}
		if !shared && node.shelf.layers[l] == -1 {
			node.shelf.layers[l] = 0
			node.shelf.size -= e.w.Layers[l]
		}
	}
}

// forget takes agent a off the list of those who wait for images.
func (e *engine) forget(a int32) {
	p := &e.nodes[e.agents[a].node].puller
	p.waiter = slices.DeleteFunc(p.waiter, func(w waiter) bool { return w.agent == a })
}
