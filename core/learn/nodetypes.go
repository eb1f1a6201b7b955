package learn

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// A typeSeen is nodes of one size.
type typeSeen struct {
	name  string
	nodes []*nodeRecord
}

// typeLabels name the size of a node: Kubernetes' own labels.
var typeLabels = []string{corev1.LabelInstanceTypeStable, corev1.LabelInstanceType}

// amount reads a quantity of a list.
func amount(list amounts, name corev1.ResourceName, scale resource.Scale) int64 {
	q, ok := list[name]
	if !ok {
		return 0
	}
	return min(q.ScaledValue(scale), 1<<56)
}

// nodeTypes parts nodes by size.
func (g *gatherer) nodeTypes() error {
	at := map[string]int{}
	labelled := 0
	for i := range g.Nodes {
		n := &g.Nodes[i]
		name := ""
		for _, l := range typeLabels {
			name = cmp.Or(name, n.Metadata.Labels[l])
		}
		if name != "" {
			labelled++
		} else {
			cpu, memory := amount(n.Status.Capacity, corev1.ResourceCPU, 0), amount(n.Status.Capacity, corev1.ResourceMemory, 0)
			name = fmt.Sprintf("cpu%d-mem%d", cpu, (memory+1<<29)>>30)
		}
		name = className(name)
		t, ok := at[name]
		if !ok {
			t = len(g.types)
			at[name], g.types = t, append(g.types, typeSeen{name: name})
		}
		g.types[t].nodes = append(g.types[t].nodes, n)
	}
	if labelled < len(g.Nodes) {
		g.out.Guesses = append(g.out.Guesses, Guess{"node types", "by CPU and memory", "nodes have no label " + typeLabels[0], ""})
	}
	for flag, prices := range map[string]map[string]string{"price": g.o.Prices, "spot-price": g.o.Spot} {
		for name := range prices {
			if _, ok := at[name]; !ok {
				return fmt.Errorf("--%s %s: no node is of that type; the types are %s", flag, name, strings.Join(slices.Sorted(maps.Keys(at)), ", "))
			}
		}
	}
	for _, t := range g.types {
		if err := g.nodeType(&t); err != nil {
			return err
		}
	}
	return nil
}

// priced reads what a node of a type costs an hour, of those that were told or else of the
// list.
func priced(name string, told, list map[string]string) (p units.Price, known bool, err error) {
	s, known := told[name]
	if !known {
		s, known = list[name]
	}
	if known {
		if p, err = units.ParsePrice(s + "/h"); err != nil {
			err = fmt.Errorf("%q is not a price for %s; write it like 0.38, per hour", s, name)
		}
	}
	return p, known, err
}

// nodeType writes the size of nodes: of what varies the least, which is what pods find.
func (g *gatherer) nodeType(t *typeSeen) (err error) {
	least := func(of func(*nodeRecord) int64) int64 {
		out := of(t.nodes[0])
		for _, n := range t.nodes {
			out = min(out, of(n))
		}
		return out
	}
	capacity := func(name corev1.ResourceName, scale resource.Scale) int64 {
		return least(func(n *nodeRecord) int64 { return amount(n.Status.Capacity, name, scale) })
	}
	kept := func(name corev1.ResourceName, scale resource.Scale) int64 {
		left := least(func(n *nodeRecord) int64 { return amount(n.Status.Allocatable, name, scale) })
		return max(0, capacity(name, scale)-left)
	}
	d := document.NodeType{
		Name: t.name, CPU: units.MilliCPU(capacity(corev1.ResourceCPU, resource.Milli)), Memory: units.Bytes(capacity(corev1.ResourceMemory, 0)),
		Disk: units.Bytes(capacity(corev1.ResourceEphemeralStorage, 0)), Pods: int(capacity(corev1.ResourcePods, 0)),
		Reserved: document.Amounts{
			CPU: units.MilliCPU(kept(corev1.ResourceCPU, resource.Milli)), Memory: units.Bytes(kept(corev1.ResourceMemory, 0)),
			Disk: units.Bytes(kept(corev1.ResourceEphemeralStorage, 0)),
		},
	}
	for name := range t.nodes[0].Status.Capacity {
		if n := capacity(name, 0); strings.Contains(string(name), "/") && n > 0 {
			if d.Extended == nil {
				d.Extended = map[string]int{}
			}
			d.Extended[string(name)] = int(n)
		}
	}
	known := false
	if d.Price, known, err = priced(t.name, g.o.Prices, g.o.List.Prices); err != nil {
		return err
	}
	if !known {
		g.out.Lacks = append(g.out.Lacks,
			fmt.Sprintf("what a node of %s costs: 0 is assumed, and bills are without it; set it with --price %s=0.38", t.name, t.name))
	}
	if p, known, err := priced(t.name, g.o.Spot, g.o.List.Spot); err != nil {
		return err
	} else if known {
		d.SpotPrice = &p
	}
	g.out.spec.NodeTypes = append(g.out.spec.NodeTypes, d)
	how := fmt.Sprintf("capacity and allocatable of %s", counted(len(t.nodes), "node", "nodes"))
	g.fact("nodeTypes."+t.name, fmt.Sprintf("%s CPU, %s, of which %s and %s are reserved", d.CPU, d.Memory.Short(), d.Reserved.CPU,
		d.Reserved.Memory.Short()), how, len(t.nodes), nil)
	return nil
}
