package learn

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"

	"go.yaml.in/yaml/v3"
	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

// ClusterOptions say what of a cluster's records is known and need not be guessed.
type ClusterOptions struct {
	Name      string
	Currency  string
	PoolLabel string            // label of nodes that names their pool; empty: guessed
	Prices    map[string]string // of an hour, by node type
	Spot      map[string]string // likewise, of spot nodes
	Most      map[string]int    // most nodes, by pool
}

// A FactSeen is a fact that records tell.
type FactSeen struct {
	Fact  string   `json:"fact" doc:"Field of the Cluster that it is."`
	Value string   `json:"value" doc:"What the field says."`
	How   string   `json:"how" doc:"From what, and how it was reduced."`
	Count int      `json:"count" doc:"How many observations it rests on."`
	Times *Sampled `json:"times,omitempty" doc:"Of times, in seconds: how they spread."`
}

// LearnedCluster is what a cluster's records come to.
type LearnedCluster struct {
	Name    string     `json:"name" doc:"Name of the cluster."`
	AsOf    time.Time  `json:"asOf" doc:"The newest moment in the records."`
	Nodes   int        `json:"nodes" doc:"Nodes in the records."`
	Pods    int        `json:"pods" doc:"Pods in the records."`
	Events  int        `json:"events" doc:"Events in the records."`
	Guesses []Guess    `json:"guesses" doc:"What was taken for granted."`
	Facts   []FactSeen `json:"facts" doc:"What the records tell."`
	Lacks   []string   `json:"lacks" doc:"What they do not tell, and what stands there instead."`
	Cluster string     `json:"cluster" doc:"The document."`
	spec    document.ClusterSpec
}

// A gatherer puts a cluster together from records.
type gatherer struct {
	*Records
	o      ClusterOptions
	out    *LearnedCluster
	types  []typeSeen
	pools  []poolSeen
	on     map[string]int // pools by node
	pods   map[string]*podRecord
	pulled []pull
}

// A typeSeen is nodes of one size.
type typeSeen struct {
	name  string
	nodes []*nodeRecord
}

// A poolSeen is nodes made alike.
type poolSeen struct {
	name  string
	kind  int // index into types
	nodes []*nodeRecord
}

// Cluster derives a cluster's facts from its records.
func Cluster(r *Records, o ClusterOptions) (*LearnedCluster, error) {
	if len(r.Nodes) == 0 {
		return nil, errors.New("there are no nodes in the records; a cluster is its nodes: `kubectl get nodes -o json`")
	}
	slices.SortFunc(r.Nodes, func(a, b nodeRecord) int { return strings.Compare(a.Metadata.Name, b.Metadata.Name) })
	r.Nodes = slices.CompactFunc(r.Nodes, func(a, b nodeRecord) bool { return a.Metadata.Name == b.Metadata.Name })
	slices.SortFunc(r.Pods, func(a, b podRecord) int {
		return cmp.Or(strings.Compare(a.Metadata.Namespace, b.Metadata.Namespace), strings.Compare(a.Metadata.Name, b.Metadata.Name))
	})
	slices.SortStableFunc(r.Events, func(a, b eventRecord) int {
		return cmp.Or(a.at().Compare(b.at()), strings.Compare(a.about().Name, b.about().Name), strings.Compare(a.Reason, b.Reason),
			strings.Compare(a.says(), b.says()))
	})
	if o.Name == "" {
		o.Name = "learned"
	}
	if o.Currency == "" {
		o.Currency = "EUR"
	}
	g := &gatherer{Records: r, o: o, on: map[string]int{}, pods: map[string]*podRecord{}, out: &LearnedCluster{
		Name: o.Name, Nodes: len(r.Nodes), Pods: len(r.Pods), Events: len(r.Events), Guesses: []Guess{}, Facts: []FactSeen{}, Lacks: []string{},
	}}
	g.out.spec.Currency = o.Currency
	for i := range r.Pods {
		p := &r.Pods[i]
		g.pods[p.Metadata.Namespace+"/"+p.Metadata.Name] = p
	}
	g.asOf()
	g.nodeTypes()
	if err := g.nodePools(); err != nil {
		return nil, err
	}
	g.daemonSets()
	g.boots()
	g.images()
	g.pulls()
	g.starts()
	g.rest()
	return g.out, g.write()
}

// asOf finds the newest moment of the records.
func (g *gatherer) asOf() {
	newest := func(t time.Time) {
		if t.After(g.out.AsOf) {
			g.out.AsOf = t
		}
	}
	for i := range g.Nodes {
		newest(g.Nodes[i].Metadata.CreationTimestamp)
		for _, c := range g.Nodes[i].Status.Conditions {
			newest(c.LastTransitionTime)
		}
	}
	for i := range g.Pods {
		newest(g.Pods[i].Metadata.CreationTimestamp)
	}
	for i := range g.Events {
		newest(g.Events[i].at())
	}
	g.out.AsOf = g.out.AsOf.UTC().Truncate(time.Second)
}

// fact notes a fact, with where it comes from in the document.
func (g *gatherer) fact(fact, value, how string, count int, times *Sampled) {
	g.out.Facts = append(g.out.Facts, FactSeen{fact, value, how, count, times})
	m := document.Measured{Fact: fact, Value: value, At: units.Instant{Time: g.out.AsOf}, How: how, Count: count}
	if times != nil {
		m.Low, m.High = seconds(times.MedianLow), seconds(times.MedianHigh)
	}
	g.out.spec.Measured = append(g.out.spec.Measured, m)
}

func seconds(s float64) string { return roundTime(s).String() }

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
func (g *gatherer) nodeTypes() {
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
	for _, t := range g.types {
		g.nodeType(&t)
	}
}

// nodeType writes the size of nodes: of what varies the least, which is what pods find.
func (g *gatherer) nodeType(t *typeSeen) {
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
	price, known := g.o.Prices[t.name]
	if !known {
		price = "0"
		g.out.Lacks = append(g.out.Lacks,
			fmt.Sprintf("what a node of %s costs: 0 stands there, and bills are without it; say --price %s=0.38", t.name, t.name))
	}
	p, err := units.ParsePrice(price + "/h")
	if err == nil {
		d.Price = p
	}
	if s, ok := g.o.Spot[t.name]; ok {
		if p, err := units.ParsePrice(s + "/h"); err == nil {
			d.SpotPrice = &p
		}
	}
	g.out.spec.NodeTypes = append(g.out.spec.NodeTypes, d)
	how := fmt.Sprintf("capacity and allocatable of %s", counted(len(t.nodes), "node", "nodes"))
	g.fact("nodeTypes."+t.name, fmt.Sprintf("%s CPU, %s, of which %s and %s are reserved", d.CPU, d.Memory.Short(), d.Reserved.CPU,
		d.Reserved.Memory.Short()), how, len(t.nodes), nil)
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
			fmt.Sprintf("how many nodes %s may have: %d stands there, as many as there are now; say --max %s=40", p.name,
				len(p.nodes), p.name))
	}
	g.out.spec.Pools = append(g.out.spec.Pools, d)
	g.fact("pools."+p.name, fmt.Sprintf("%s of %s", counted(len(p.nodes), "node", "nodes"), d.NodeType),
		"labels and taints that all of them have",
		len(p.nodes), nil)
}

// write writes the document, with a note at what nobody measured.
func (g *gatherer) write() error {
	raw, err := json.Marshal(document.Cluster{
		APIVersion: "tachyphor/v1", Kind: document.KindCluster, Metadata: document.Meta{Name: g.o.Name}, Spec: g.out.spec,
	})
	if err != nil {
		return err
	}
	var doc yaml.Node
	if err := yaml.Unmarshal(raw, &doc); err != nil {
		return err
	}
	root := doc.Content[0]
	restyle(root)
	root.HeadComment = fmt.Sprintf("Learned from the records of a cluster as of %s. What they do not tell:\n- %s",
		g.out.AsOf.Format(time.RFC3339),
		strings.Join(g.out.Lacks, "\n- "))
	spec := child(root, "spec")
	for _, list := range []string{"nodeTypes", "pools", "images", "daemonSets", "claims", "measured"} {
		if n := child(spec, list); n != nil {
			for _, x := range n.Content {
				x.Style = yaml.FlowStyle
			}
		}
	}
	for _, name := range []string{"links", "agents", "volumes", "priorityClasses"} {
		if n := child(spec, name); n != nil {
			n.Style = yaml.FlowStyle
		}
	}
	var b strings.Builder
	e := yaml.NewEncoder(&b)
	e.SetIndent(2)
	if err := e.Encode(&doc); err != nil {
		return err
	}
	g.out.Cluster = b.String()
	if _, faults := document.Parse("cluster", []byte(g.out.Cluster)); len(faults) > 0 {
		return fmt.Errorf("what was learned is no cluster: %w", faults)
	}
	return nil
}
