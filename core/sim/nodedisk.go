package sim

import "tachyphor/core/units"

// kept is a workspace left on a node.
type kept struct {
	scope, version int32
	size           units.Bytes
	used           units.Duration
}

// onNode says what a node still has of a scope's workspace for job j.
func (e *engine) onNode(j, n, scope int32) warmth {
	for i := range e.nodes[n].kept {
		if k := &e.nodes[n].kept[i]; k.scope == scope {
			k.used = e.now
			return e.found(j, true, k.version)
		}
	}
	return e.found(j, false, 0)
}

// leaveOnNode leaves a workspace on a node; above the node's room for them those
// unused for longest go.
func (e *engine) leaveOnNode(n int32, k kept) {
	node := &e.nodes[n]
	sum, at := k.size, -1
	for i, x := range node.kept {
		if x.scope == k.scope {
			at = i
		} else {
			sum += x.size
		}
	}
	if at >= 0 {
		node.kept[at] = k
	} else {
		node.kept = append(node.kept, k)
	}
	room := e.w.Pools[node.pool].CacheDisk
	for room > 0 && sum > room {
		oldest := 0
		for i, x := range node.kept {
			if x.used < node.kept[oldest].used {
				oldest = i
			}
		}
		sum -= node.kept[oldest].size
		node.kept = append(node.kept[:oldest], node.kept[oldest+1:]...)
		e.trace.Cache.PushedOut++
	}
}
