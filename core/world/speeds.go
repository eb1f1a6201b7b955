package world

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
)

// speeds notes how fast each class works on each pool's nodes, beside the nodes that its
// times were measured on.
func (a *assembly) speeds(l *document.WorkloadSpec, c *document.ClusterSpec) {
	types := map[string]float64{}
	var names []string
	some := false
	for _, t := range c.NodeTypes {
		types[t.Name] = t.Speed
		if t.Speed == 0 {
			types[t.Name] = 1
		}
		names = append(names, t.Name)
		some = some || types[t.Name] != 1
	}
	for i, k := range l.Classes {
		if !some && len(k.Speeds) == 0 {
			continue
		}
		class := &a.w.Classes[i]
		for _, p := range a.w.Pools {
			x, measured := k.Speeds[p.Type]
			if !measured {
				x = types[p.Type]
			}
			class.Speeds = append(class.Speeds, x)
		}
		for name := range k.Speeds {
			if !slices.Contains(names, name) {
				a.fault(a.in.Workload, fmt.Sprintf("spec.classes[%d].speeds.%s", i, name), "",
					"the cluster has no such node type; it has "+strings.Join(names, ", "))
			}
		}
	}
}

// speedOf is how fast a class works on a pool's nodes.
func (c *Class) SpeedOn(pool int32) float64 {
	if c.Speeds == nil || int(pool) >= len(c.Speeds) {
		return 1
	}
	return c.Speeds[pool]
}

// fastest is how fast a class works at most.
func (c *Class) Fastest() float64 {
	if c.Speeds == nil {
		return 1
	}
	return slices.Max(c.Speeds)
}
