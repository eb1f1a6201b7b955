package learn

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"

	"tachyphor/core/document"
)

// A Change is a fact of a cluster that records tell otherwise.
type Change struct {
	Fact   string `json:"fact" doc:"The fact."`
	Was    string `json:"was,omitempty" doc:"What the document says; absent: nothing."`
	Is     string `json:"is" doc:"What the records tell."`
	ByHand bool   `json:"byHand,omitempty" doc:"Somebody wrote what the document says, or no record of its origin is there."`
	Taken  bool   `json:"taken" doc:"It is among the edits."`
}

// Onto makes the facts that were learned edits of a cluster that is there. What somebody set
// by hand (what no measured: speaks of) is left, unless all is to be taken; so are prices and
// limits, which no record tells.
func (out *LearnedCluster) Onto(c *document.ClusterSpec, all bool) (edits []document.Edit, changes []Change) {
	measured := c.Measured
	set := func(fact, path string, was, is any) {
		learned := slices.IndexFunc(out.spec.Measured, func(m document.Measured) bool { return m.Fact == fact })
		if learned < 0 || reflect.DeepEqual(was, is) {
			return
		}
		change := Change{Fact: fact, Is: asText(is)}
		if !reflect.ValueOf(was).IsZero() {
			change.Was = asText(was)
			change.ByHand = !slices.ContainsFunc(c.Measured, func(m document.Measured) bool { return m.Fact == fact })
		}
		if change.Taken = !change.ByHand || all; change.Taken {
			edits = append(edits, document.Edit{Op: "add", Path: path, Value: document.Plain(is)})
			measured = document.Remeasured(measured, out.spec.Measured[learned])
		}
		changes = append(changes, change)
	}
	for _, n := range out.spec.NodeTypes {
		i := slices.IndexFunc(c.NodeTypes, func(x document.NodeType) bool { return x.Name == n.Name })
		if i < 0 {
			set("nodeTypes."+n.Name, "/spec/nodeTypes/-", document.NodeType{}, n)
			continue
		}
		is := c.NodeTypes[i] // prices and what else no record tells stay
		is.CPU, is.Memory, is.Disk, is.Pods, is.Reserved, is.Extended = n.CPU, n.Memory, n.Disk, n.Pods, n.Reserved, n.Extended
		is.Reserved.Pods = c.NodeTypes[i].Reserved.Pods
		set("nodeTypes."+n.Name, fmt.Sprintf("/spec/nodeTypes/%d", i), c.NodeTypes[i], is)
	}
	for _, p := range out.spec.Pools {
		i := slices.IndexFunc(c.Pools, func(x document.Pool) bool { return x.Name == p.Name })
		if i < 0 {
			set("pools."+p.Name, "/spec/pools/-", document.Pool{}, p)
			continue
		}
		set("pools."+p.Name+".boot", fmt.Sprintf("/spec/pools/%d/boot", i), c.Pools[i].Boot, p.Boot)
		if !p.NotReady.IsZero() {
			set("pools."+p.Name+".notReady", fmt.Sprintf("/spec/pools/%d/notReady", i), c.Pools[i].NotReady, p.NotReady)
		}
	}
	for n, x := range out.spec.Images {
		i := slices.IndexFunc(c.Images, func(y document.Image) bool { return y.Name == x.Name })
		switch {
		case i < 0 && len(c.Images) == 0 && n == 0: // the list itself comes with the first
			set("images."+x.Name, "/spec/images", []document.Image(nil), []document.Image{x})
		case i < 0:
			set("images."+x.Name, "/spec/images/-", document.Image{}, x)
		case len(c.Images[i].Layers) == 0:
			set("images."+x.Name, fmt.Sprintf("/spec/images/%d/size", i), c.Images[i].Size, x.Size)
		}
	}
	for _, d := range out.spec.DaemonSets {
		i := slices.IndexFunc(c.DaemonSets, func(y document.DaemonSet) bool { return y.Name == d.Name })
		if i >= 0 {
			d.Image = c.DaemonSets[i].Image
			set("daemonSets."+d.Name, fmt.Sprintf("/spec/daemonSets/%d", i), c.DaemonSets[i], d)
		}
	}
	if r := out.spec.Links.Registry; r.PerFlow > 0 {
		set("links.registry.perFlow", "/spec/links/registry/perFlow", c.Links.Registry.PerFlow, r.PerFlow)
		if r.Down > 0 {
			set("links.registry.down", "/spec/links/registry/down", c.Links.Registry.Down, r.Down)
		}
	}
	if !out.spec.Agents.Start.IsZero() {
		set("agents.start", "/spec/agents/start", c.Agents.Start, out.spec.Agents.Start)
	}
	if !out.spec.Volumes.Attach.IsZero() {
		set("volumes.attach", "/spec/volumes/attach", c.Volumes.Attach, out.spec.Volumes.Attach)
	}
	if out.spec.Volumes.Zonal {
		set("volumes.zonal", "/spec/volumes/zonal", c.Volumes.Zonal, true)
	}
	if len(edits) > 0 {
		edits = append(edits, document.Edit{Op: "add", Path: "/spec/measured", Value: document.Plain(measured)})
	}
	return edits, changes
}

// asText writes a value in a line.
func asText(v any) string {
	if t, ok := v.(document.Times); ok {
		return says(t)
	}
	if s, ok := v.(fmt.Stringer); ok {
		return s.String()
	}
	b, err := json.Marshal(document.Plain(v))
	if err != nil {
		return ""
	}
	return strings.ReplaceAll(strings.Trim(string(b), "{}"), `"`, "")
}
