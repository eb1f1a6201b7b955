package sim

import (
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/units"
)

// A pull that fails is tried again after a while, twice as long after each more, as the
// kubelet does. Source: k8s.io/kubernetes v1.37, pkg/kubelet (backOffPeriod, MaxImageBackOff).
const (
	firstPutOff = 10 * units.Second
	mostPutOff  = 5 * units.Minute
)

// putOff is an image whose pull has failed and is tried again later.
type putOff struct {
	image int32
	since units.Duration
}

// pullFails reports whether what a node has just carried of an image is good for nothing,
// and puts its pull off then.
func (e *engine) pullFails(n, image int32, size units.Bytes) bool {
	link, _ := linkOf(e.w, image)
	node := &e.nodes[n]
	p, of := &node.puller, failing(e.w, link)
	if of == 0 || size == 0 {
		return false
	}
	key := e.root.For(chance.PullFails, e.w.Pools[node.pool].Key, uint64(node.ordinal)).For(chance.PullFails, e.w.ImageKeys[image],
		uint64(p.tries[image]))
	if key.Uniform() >= of {
		return false
	}
	e.trace.PullsFailed++
	for _, l := range e.w.LayersOf[image] {
		if node.shelf.layers[l] == int16(image)+1 {
			node.shelf.layers[l] = 0
		}
	}
	if p.tries == nil {
		p.tries = map[int32]int{}
	}
	wait := min(firstPutOff<<min(p.tries[image], 10), mostPutOff)
	p.tries[image]++
	p.active = slices.DeleteFunc(p.active, func(x pull) bool { return x.image == image })
	p.putOff = append(p.putOff, putOff{image, e.now})
	e.queue.plan(e.now+wait, pullAgain, n, uint32(image))
	e.bringRest(n)
	e.nextPulls(n)
	return true
}

// pullAgain asks once more for an image that is still waited for, and notes how long those
// who wait have waited for that alone.
func (e *engine) pullAgain(n, image int32) {
	node := &e.nodes[n]
	if node.gone {
		return
	}
	p := &node.puller
	i := slices.IndexFunc(p.putOff, func(x putOff) bool { return x.image == image })
	since := p.putOff[i].since
	p.putOff = slices.Delete(p.putOff, i, i+1)
	asked := slices.Contains(e.w.Pools[node.pool].Daemons, image)
	for _, w := range p.waiter {
		if w.image == image {
			asked = true
			e.agents[w.agent].putOff += e.now - max(since, w.since)
		}
	}
	if asked && !node.shelf.images[image] {
		p.queue = append(p.queue, image)
		e.nextPulls(n)
	}
}

// bringRest has pulls that waited for layers of one that has failed bring those themselves.
func (e *engine) bringRest(n int32) {
	node := &e.nodes[n]
	for i := range node.puller.active {
		p := &node.puller.active[i]
		if p.done && slices.ContainsFunc(e.w.LayersOf[p.image], func(l int32) bool { return node.shelf.layers[l] == 0 }) {
			p.done = false
			_, latency := linkOf(e.w, p.image)
			e.queue.plan(e.now+latency, pullBegins, n, uint32(p.image))
		}
	}
}
