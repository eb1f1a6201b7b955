package world

import (
	"fmt"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// prepull has the pools' nodes have images before agents need them.
func (a *assembly) prepull(list []document.Prepull) {
	for i := range list {
		x, path := &list[i], fmt.Sprintf("spec.nodes.prepull[%d]", i)
		var images []int32
		for k, name := range x.Images {
			n := slices.IndexFunc(a.w.Images, func(i document.Image) bool { return i.Name == name })
			if n < 0 {
				a.fault(a.in.Scenario, fmt.Sprintf("%s.images[%d]", path, k), name, "cluster "+a.in.Cluster.Name+" has no such image")
				continue
			}
			images = append(images, int32(n))
		}
		if len(x.Images) == 0 {
			images = a.w.Used()
		}
		all := func(*Pool) bool { return true }
		for _, p := range a.named(path+".pools", x.Pools, all, "") {
			a.w.Pools[p].Prepull(images, x.By == document.ByNodeImage)
		}
	}
}

// Used are the images that agents are made of, each once.
func (w *World) Used() (out []int32) {
	for _, t := range w.Full().Templates {
		for _, i := range t.ImageAt {
			if !slices.Contains(out, i) {
				out = append(out, i)
			}
		}
	}
	return out
}

// Prepull has a pool's nodes have images from the start, or pull them first, for a pod that takes room of its own.
func (p *Pool) Prepull(images []int32, baked bool) {
	add := func(to []int32) []int32 {
		out := slices.Clone(to)
		for _, i := range images {
			if !slices.Contains(out, i) {
				out = append(out, i)
			}
		}
		return out
	}
	if baked {
		p.Baked = add(p.Baked)
		return
	}
	p.Daemons = add(p.Daemons)
	p.Room.CPU = max(0, p.Room.CPU-document.PrepullCPU)
	p.Room.Memory = max(0, p.Room.Memory-document.PrepullMemory)
	p.Room.Pods = max(0, p.Room.Pods-1)
}

// Prepulled is the world with the images of its agents on all nodes before they are needed, in one of the two
// ways.
func (w *World) Prepulled(baked bool) *World {
	c := *w
	c.Pools = slices.Clone(w.Pools)
	for i := range c.Pools {
		c.Pools[i].Prepull(w.Used(), baked)
	}
	return &c
}

// WithImage is the world with an image of another size, compressed: what it shares with others stays as it
// is and its own layers shrink or grow alike. One that would be smaller than what it shares shares nothing.
func (w *World) WithImage(image int, size units.Bytes) *World {
	c := *w
	c.Images, c.LayersOf, c.Layers = slices.Clone(w.Images), slices.Clone(w.LayersOf), slices.Clone(w.Layers)
	var shared, own units.Bytes
	for _, l := range w.LayersOf[image] {
		if len(w.Sharers(l)) > 1 {
			shared += w.Layers[l]
		} else {
			own += w.Layers[l]
		}
	}
	c.Images[image].Size = size
	if size < shared || own == 0 {
		c.LayersOf[image] = nil
		if own == 0 && size >= shared {
			c.LayersOf[image] = slices.Clone(w.LayersOf[image])
			size -= shared
		}
		c.LayersOf[image] = append(c.LayersOf[image], int32(len(c.Layers)))
		c.Layers = append(c.Layers, size)
		return &c
	}
	for _, l := range w.LayersOf[image] {
		if len(w.Sharers(l)) == 1 {
			c.Layers[l] = units.Bytes(float64(w.Layers[l]) / float64(own) * float64(size-shared))
		}
	}
	return &c
}

// WithoutLayer is the world with a layer that weighs nothing.
func (w *World) WithoutLayer(layer int32) *World {
	c := *w
	c.Images, c.Layers = slices.Clone(w.Images), slices.Clone(w.Layers)
	for _, i := range w.Sharers(layer) {
		c.Images[i].Size -= w.Layers[layer]
	}
	c.Layers[layer] = 0
	return &c
}

// Sharers are the images that have a layer.
func (w *World) Sharers(layer int32) (out []int32) {
	for i, of := range w.LayersOf {
		if slices.Contains(of, layer) {
			out = append(out, int32(i))
		}
	}
	return out
}
