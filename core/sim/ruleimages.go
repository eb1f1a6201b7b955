package sim

import "tachyphor/core/world"

// localityWeight is what the default profile makes of images.
const localityWeight = 1

// Image sizes between which locality counts.
// Source: k8s.io/kubernetes/pkg/scheduler/framework/plugins/imagelocality.
const (
	localityFrom = 23 << 20
	localityTo   = 1000 << 20 // for each container
)

// mostImages is how many images of a pod tell nodes apart.
const mostImages = 64

// imageRule prefers nodes that hold much of the pod's images, by the share of nodes that hold
// them now.
var imageRule = rule{
	// Those that hold the same of the pod's images are alike; beyond so many of them that a bit each is
	// too many, nodes are not ranked.
	kind: func(e *engine, x look, n int32) (held uint64) {
		images := e.nodes[n].shelf.images
		for at, i := range e.w.Templates[x.t].ImageAt {
			if images[i] {
				held |= 1 << at
			}
		}
		return held
	},
	now: func(e *engine, x look, n int32) int64 {
		return localityWeight * e.locality(&e.nodes[n], &e.w.Templates[x.t])
	},
}

// locality prefers nodes that hold much of the pod's images; an image counts once
// for each container that is made of it, by the share of nodes that hold it.
func (e *engine) locality(n *node, t *world.Template) int64 {
	var sum int64
	nodes := float64(len(e.place.ready))
	for _, at := range t.Containers {
		if i := t.ImageAt[at]; n.shelf.images[i] {
			sum += int64(float64(e.w.Images[i].Size) * (float64(e.place.holding[i]) / nodes))
		}
	}
	top := int64(localityTo) * int64(len(t.Containers))
	return 100 * (min(max(sum, localityFrom), top) - localityFrom) / (top - localityFrom)
}
