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

// imageRule prefers nodes that hold much of the pod's images.
var imageRule = rule{
	compare: func(e *engine, x *look, nodes []int32, points []int64) {
		t := &e.w.Templates[x.t]
		for i, n := range nodes {
			if e.place.ratings[x.t][n].holds {
				points[i] += localityWeight * e.locality(&e.nodes[n], t)
			}
		}
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
