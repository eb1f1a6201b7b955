// Package fleet knows nodes: their types, what they have left for agents, and
// what they cost.
package fleet

import (
	"tachyphor/core/document"
	"tachyphor/core/template"
)

// Room is what a node has for agents, or has left. The zero Room takes nothing.
type Room struct {
	template.Request
	Pods int
}

// Allocatable returns what a node of a type has for agents: its capacity less
// what is reserved.
func Allocatable(n document.NodeType) Room {
	return Room{
		template.Request{CPU: n.CPU - n.Reserved.CPU, Memory: n.Memory - n.Reserved.Memory},
		n.Pods - n.Reserved.Pods,
	}
}

// A Shortfall says what keeps a pod off a node. The zero Shortfall keeps it off
// nothing.
type Shortfall struct{ CPU, Memory, Pods bool }

// Short reports whether anything is missing.
func (s Shortfall) Short() bool { return s.CPU || s.Memory || s.Pods }

// Lacks returns what r lacks for one more pod with request q. As in the
// scheduler, only what a pod asks for is looked at.
func (r Room) Lacks(q template.Request) Shortfall {
	return Shortfall{
		CPU:    q.CPU > 0 && q.CPU > r.CPU,
		Memory: q.Memory > 0 && q.Memory > r.Memory,
		Pods:   r.Pods < 1,
	}
}

// Take returns r with one pod more (n = 1) or less (n = −1) in it.
func (r Room) Take(q template.Request, n int) Room {
	r.Pods -= n
	if n < 0 {
		r.CPU, r.Memory = r.CPU+q.CPU, r.Memory+q.Memory
	} else {
		r.CPU, r.Memory = r.CPU-q.CPU, r.Memory-q.Memory
	}
	return r
}
