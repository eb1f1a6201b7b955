// Package fleet knows nodes: their types, what they have left for agents, and
// what they cost.
package fleet

import (
	"maps"
	"strconv"

	"tachyphor/core/document"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// MostExtended is how many extended resources one world may have.
const MostExtended = 4

// Extended are amounts of extended resources, by the numbers that a world gives
// their names.
type Extended [MostExtended]int64

// Room is what a node has for agents, or has left. The zero Room takes nothing
// that asks for something.
type Room struct {
	template.Request
	Pods     int
	Extended Extended
}

// unlimited is the disk of a node type that does not say.
const unlimited = 1 << 60

// Allocatable returns what a node of a type has for agents: its capacity less
// what is reserved and what the DaemonSets of its pool ask for. names numbers the
// extended resources.
func Allocatable(n document.NodeType, pool string, daemons []document.DaemonSet, names []string) Room {
	r := Room{
		Request: template.Request{CPU: n.CPU - n.Reserved.CPU, Memory: n.Memory - n.Reserved.Memory, Disk: unlimited},
		Pods:    n.Pods - n.Reserved.Pods,
	}
	if n.Disk > 0 {
		r.Disk = n.Disk - n.Reserved.Disk
	}
	for _, d := range daemons {
		if d.On(pool) {
			r.CPU, r.Memory, r.Disk, r.Pods = r.CPU-d.CPU, r.Memory-d.Memory, r.Disk-d.Disk, r.Pods-1
		}
	}
	for i, name := range names {
		r.Extended[i] = int64(n.Extended[name])
	}
	return r
}

// Labels returns the labels of a pool's nodes.
func Labels(p document.Pool) map[string]string {
	all := map[string]string{corev1.LabelOSStable: "linux", corev1.LabelArchStable: "amd64"}
	maps.Copy(all, p.Labels)
	return all
}

// Taints returns the taints of a pool's nodes in Kubernetes' type.
func Taints(p document.Pool) []corev1.Taint {
	out := make([]corev1.Taint, len(p.Taints))
	for i, t := range p.Taints {
		out[i] = corev1.Taint{Key: t.Key, Value: t.Value, Effect: corev1.TaintEffect(t.Effect)}
	}
	return out
}

// A Shortfall says what keeps a pod off a node for want of room. The zero
// Shortfall keeps it off nothing.
type Shortfall struct {
	CPU, Memory, Disk, Pods bool
	Extended                [MostExtended]bool
}

// Short reports whether anything is missing.
func (s Shortfall) Short() bool { return s != Shortfall{} }

// A Need is what one pod asks of a node.
type Need struct {
	template.Request
	Extended Extended
	// Single: neighbours let one such pod on a node, whatever room there is. Only Holds
	// looks at it.
	Single bool
}

// Lacks returns what r lacks for one more pod. As in the scheduler, only what a
// pod asks for is looked at.
func (r *Room) Lacks(q *Need) Shortfall {
	s := Shortfall{
		CPU:    q.CPU > 0 && q.CPU > r.CPU,
		Memory: q.Memory > 0 && q.Memory > r.Memory,
		Disk:   q.Disk > 0 && q.Disk > r.Disk,
		Pods:   r.Pods < 1,
	}
	if q.Extended != (Extended{}) {
		for i, n := range q.Extended {
			s.Extended[i] = n > 0 && n > r.Extended[i]
		}
	}
	return s
}

// Take puts n pods (1 or −1) into r.
func (r *Room) Take(q *Need, n int) {
	r.Pods -= n
	if n < 0 {
		r.CPU, r.Memory, r.Disk = r.CPU+q.CPU, r.Memory+q.Memory, r.Disk+q.Disk
	} else {
		r.CPU, r.Memory, r.Disk = r.CPU-q.CPU, r.Memory-q.Memory, r.Disk-q.Disk
	}
	if q.Extended != (Extended{}) {
		for i, x := range q.Extended {
			r.Extended[i] -= int64(n) * x
		}
	}
}

// Holds returns how many pods that need q go on a node with room r when it is
// empty, what binds (cpu, memory, disk, pods, an extended resource's number as
// extended0, or neighbours) and the share of that resource which is left over. A pod that asks
// for nothing is bound by pods alone.
func (r Room) Holds(q *Need) (n int, binds string, left float64) {
	n, binds = max(r.Pods, 0), "pods"
	look := func(name string, has, need int64) {
		if need <= 0 {
			return
		}
		if k := int(max(has, 0) / need); k < n {
			n, binds = k, name
		}
	}
	look("cpu", int64(r.CPU), int64(q.CPU))
	look("memory", int64(r.Memory), int64(q.Memory))
	look("disk", int64(r.Disk), int64(q.Disk))
	for i, x := range q.Extended {
		look("extended"+strconv.Itoa(i), r.Extended[i], x)
	}
	if q.Single && n > 1 {
		n, binds = 1, "neighbours"
	}
	share := func(has, need int64) float64 {
		if has <= 0 {
			return 0
		}
		return 1 - float64(int64(n)*need)/float64(has)
	}
	switch binds {
	case "cpu":
		left = share(int64(r.CPU), int64(q.CPU))
	case "memory":
		left = share(int64(r.Memory), int64(q.Memory))
	case "disk":
		left = share(int64(r.Disk), int64(q.Disk))
	default:
		left = min(share(int64(r.CPU), int64(q.CPU)), share(int64(r.Memory), int64(q.Memory)))
	}
	return n, binds, left
}
