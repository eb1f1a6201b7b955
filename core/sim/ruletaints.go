package sim

import "tachyphor/core/fleet"

// taintWeight is what the default profile makes of taints that would rather keep a pod off.
const taintWeight = 3

// taintRule keeps pods off nodes with a taint that they do not tolerate, and prefers those
// with fewer that would rather keep them off: 0 to 100, by the most of the nodes with room.
var taintRule = rule{
	lasting: true,
	filter: func(e *engine, x look, _, pool int32) fleet.Reason {
		if e.sites[x.t][pool].Tainted {
			return fleet.Tainted
		}
		return fleet.Open
	},
	compares: func(e *engine, x look) bool { return e.picky[x.t] },
	compare: func(e *engine, x look, nodes []int32, points []int64) {
		most := e.mostOf(x.t, nodes, func(s *fleet.Stance) int64 { return s.Disliked })
		if most == 0 {
			return
		}
		for i, n := range nodes {
			points[i] += taintWeight * (100 - 100*e.sites[x.t][e.nodes[n].pool].Disliked/most)
		}
	},
}
