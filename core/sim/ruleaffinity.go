package sim

import "tachyphor/core/fleet"

// affinityWeight is what the default profile makes of preferred node affinity.
const affinityWeight = 2

// affinityRule keeps pods off nodes that their selector or required affinity does not
// mean, and prefers those that more of their preferred terms mean: 0 to 100, by the most of
// the nodes with room.
var affinityRule = rule{
	lasting: true,
	filter: func(e *engine, x look, _, pool int32) fleet.Reason {
		if e.sites[x.t][pool].Unwanted {
			return fleet.Unwanted
		}
		return fleet.Open
	},
	compares: func(e *engine, x look) bool { return e.picky[x.t] },
	compare: func(e *engine, x look, nodes []int32, points []int64) {
		most := e.mostOf(x.t, nodes, func(s *fleet.Stance) int64 { return s.Liked })
		if most == 0 {
			return
		}
		for i, n := range nodes {
			points[i] += affinityWeight * (100 * e.sites[x.t][e.nodes[n].pool].Liked / most)
		}
	},
}
