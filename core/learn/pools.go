package learn

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
)

// A poolSeen is nodes made alike.
type poolSeen struct {
	name  string
	kind  int // index into types
	nodes []*nodeRecord
}

// poolNamed reports whether a label's key says that it names the pool of a node.
func poolNamed(key string) bool {
	l := letters(key[strings.LastIndexByte(key, '/')+1:])
	return strings.HasSuffix(l, "pool") || strings.HasSuffix(l, "nodegroup") || strings.HasSuffix(l, "poolname") || l == "pool"
}

// nodePools parts nodes by the label that names their pool, else by type and taints.
func (g *gatherer) nodePools() error {
	key := g.o.PoolLabel
	if key != "" && !slices.ContainsFunc(g.Nodes, func(n nodeRecord) bool { _, ok := n.Metadata.Labels[key]; return ok }) {
		return fmt.Errorf("no node has the label %s; the labels are %s", key, strings.Join(g.labels(), ", "))
	}
	if key == "" {
		most := 0
		for _, l := range g.labels() {
			n := 0
			for i := range g.Nodes {
				if g.Nodes[i].Metadata.Labels[l] != "" {
					n++
				}
			}
			if poolNamed(l) && n > most {
				key, most = l, n
			}
		}
	}
	kinds := map[*nodeRecord]int{}
	for i, t := range g.types {
		for _, n := range t.nodes {
			kinds[n] = i
		}
	}
	at, taken := map[string]int{}, map[string]bool{}
	for i := range g.Nodes {
		n := &g.Nodes[i]
		name := n.Metadata.Labels[key]
		id := name + "\x00" + g.types[kinds[n]].name
		if name == "" {
			name = g.types[kinds[n]].name
			for _, t := range lasting(n.Spec.Taints) {
				id += "\x00" + t.ToString()
				if t.Effect != corev1.TaintEffectPreferNoSchedule {
					name = g.types[kinds[n]].name + "-tainted"
				}
			}
		}
		p, ok := at[id]
		if !ok {
			p = len(g.pools)
			at[id], g.pools = p, append(g.pools, poolSeen{name: unique(className(name), taken), kind: kinds[n]})
		}
		g.pools[p].nodes = append(g.pools[p].nodes, n)
		g.on[n.Metadata.Name] = p
	}
	switch {
	case g.o.PoolLabel != "":
	case key != "":
		g.out.Guesses = append(g.out.Guesses, Guess{"pools", "by the label " + key, "its name", "--pool-label"})
	default:
		g.out.Guesses = append(g.out.Guesses, Guess{"pools", "by node type and taints", "no label of the nodes names a pool", "--pool-label"})
	}
	for name := range g.o.Most {
		if !slices.ContainsFunc(g.pools, func(p poolSeen) bool { return p.name == name }) {
			var there []string
			for _, p := range g.pools {
				there = append(there, p.name)
			}
			return fmt.Errorf("--max %s: there is no such pool; the pools are %s", name, strings.Join(there, ", "))
		}
	}
	for i := range g.pools {
		g.pool(&g.pools[i])
	}
	return nil
}

// labels lists the keys of the nodes' labels.
func (g *gatherer) labels() []string {
	keys := map[string]bool{}
	for i := range g.Nodes {
		for k := range g.Nodes[i].Metadata.Labels {
			keys[k] = true
		}
	}
	return slices.Sorted(maps.Keys(keys))
}

// lasting are the taints that a node is made with, not those that its state gives it.
func lasting(list []corev1.Taint) (out []corev1.Taint) {
	for _, t := range list {
		if !strings.HasPrefix(t.Key, "node.kubernetes.io/") && !strings.HasPrefix(t.Key, "node.cloudprovider.kubernetes.io/") &&
			!strings.Contains(letters(t.Key), "tobedeleted") && !strings.Contains(letters(t.Key), "deletioncandidate") {
			out = append(out, t)
		}
	}
	return out
}

// plainLabels are labels that every node has of its own, or that we set ourselves.
var plainLabels = []string{
	corev1.LabelHostname, corev1.LabelInstanceType, corev1.LabelInstanceTypeStable, "beta.kubernetes.io/os", "beta.kubernetes.io/arch",
	"failure-domain.beta.kubernetes.io/zone", "failure-domain.beta.kubernetes.io/region",
}

// pool writes a pool: what all of its nodes have alike.
func (g *gatherer) pool(p *poolSeen) {
	d := document.Pool{Name: p.name, NodeType: g.types[p.kind].name, Max: len(p.nodes), Labels: map[string]string{}}
	for k, v := range p.nodes[0].Metadata.Labels {
		same := !slices.Contains(plainLabels, k) && !(k == corev1.LabelOSStable && v == "linux") && !(k == corev1.LabelArchStable && v == "amd64")
		for _, n := range p.nodes {
			same = same && n.Metadata.Labels[k] == v
		}
		if same {
			d.Labels[k] = v
		}
	}
	for _, t := range lasting(p.nodes[0].Spec.Taints) {
		all := true
		for _, n := range p.nodes {
			all = all && slices.ContainsFunc(n.Spec.Taints, func(x corev1.Taint) bool { return x.MatchTaint(&t) && x.Value == t.Value })
		}
		if all {
			d.Taints = append(d.Taints, document.Taint{Key: t.Key, Value: t.Value, Effect: document.Effect(t.Effect)})
		}
	}
	if most, ok := g.o.Most[p.name]; ok {
		d.Max = most
	} else {
		g.out.Lacks = append(g.out.Lacks,
			fmt.Sprintf("how many nodes %s may have: %d is assumed, as many as the records have; set it with --max %s=40", p.name,
				len(p.nodes), p.name))
	}
	g.out.spec.Pools = append(g.out.spec.Pools, d)
	g.fact("pools."+p.name, fmt.Sprintf("%s of %s", counted(len(p.nodes), "node", "nodes"), d.NodeType),
		"labels and taints that all of them have",
		len(p.nodes), nil)
}
