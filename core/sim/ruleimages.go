package sim

import (
	"slices"

	"tachyphor/core/world"
)

// localityWeight is what the default profile makes of images.
const localityWeight = 1

// Image sizes between which locality counts.
// Source: k8s.io/kubernetes/pkg/scheduler/framework/plugins/imagelocality.
const (
	localityFrom = 23 << 20
	localityTo   = 1000 << 20 // for each container
)

// imageRule prefers nodes that hold much of the pod's images, by the share of nodes that hold
// them now.
var imageRule = rule{
	marks: func(e *engine, x look, n int32) bool {
		images := e.nodes[n].shelf.images
		return slices.ContainsFunc(e.w.Templates[x.t].ImageAt, func(i int32) bool { return images[i] })
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
