package clusters

import (
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/learn"

	"sigs.k8s.io/yaml"
)

func learned(t *testing.T, data []byte, o learn.ClusterOptions) *learn.LearnedCluster {
	t.Helper()
	r, err := learn.ReadRecords([]learn.File{{Name: "records", Data: data}})
	if err != nil {
		t.Fatal(err)
	}
	got, err := learn.Cluster(r, o)
	if err != nil {
		t.Fatal(err)
	}
	return got
}

// prices are of all types that are made.
var prices = learn.PriceList{Prices: map[string]string{"cores-4": "0.19", "cores-8": "0.38", "cores-16": "0.74"}}

func specOf(t *testing.T, text string) *document.ClusterSpec {
	t.Helper()
	docs, faults := document.Parse("c", []byte(text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return &docs[0].Value.(*document.Cluster).Spec
}

// Records of a cluster whose facts are known give them back, within the bounds that are
// told, in at least 95 of 100 clusters.
func TestFactsComeBack(t *testing.T) {
	clusters := 40
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		clusters = 100
	}
	wrong := 0
	for seed := range uint64(clusters) {
		truth, data := Make(seed)
		got := learned(t, data, learn.ClusterOptions{List: prices})
		if faults := off(t, truth, got); len(faults) > 0 {
			wrong++
			t.Logf("cluster %d: %s", seed, strings.Join(faults, "; "))
		}
	}
	if wrong > clusters/20 {
		t.Errorf("%d of %d clusters do not come back", wrong, clusters)
	}
}

// off tells what of a cluster is not as it was.
func off(t *testing.T, truth Truth, got *learn.LearnedCluster) (faults []string) {
	t.Helper()
	spec := specOf(t, got.Cluster)
	facts := map[string]*learn.FactSeen{}
	for i := range got.Facts {
		facts[got.Facts[i].Fact] = &got.Facts[i]
	}
	inside := func(fact string, x float64) {
		f := facts[fact]
		if f == nil || f.Times == nil {
			faults = append(faults, fact+" is not told")
		} else if x < f.Times.MedianLow || x > f.Times.MedianHigh {
			faults = append(faults, fmt.Sprintf("%s is %.4g, told as %.4g to %.4g of %d", fact, x, f.Times.MedianLow, f.Times.MedianHigh, f.Count))
		}
	}
	if len(spec.Pools) != len(truth.Pools) {
		return []string{fmt.Sprintf("%d pools", len(spec.Pools))}
	}
	for i, p := range truth.Pools {
		d := spec.Pools[0]
		for _, x := range spec.Pools {
			if x.Name == p.Name {
				d = x
			}
		}
		if d.Name != p.Name || d.NodeType != p.Type || d.Max != p.Nodes || d.Labels["tier"] != p.Name ||
			d.Labels["kubernetes.io/hostname"] != "" ||
			(len(d.Taints) == 1) != p.Tainted {
			faults = append(faults, fmt.Sprintf("pool %d is %+v", i, d))
		}
		inside("pools."+p.Name+".boot", p.Boot)
		for _, n := range spec.NodeTypes {
			if n.Name != p.Type {
				continue
			}
			if n.CPU.Cores() != float64(p.CPU) || int64(n.Memory) > p.Memory || int64(n.Memory) < p.Memory-8<<10 || n.Reserved.CPU != 250 ||
				int64(n.Reserved.Memory) < 1600<<20-8<<10 || int64(n.Reserved.Memory) > 1600<<20 || n.Price.String() == "0/h" {
				faults = append(faults, fmt.Sprintf("node type %+v", n))
			}
		}
	}
	inside("agents.start", truth.Start)
	inside("volumes.attach", truth.Attach)
	if rate := float64(spec.Links.Registry.PerFlow); rate < 0.95*truth.Rate || rate > 1.05*truth.Rate {
		faults = append(faults, fmt.Sprintf("a pull gets %.4g, told as %.4g", truth.Rate, rate))
	}
	if len(spec.Images) != 1 || spec.Images[0].Name != Image || float64(spec.Images[0].Size) < 0.999*ImageSize ||
		float64(spec.Images[0].Size) > 1.001*ImageSize {
		faults = append(faults, fmt.Sprintf("images %+v", spec.Images))
	}
	if len(spec.DaemonSets) != 1 || spec.DaemonSets[0].CPU != 50 || spec.DaemonSets[0].Pools != nil {
		faults = append(faults, fmt.Sprintf("DaemonSets %+v", spec.DaemonSets))
	}
	if len(spec.Claims) != 1 || spec.PriorityClasses["builds"] != 100 {
		faults = append(faults, fmt.Sprintf("%+v %+v", spec.Claims, spec.PriorityClasses))
	}
	return faults
}

// What bounds the pods of a namespace is told as a scenario has it, the tightest of what counts
// all of them; what no scenario can say is said.
func TestNamespaces(t *testing.T) {
	_, data := Make(5)
	got := learned(t, data, learn.ClusterOptions{})
	if len(got.Namespaces) != 1 || got.Namespaces[0].Name != "slipway" || got.Namespaces[0].Quota.String() != "{pods: 54, cpu: 120, memory: 512Gi}" {
		t.Fatalf("%+v", got.Namespaces)
	}
	says := strings.Join(got.Namespaces[0].Says, "\n")
	for _, want := range []string{
		"quota: {pods: 54, cpu: 120, memory: 512Gi} in a scenario", "bounds limits.memory 1Ti as well",
		"counts only some pods (BestEffort)", "a container requests 500m cpu and 256Mi memory where it says nothing, is refused above 24Gi memory",
	} {
		if !strings.Contains(says, want) || !strings.Contains(got.Cluster, want) {
			t.Errorf("nothing says %q:\n%s", want, says)
		}
	}
}

// Volumes that may be used in one zone only make the cluster's zonal where each pool has its
// zone; elsewhere it is said what is wanting.
func TestZonal(t *testing.T) {
	_, data := Make(5)
	got := learned(t, data, learn.ClusterOptions{})
	if specOf(t, got.Cluster).Volumes.Zonal || !strings.Contains(strings.Join(got.Lacks, "\n"), "1 volume (class ledge) may be used only in the zone") {
		t.Errorf("%q", got.Lacks)
	}
	class := `{"kind":"StorageClass","metadata":{"name":"ledge"},"allowedTopologies":[{"matchLabelExpressions":[{"key":"topology.kubernetes.io/zone","values":["a"]}]}]}`
	if more := learned(t, append(bytes.Clone(data), class...), learn.ClusterOptions{}); !strings.Contains(strings.Join(more.Lacks, "\n"), "(class ledge) may be used only") {
		t.Errorf("%q", more.Lacks)
	}
	in := bytes.ReplaceAll(data, []byte(`"kubernetes.io/arch":"amd64"`), []byte(`"kubernetes.io/arch":"amd64","topology.kubernetes.io/zone":"brinewell-north-a"`))
	if bytes.Equal(in, data) {
		t.Fatal("no labels to change")
	}
	got = learned(t, in, learn.ClusterOptions{})
	if spec := specOf(t, got.Cluster); !spec.Volumes.Zonal || spec.Volumes.Attach.IsZero() {
		t.Errorf("%+v, %q", spec.Volumes, got.Lacks)
	}
	const bare = `apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: bare}
spec:
  nodeTypes: [{name: other, cpu: 4, memory: 16Gi, price: 0.19/h}]
  pools: [{name: other, nodeType: other, max: 3, labels: {topology.kubernetes.io/zone: brinewell-north-b}}]
`
	edits, _ := got.Onto(specOf(t, bare), false)
	text, err := document.Apply(bare, edits)
	if err != nil {
		t.Fatal(err)
	}
	if spec := specOf(t, text); !spec.Volumes.Zonal || spec.Volumes.Attach.IsZero() || spec.Links.Registry.PerFlow == 0 {
		t.Errorf("%+v", spec)
	}
}

// The same records give the same cluster as a list, as lines, as YAML and in parts.
func TestForms(t *testing.T) {
	_, data := Make(3)
	want := learned(t, bytes.Clone(data), learn.ClusterOptions{}).Cluster
	y, err := yaml.JSONToYAML(data)
	if err != nil {
		t.Fatal(err)
	}
	if got := learned(t, y, learn.ClusterOptions{}).Cluster; got != want {
		t.Error("YAML gives another cluster")
	}
	for name, text := range map[string]string{
		"nothing": "", "no objects": "a: b\n", "no nodes": `{"kind":"List","items":[{"kind":"Pod","metadata":{"name":"x"}}]}`,
		"cut short":        string(data[:len(data)/2]),
		"a number as name": `{"kind":"Node","metadata":{"name":5}}`, "YAML that is none": "kind: [",
	} {
		r, err := learn.ReadRecords([]learn.File{{Name: "f", Data: []byte(text)}})
		if err == nil {
			_, err = learn.Cluster(r, learn.ClusterOptions{})
		}
		if err == nil {
			t.Errorf("%s is taken", name)
		}
	}
}

// A price or a number of nodes that is told of what is not there is a mistake, as is a price
// that is none; a list may have more than there is.
func TestToldOfWhatIsNotThere(t *testing.T) {
	_, data := Make(3)
	r, err := learn.ReadRecords([]learn.File{{Name: "records", Data: data}})
	if err != nil {
		t.Fatal(err)
	}
	got, err := learn.Cluster(r, learn.ClusterOptions{
		List: learn.PriceList{Prices: map[string]string{"cores-4": "0.19", "cores-8": "0.38", "cores-16": "0.74", "cores-9000": "100"}},
	})
	if err != nil {
		t.Fatal(err)
	}
	if got.PassedOver["ConfigMap"] != 1 || len(got.PassedOver) != 1 {
		t.Errorf("passed over: %v", got.PassedOver)
	}
	spec := specOf(t, got.Cluster)
	one := func(name, value string) map[string]string { return map[string]string{name: value} }
	for says, o := range map[string]learn.ClusterOptions{
		"--price cores-9000: no node is of that type; the types are cores-":      {Prices: one("cores-9000", "1")},
		"--spot-price cores-9000: no node is of that type; the types are cores-": {Spot: one("cores-9000", "1")},
		"--max brust: there is no such pool; the pools are ":                     {Most: map[string]int{"brust": 3}},
		"\"much\" is not a price for ":                                           {Prices: one(spec.NodeTypes[0].Name, "much")},
		"\"-1\" is not a price for ":                                             {List: learn.PriceList{Spot: one(spec.NodeTypes[0].Name, "-1")}},
	} {
		if _, err := learn.Cluster(r, o); err == nil || !strings.Contains(err.Error(), says) {
			t.Errorf("%v where it should say %q", err, says)
		}
	}
}

// What somebody wrote by hand stays unless it is told otherwise; what was measured before is
// measured anew; and what was changed is a Cluster again.
func TestOnto(t *testing.T) {
	_, data := Make(7)
	o := learn.ClusterOptions{List: prices}
	got := learned(t, data, o)
	name := specOf(t, got.Cluster).Pools[0].Name
	byHand, err := document.Apply(got.Cluster, []document.Edit{
		{Op: "replace", Path: "/spec/pools/0/boot", Value: "77s"},
		{Op: "replace", Path: "/spec/agents/start", Value: "9s"},
		{Op: "remove", Path: "/spec/images"},
		{Op: "remove", Path: "/spec/daemonSets"},
	})
	if err != nil {
		t.Fatal(err)
	}
	spec := specOf(t, byHand)
	for i, m := range spec.Measured {
		if m.Fact == "pools."+name+".boot" {
			spec.Measured[i].Fact = "something else"
		}
	}
	edits, changes := got.Onto(spec, false)
	taken := map[string]bool{}
	for _, c := range changes {
		taken[c.Fact] = c.Taken
		if c.ByHand == c.Taken {
			t.Errorf("%+v", c)
		}
	}
	if boot, told := taken["pools."+name+".boot"]; boot || !told || !taken["agents.start"] || !taken["images."+Image] {
		t.Errorf("%+v", changes)
	}
	text, err := document.Apply(byHand, edits)
	if err != nil {
		t.Fatal(err)
	}
	if now := specOf(t, text); now.Pools[0].Boot.Fixed == nil || now.Agents.Start.Fixed != nil || len(now.Images) != 1 {
		t.Errorf("%+v", now)
	}
	if edits, _ = got.Onto(spec, true); len(edits) == 0 {
		t.Fatal("nothing to change")
	}
	text, err = document.Apply(byHand, edits)
	if err != nil {
		t.Fatal(err)
	}
	if now := specOf(t, text); now.Pools[0].Boot.Fixed != nil {
		t.Errorf("%+v", now.Pools[0])
	}
	if edits, changes := got.Onto(specOf(t, got.Cluster), false); len(edits) > 0 {
		t.Errorf("%+v", changes)
	}
}
