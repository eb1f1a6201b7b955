package sim

import (
	"slices"

	"tachyphor/core/world"

	corev1 "k8s.io/api/core/v1"
)

// Where volumes are zonal, one stays in the zone in which it was first attached. Zones are
// numbered from 1; a volume that was never attached is in 0, which is none yet.

// zones numbers the zones of the pools; nil where volumes go anywhere.
func zones(w *world.World) []int32 {
	if !w.Volumes.Zonal {
		return nil
	}
	var names []string
	out := make([]int32, len(w.Pools))
	for p := range w.Pools {
		name := w.Pools[p].Labels[corev1.LabelTopologyZone]
		at := slices.Index(names, name)
		if at < 0 {
			at, names = len(names), append(names, name)
		}
		out[p] = int32(at + 1)
	}
	return out
}

// zoneOf is the zone of a node; 0 where volumes go anywhere.
func (e *engine) zoneOf(n int32) int32 {
	if e.zones == nil {
		return 0
	}
	return e.zones[e.nodes[n].pool]
}

// away reports whether a volume of a template's pods is in another zone than a pool.
func (e *engine) away(t, pool int32) bool {
	if e.zones == nil {
		return false
	}
	return slices.ContainsFunc(e.w.Templates[t].ClaimAt, func(c int32) bool {
		zone := e.claims[c].zone
		return zone > 0 && zone != e.zones[pool]
	})
}

// reaches reports whether a workspace's volume can be attached in a zone.
func (v *volume) reaches(zone int32) bool { return v.zone == 0 || v.zone == zone }
