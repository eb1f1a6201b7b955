package learn

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// daemonSets tells what runs on every node of a pool and takes room before agents: pods that
// a DaemonSet owns, and those that nodes run by themselves.
func (g *gatherer) daemonSets() {
	type set struct {
		nodes map[string]bool
		need  template.Request
		pools map[int]int
	}
	sets := map[string]*set{}
	for i := range g.Pods {
		p := &g.Pods[i]
		kind, owner := p.Metadata.owner()
		if kind != "DaemonSet" && kind != "Node" || p.Spec.NodeName == "" {
			continue
		}
		if kind == "Node" { // its name ends with that of its node
			owner = strings.TrimSuffix(p.Metadata.Name, "-"+p.Spec.NodeName)
		}
		s := sets[owner]
		if s == nil {
			s = &set{nodes: map[string]bool{}, pools: map[int]int{}}
			sets[owner] = s
		}
		if pool, ok := g.on[p.Spec.NodeName]; ok && !s.nodes[p.Spec.NodeName] {
			s.pools[pool]++
		}
		s.nodes[p.Spec.NodeName] = true
		s.need = template.Effective(&corev1.PodSpec{Containers: p.Spec.Containers, InitContainers: p.Spec.InitContainers}, template.Request{})
	}
	for _, name := range slices.Sorted(maps.Keys(sets)) {
		s := sets[name]
		d := document.DaemonSet{Name: name, CPU: s.need.CPU, Memory: s.need.Memory, Disk: s.need.Disk}
		for i := range g.pools {
			if n := s.pools[i]; 10*n >= 9*len(g.pools[i].nodes) && n > 0 {
				d.Pools = append(d.Pools, g.pools[i].name)
			}
		}
		if len(d.Pools) == 0 {
			continue // it is on a few nodes only
		}
		if len(d.Pools) == len(g.pools) {
			d.Pools = nil
		}
		g.out.spec.DaemonSets = append(g.out.spec.DaemonSets, d)
		g.fact("daemonSets."+name, fmt.Sprintf("%s CPU, %s", d.CPU, d.Memory.Short()), fmt.Sprintf("its pods on %s",
			counted(len(s.nodes), "node", "nodes")),
			len(s.nodes), nil)
	}
}
