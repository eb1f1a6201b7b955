package sim

import (
	"math"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
)

// Weights of the default scheduler profile.
const (
	taintWeight    = 3
	affinityWeight = 2
	fitWeight      = 1
	balancedWeight = 1
	localityWeight = 1
)

// extremes returns the most that one of some nodes is liked and disliked, which the
// scheduler measures the others by; a template that cares for nothing is not asked.
func (e *engine) extremes(t int32, nodes []int32) (most fleet.Stance) {
	if !e.picky[t] {
		return most
	}
	for _, n := range nodes {
		s := &e.sites[t][e.nodes[n].pool]
		most.Liked, most.Disliked = max(most.Liked, s.Liked), max(most.Disliked, s.Disliked)
	}
	return most
}

// preference is taint toleration (weight 3) and node affinity (weight 2), each
// brought to 0 to 100 by the most among the nodes with room.
func preference(s *fleet.Stance, most fleet.Stance) int64 {
	points := int64(0)
	if most.Disliked > 0 {
		points += taintWeight * (100 - 100*s.Disliked/most.Disliked)
	}
	if most.Liked > 0 {
		points += affinityWeight * (100 * s.Liked / most.Liked)
	}
	return points
}

// score rates a node's resources for one more pod, as the scheduler does: each
// part is a whole number from 0 to 100.
func (e *engine) score(n *node, t *Template) int64 {
	room := &e.w.Pools[n.pool].Room
	scored := template.Request{CPU: n.scored.CPU + t.Scoring.CPU, Memory: n.scored.Memory + t.Scoring.Memory}
	return fitWeight*e.fitScore(scored, room.Request) +
		balancedWeight*balanced(n.left.Request, room.Request, t.Request)
}

// fitScore is least allocated (spread) or most allocated (pack), the mean over
// CPU and memory.
func (e *engine) fitScore(want, room template.Request) int64 {
	part := func(want, room int64) int64 {
		if room == 0 || want > room {
			return 0
		}
		if e.w.Placement == document.Pack {
			return want * 100 / room
		}
		return (room - want) * 100 / room
	}
	return (part(int64(want.CPU), int64(room.CPU)) + part(int64(want.Memory), int64(room.Memory))) / 2
}

// balanced says whether a pod makes the use of CPU and memory on a node more or
// less even:
//
//	50 + (50 + b(with the pod) − b(without it)) / 2,  b = 100·(1 − |c − m|/2)
//
// with the parts c of CPU and m of memory in use, by what pods really request. A
// pod that requests neither is not rated.
// Source: k8s.io/kubernetes v1.37, plugins/noderesources/balanced_allocation.go.
func balanced(left, room, q template.Request) int64 {
	if q.CPU == 0 && q.Memory == 0 {
		return 0
	}
	without := template.Request{CPU: room.CPU - left.CPU, Memory: room.Memory - left.Memory}
	with := template.Request{CPU: without.CPU + q.CPU, Memory: without.Memory + q.Memory}
	return 50 + (50+evenness(with, room)-evenness(without, room))/2
}

func evenness(used, room template.Request) int64 {
	if room.CPU == 0 || room.Memory == 0 {
		return 100 // of one resource alone there is nothing to balance
	}
	c := min(1, float64(used.CPU)/float64(room.CPU))
	m := min(1, float64(used.Memory)/float64(room.Memory))
	return int64((1 - math.Abs((c-m)/2)) * 100)
}

// Image sizes between which locality counts.
// Source: k8s.io/kubernetes/pkg/scheduler/framework/plugins/imagelocality.
const (
	localityFrom = 23 << 20
	localityTo   = 1000 << 20 // for each container
)

// locality prefers nodes that hold much of the pod's images; an image counts once
// for each container that is made of it, by the share of nodes that hold it.
func (e *engine) locality(n *node, t *Template) int64 {
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
