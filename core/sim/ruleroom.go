package sim

import (
	"math"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
)

// What the default profile makes of room.
const (
	fitWeight      = 1
	balancedWeight = 1
)

// roomRule keeps pods off nodes without room, and rates what they would leave: each part is
// a whole number from 0 to 100.
var roomRule = rule{
	lasting: true,
	filter: func(e *engine, x look, n, _ int32) fleet.Reason {
		switch short := e.nodes[n].left.Lacks(&e.w.Templates[x.t].Needs); {
		case !short.Short():
			return fleet.Open
		case short.CPU:
			return fleet.NoCPU
		case short.Memory:
			return fleet.NoMemory
		case short.Disk:
			return fleet.NoDisk
		}
		return fleet.NoPods
	},
	tell: func(e *engine, x look, n int32, v *fleet.Verdict) {
		short := e.nodes[n].left.Lacks(&e.w.Templates[x.t].Needs)
		v.Lack(&short)
	},
	points: func(e *engine, x look, n int32) int64 {
		node, t := &e.nodes[n], &e.w.Templates[x.t]
		room := &e.w.Pools[node.pool].Room
		scored := template.Request{CPU: node.scored.CPU + t.Scoring.CPU, Memory: node.scored.Memory + t.Scoring.Memory}
		return fitWeight*e.fitScore(scored, room.Request) +
			balancedWeight*balanced(node.left.Request, room.Request, t.Request)
	},
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
