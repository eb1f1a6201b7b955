package sim

import (
	"slices"

	"tachyphor/core/units"
)

// unpack is an image being unpacked.
type unpack struct {
	image int32
	left  units.Duration // that it would take alone
}

// unpackImage has a node unpack what it pulled.
func (e *engine) unpackImage(n, image int32, size units.Bytes) {
	var d units.Duration
	if r := e.w.Pools[e.nodes[n].pool].Unpack; r > 0 {
		d = r.Time(size)
	}
	p := &e.nodes[n].puller
	p.settle(e.now)
	p.unpacking = append(p.unpacking, unpack{image, d})
	e.planUnpacked(n)
}

// settle books what was unpacked: each image gets its share of the disk.
func (p *puller) settle(now units.Duration) {
	if n := units.Duration(len(p.unpacking)); n > 0 {
		done := (now - p.settled) / n
		for i := range p.unpacking {
			p.unpacking[i].left = max(0, p.unpacking[i].left-done)
		}
	}
	p.settled = now
}

// planUnpacked plans for the image that is unpacked first.
func (e *engine) planUnpacked(n int32) {
	p := &e.nodes[n].puller
	p.version++
	if len(p.unpacking) == 0 {
		return
	}
	least := p.unpacking[0].left
	for _, u := range p.unpacking[1:] {
		least = min(least, u.left)
	}
	e.queue.plan(e.now+least*units.Duration(len(p.unpacking)), unpacked, n, p.version)
}

// unpacked ends the unpacking of the image that is done first, of several the one that
// began first.
func (e *engine) unpacked(n int32) {
	node := &e.nodes[n]
	p := &node.puller
	if node.gone {
		return
	}
	p.settle(e.now)
	best := 0
	for i, u := range p.unpacking {
		if u.left < p.unpacking[best].left {
			best = i
		}
	}
	image := p.unpacking[best].image
	p.unpacking = slices.Delete(p.unpacking, best, best+1)
	e.planUnpacked(n)
	e.pulled(n, image)
}
