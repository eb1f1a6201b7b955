package sim

import (
	"compress/gzip"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"

	corev1 "k8s.io/api/core/v1"
)

// recording is what test/oracle wrote: the judgement of the real scheduler's own
// plugins on generated clusters, pod by pod.
type recording struct {
	Version  string
	Clusters []struct {
		Images map[string]int64
		Nodes  []struct {
			Name              string
			CPU, Memory, Pods int64
			Disk              int64
			Extended          map[string]int64
			Labels            map[string]string
			Taints            []corev1.Taint
			Images            []string
		}
		Shapes []struct {
			Labels map[string]string
			Spec   corev1.PodSpec
		}
		Steps []struct {
			Shape   int
			Best    []string
			Refusal string
		}
	}
}

// Given the same history, our node is among those that the real scheduler scores
// best, and a refusal has the same reasons and counts.
func TestOracleRealScheduler(t *testing.T) {
	f, err := os.Open("testdata/scheduler.json.gz")
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = f.Close() }()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	var rec recording
	if err := json.NewDecoder(z).Decode(&rec); err != nil {
		t.Fatal(err)
	}
	pods, refused, chosen := 0, 0, 0
	said := map[string]int{}
	for n := range rec.Clusters {
		c := &rec.Clusters[n]
		e, name := build(rec, n)
		for i, step := range c.Steps {
			pods++
			e.agents = append(e.agents, agent{template: int32(step.Shape), node: -1, waitNode: -1, verdict: -1})
			a := int32(len(e.agents) - 1)
			if !e.tryPlace(a) {
				refused++
				for _, reason := range strings.Split(strings.TrimSuffix(strings.SplitN(step.Refusal, ": ", 2)[1], "."), ", ") {
					said[strings.SplitN(reason, " ", 2)[1]]++
				}
				if got := e.trace.Verdicts[e.agents[a].verdict].Words(e.w.Extended); got != step.Refusal {
					t.Errorf("cluster %d, pod %d: %q, the scheduler says %q", n, i, got, step.Refusal)
				}
				continue
			}
			got := name[e.agents[a].node]
			if !slices.Contains(step.Best, got) {
				t.Errorf("cluster %d, pod %d: placed on %s, the scheduler's best are %v %s", n, i, got, step.Best, step.Refusal)
				break // the histories differ from here on
			}
			if len(c.Nodes) > 1 {
				chosen++
			}
		}
	}
	if len(said) != 14 {
		t.Errorf("reasons that occur: %v", said)
	}
	for reason, n := range said {
		if n < 50 {
			t.Errorf("only %d pods are refused because %s", n, reason)
		}
	}
	t.Logf("%s: %d clusters, %d pods, %d refused", rec.Version, len(rec.Clusters), pods, refused)
	if len(rec.Clusters) < 500 || pods < 20_000 || refused < 1000 || chosen < 5000 {
		t.Errorf("the recording says too little: %d clusters, %d pods, %d refused", len(rec.Clusters), pods, refused)
	}
}

// build makes an engine with a recorded cluster: each node is a pool of its own.
func build(rec recording, n int) (*engine, map[int32]string) {
	c := &rec.Clusters[n]
	w := &world.World{Placement: document.Spread, Plan: document.RunPlan{Span: units.Hour, Repeats: 1}}
	w.Extended = []string{"brinewell.example/arm-board", "brinewell.example/sonar-card"}
	at := map[string]int32{}
	for image, size := range c.Images {
		at[image] = int32(len(w.Images))
		w.Images = append(w.Images, document.Image{Name: image, Size: units.Bytes(size)})
	}
	for _, node := range c.Nodes {
		room := fleet.Room{Request: template.Request{
			CPU: units.MilliCPU(node.CPU), Memory: units.Bytes(node.Memory),
			Disk: units.Bytes(node.Disk),
		}, Pods: int(node.Pods)}
		for i, name := range w.Extended {
			room.Extended[i] = node.Extended[name]
		}
		w.Pools = append(w.Pools, world.Pool{
			Site: fleet.Site{Name: node.Name, Room: room, Labels: node.Labels, Taints: node.Taints}, Min: 1,
			Max: 1,
		})
	}
	for s := range c.Shapes {
		a := template.FromSpec(fmt.Sprint(s), &c.Shapes[s].Spec)
		var wrong []template.WrongRule
		if a.Near, wrong = template.NeighboursOf("slipway", c.Shapes[s].Labels, &c.Shapes[s].Spec); len(wrong) > 0 {
			panic(fmt.Sprint(wrong))
		}
		t := world.Template{Agent: a}
		t.Need(w.Extended)
		for _, image := range a.Images {
			t.ImageAt = append(t.ImageAt, at[image])
		}
		w.Templates = append(w.Templates, t)
	}
	w.Lay()
	e := newEngine(w, chance.Root(1, 0), &demand.Jobs{})
	e.firstNodes()
	name := map[int32]string{}
	for i := range e.nodes {
		node := c.Nodes[e.nodes[i].pool]
		name[int32(i)] = node.Name
		for _, image := range node.Images {
			e.nodes[i].shelf.images[at[image]] = true
			e.place.holding[at[image]]++
		}
	}
	return e, name
}
