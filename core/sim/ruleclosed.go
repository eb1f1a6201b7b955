package sim

import "tachyphor/core/fleet"

// closedRule keeps pods off nodes that take no new ones.
var closedRule = rule{
	lasting: true,
	filter: func(e *engine, _ look, n, _ int32) fleet.Reason {
		if e.nodes[n].closed {
			return fleet.Closed
		}
		return fleet.Open
	},
}
