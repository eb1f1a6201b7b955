package learn

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"

	"go.yaml.in/yaml/v3"
)

// ClusterOptions say what of a cluster's records is known and need not be guessed.
type ClusterOptions struct {
	Name      string
	Currency  string
	PoolLabel string            // label of nodes that names their pool; empty: guessed
	Prices    map[string]string // of an hour, by node type; each must be there
	Spot      map[string]string // likewise, of spot nodes
	List      PriceList         // of what is not among these; it may have more types
	Most      map[string]int    // most nodes, by pool; each must be there
}

// A PriceList is prices of an hour by node type; those of spot nodes apart.
type PriceList struct{ Prices, Spot map[string]string }

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

	Namespaces []NamespaceSeen `json:"namespaces" doc:"Namespaces that have a quota or a limit range: what a scenario says of them."`
	PassedOver map[string]int  `json:"passedOver" doc:"Objects of kinds that tell nothing here, by kind."`
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
	slices.SortFunc(r.Quotas, func(a, b quotaRecord) int { return strings.Compare(a.Metadata.Name, b.Metadata.Name) })
	slices.SortFunc(r.Limits, func(a, b limitsRecord) int { return strings.Compare(a.Metadata.Name, b.Metadata.Name) })
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
		PassedOver: r.Others,
	}}
	g.out.spec.Currency = o.Currency
	for i := range r.Pods {
		p := &r.Pods[i]
		g.pods[p.Metadata.Namespace+"/"+p.Metadata.Name] = p
	}
	g.asOf()
	if err := g.nodeTypes(); err != nil {
		return nil, err
	}
	if err := g.nodePools(); err != nil {
		return nil, err
	}
	g.daemonSets()
	g.boots()
	g.images()
	g.pulls()
	g.starts()
	g.claims()
	g.volumes()
	g.namespaces()
	g.priorityClasses()
	g.out.Lacks = append(g.out.Lacks,
		"how long an agent takes to reach the controller (agents.join), and to be cleaned and go (agents.wipe): only job "+
			"events or a rehearsal tell", "the rates of a cache store: `tachyphor probe` measures them")
	return g.out, g.write()
}

// Measured are the facts as a Cluster has them.
func (out *LearnedCluster) Measured() []document.Measured { return out.spec.Measured }

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
		for _, x := range times.spread {
			m.Spread = append(m.Spread, roundTime(x))
		}
	}
	g.out.spec.Measured = append(g.out.spec.Measured, m)
}

func seconds(s float64) string { return roundTime(s).String() }

// write writes the document, with a note at what nobody measured.
func (g *gatherer) write() (err error) {
	g.out.Cluster, err = written(document.Cluster{
		APIVersion: "tachyphor/v1", Kind: document.KindCluster, Metadata: document.Meta{Name: g.o.Name}, Spec: g.out.spec,
	}, func(root *yaml.Node) {
		root.HeadComment = fmt.Sprintf("Learned from the records of a cluster as of %s. What they do not tell:\n- %s",
			g.out.AsOf.Format(time.RFC3339), strings.Join(g.out.Lacks, "\n- "))
		for _, n := range g.out.Namespaces {
			root.HeadComment += fmt.Sprintf("\nNamespace %s:\n- %s", n.Name, strings.Join(n.Says, "\n- "))
		}
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
	})
	if err != nil {
		return err
	}
	if _, faults := document.Parse("cluster", []byte(g.out.Cluster)); len(faults) > 0 {
		return fmt.Errorf("what was learned does not make a cluster: %w", faults)
	}
	return nil
}
