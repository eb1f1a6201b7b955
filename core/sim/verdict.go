package sim

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/fleet"
)

// A Verdict says why a pod fitted on no node, in the scheduler's manner: how
// many nodes there were and how many failed for each reason. Reasons are looked at in
// the scheduler's order, and a node that fails one is not looked at further; one
// without room may lack several things. Verdicts are comparable.
type Verdict struct {
	Template                 int32
	Nodes                    int32
	Closed, Taints, Affinity int32
	Ports                    int32
	CPU, Memory, Disk, Pods  int32
	Volumes                  int32
	Uneven, NoPlace          int32 // by how they are spread; without a label of it
	Beside, Apart, Unwelcome int32
	Extended                 [fleet.MostExtended]int32
}

// Words writes the verdict as the scheduler does; names are the world's extended
// resources.
func (v Verdict) Words(names []string) string {
	reasons := []string{}
	add := func(n int32, what string) {
		if n > 0 {
			reasons = append(reasons, fmt.Sprintf("%d %s", n, what))
		}
	}
	add(v.Closed, "node(s) were unschedulable")
	add(v.Taints, "node(s) had untolerated taint(s)")
	add(v.Affinity, "node(s) didn't match Pod's node affinity/selector")
	add(v.Ports, "node(s) didn't have free ports for the requested pod ports")
	add(v.Volumes, "node(s) had volume node affinity conflict")
	add(v.Uneven, "node(s) didn't match pod topology spread constraints")
	add(v.NoPlace, "node(s) didn't match pod topology spread constraints (missing required label)")
	add(v.Beside, "node(s) didn't match pod affinity rules")
	add(v.Apart, "node(s) didn't match pod anti-affinity rules")
	add(v.Unwelcome, "node(s) didn't satisfy existing pods anti-affinity rules")
	add(v.CPU, "Insufficient cpu")
	add(v.Memory, "Insufficient memory")
	add(v.Disk, "Insufficient ephemeral-storage")
	add(v.Pods, "Too many pods")
	for i, name := range names {
		add(v.Extended[i], "Insufficient "+name)
	}
	slices.Sort(reasons)
	if len(reasons) == 0 {
		return fmt.Sprintf("0/%d nodes are available.", v.Nodes)
	}
	return fmt.Sprintf("0/%d nodes are available: %s.", v.Nodes, strings.Join(reasons, ", "))
}

// refusal says why a pod of a template fits nowhere.
func (e *engine) refusal(template int32) Verdict {
	t := &e.w.Templates[template]
	v := Verdict{Template: template, Nodes: int32(len(e.place.ready))}
	heeds := e.heeds(template)
	var lowest []int64
	if heeds {
		lowest = e.lowest(template, false)
	}
	for _, n := range e.place.ready {
		node := &e.nodes[n]
		s, short := &e.sites[template][node.pool], node.left.Lacks(&t.Needs)
		switch {
		case node.closed:
			v.Closed++
		case s.Tainted:
			v.Taints++
		case s.Unwanted:
			v.Affinity++
		case heeds && e.portTaken(template, n, node.pool, false):
			v.Ports++
		case short.Short():
			v.count(&short)
		case len(t.ClaimAt) > 0 && e.elsewhere(template, n):
			v.Volumes++
		case heeds:
			v.bar(e.kept(template, n, node.pool, lowest, false))
		}
	}
	return v
}

// bar counts what neighbours keep a pod off one node for.
func (v *Verdict) bar(b bar) {
	switch b {
	case noPlace:
		v.NoPlace++
	case uneven:
		v.Uneven++
	case notBeside:
		v.Beside++
	case notApart:
		v.Apart++
	case unwelcome:
		v.Unwelcome++
	case open:
	}
}

// count adds what one node lacks.
func (v *Verdict) count(s *fleet.Shortfall) {
	for _, x := range [...]struct {
		short bool
		n     *int32
	}{{s.CPU, &v.CPU}, {s.Memory, &v.Memory}, {s.Disk, &v.Disk}, {s.Pods, &v.Pods}} {
		if x.short {
			*x.n++
		}
	}
	for i, short := range s.Extended {
		if short {
			v.Extended[i]++
		}
	}
}

// verdict returns the number of a verdict in the trace's table.
func (e *engine) verdict(v Verdict) int32 {
	if i, ok := e.place.verdicts[v]; ok {
		return i
	}
	i := int32(len(e.trace.Verdicts))
	e.trace.Verdicts = append(e.trace.Verdicts, v)
	e.place.verdicts[v] = i
	return i
}
