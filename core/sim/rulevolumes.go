package sim

import "tachyphor/core/fleet"

// volumeRule keeps pods off nodes that a volume of theirs cannot come to: it is held by
// another, or it is of another zone.
var volumeRule = rule{
	concerns: func(e *engine, x look) bool { return len(e.w.Templates[x.t].ClaimAt) > 0 },
	filter: func(e *engine, x look, n, _ int32) fleet.Reason {
		if e.elsewhere(x.t, n) {
			return fleet.Elsewhere
		}
		return fleet.Open
	},
}
