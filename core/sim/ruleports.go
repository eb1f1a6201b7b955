package sim

import "tachyphor/core/fleet"

// portRule keeps pods off nodes where another has one of their host ports.
var portRule = rule{
	concerns: func(e *engine, x look) bool {
		return !x.placeholder && e.heeds(x.t) && e.near.rules[x.t].ports >= 0
	},
	filter: func(e *engine, x look, n, pool int32) fleet.Reason {
		if i := e.near.rules[x.t].ports; e.near.sum(i, e.near.of(i, n, pool), x.future) > 0 {
			return fleet.PortTaken
		}
		return fleet.Open
	},
}
