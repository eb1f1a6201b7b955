package fleet

import (
	"fmt"
	"slices"
	"strings"
)

// A Reason is what keeps a pod off a node.
type Reason uint8

// Reasons, in the order in which the scheduler looks.
const (
	Open      Reason = iota // nothing does
	Closed                  // it takes no new pods
	Tainted                 // a taint that is not tolerated
	Unwanted                // selector or required affinity
	PortTaken               // another pod has a port of the node
	NoCPU
	NoMemory
	NoDisk
	NoPods
	Elsewhere // a volume is attached to another node
	NoPlace   // it has not the label that the pod is spread over
	Uneven    // too many are there already
	NotBeside // nobody is there whom it must be beside
	NotApart  // one is there whom it keeps apart from
	Unwelcome // one is there who keeps apart from it
	reasons
)

// said is each reason as the scheduler says it.
// Source: k8s.io/kubernetes v1.37, pkg/scheduler/framework/plugins.
var said = [reasons]string{
	Closed:    "node(s) were unschedulable",
	Tainted:   "node(s) had untolerated taint(s)",
	Unwanted:  "node(s) didn't match Pod's node affinity/selector",
	PortTaken: "node(s) didn't have free ports for the requested pod ports",
	NoCPU:     "Insufficient cpu",
	NoMemory:  "Insufficient memory",
	NoDisk:    "Insufficient ephemeral-storage",
	NoPods:    "Too many pods",
	Elsewhere: "node(s) had volume node affinity conflict",
	NoPlace:   "node(s) didn't match pod topology spread constraints (missing required label)",
	Uneven:    "node(s) didn't match pod topology spread constraints",
	NotBeside: "node(s) didn't match pod affinity rules",
	NotApart:  "node(s) didn't match pod anti-affinity rules",
	Unwelcome: "node(s) didn't satisfy existing pods anti-affinity rules",
}

// A Verdict says why a pod fitted on no node, in the scheduler's manner: how
// many nodes there were and how many failed for each reason. Reasons are looked at in
// the scheduler's order, and a node that fails one is not looked at further; one
// without room may lack several things. Verdicts are comparable.
type Verdict struct {
	Template int32
	Nodes    int32
	Never    int32          // of the nodes: those that would not take the pod even empty; the others do not now
	By       [reasons]int32 // nodes by reason
	Extended [MostExtended]int32
}

// Add counts a node.
func (v *Verdict) Add(r Reason) { v.By[r]++ }

// Lack counts what a node lacks.
func (v *Verdict) Lack(s *Shortfall) {
	for _, x := range [...]struct {
		short bool
		r     Reason
	}{{s.CPU, NoCPU}, {s.Memory, NoMemory}, {s.Disk, NoDisk}, {s.Pods, NoPods}} {
		if x.short {
			v.Add(x.r)
		}
	}
	for i, short := range s.Extended {
		if short {
			v.Extended[i]++
		}
	}
}

// Hopeless reports whether there are nodes and none of them would ever take the pod.
func (v *Verdict) Hopeless() bool { return v.Nodes > 0 && v.Never == v.Nodes }

// Words writes the verdict as the scheduler does; names are those of the extended
// resources.
func (v Verdict) Words(names []string) string {
	list := []string{}
	add := func(n int32, what string) {
		if n > 0 {
			list = append(list, fmt.Sprintf("%d %s", n, what))
		}
	}
	for r, n := range v.By {
		add(n, said[r])
	}
	for i, name := range names {
		add(v.Extended[i], "Insufficient "+name)
	}
	slices.Sort(list)
	if len(list) == 0 {
		return fmt.Sprintf("0/%d nodes are available.", v.Nodes)
	}
	return fmt.Sprintf("0/%d nodes are available: %s.", v.Nodes, strings.Join(list, ", "))
}
