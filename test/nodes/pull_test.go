//go:build linux

package nodes

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"tachyphor/core/sim"
	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// A puller is a pod that comes to a node some seconds after the first, with an image of so many
// megabytes.
type puller struct {
	image string
	mb    int
	node  int
	after int // seconds
}

// modelledPulls is how long the engine says that each pod waits for its image, at a registry of so many
// megabytes a second.
func modelledPulls(t *testing.T, rate int, list []puller) []time.Duration {
	t.Helper()
	var pools, templates, images, classes, agents, csv strings.Builder
	csv.WriteString("id,submitted,class,work\n")
	there := map[string]bool{}
	for i, p := range list {
		if name := fmt.Sprint("node", p.node); !there[name] {
			there[name] = true
			fmt.Fprintf(&pools, "    - {name: %s, nodeType: n, min: 1, max: 1, pulls: 3, labels: {on: %s}}\n", name, name)
		}
		if !there[p.image] {
			there[p.image] = true
			fmt.Fprintf(&images, "    - {name: %q, size: %dMB}\n", p.image, p.mb)
		}
		fmt.Fprintf(&templates, "---\napiVersion: v1\nkind: PodTemplate\nmetadata: {name: t%d, annotations: {tachyphor/offers: w%d}}\n"+
			"template: {spec: {nodeSelector: {on: node%d}, containers: [{name: agent, image: %q, resources: {requests: {cpu: 100m}}}]}}\n", i, i, p.node, p.image)
		fmt.Fprintf(&classes, "    - {name: k%d, wants: [w%d], work: {fixed: 1s}}\n", i, i)
		fmt.Fprintf(&agents, "    - {template: t%d, agents: {every: 0s}}\n", i)
		fmt.Fprintf(&csv, "j%d,2026-09-14T01:00:%02dZ,k%d,1\n", i, p.after, i)
	}
	cluster := fmt.Sprintf("  nodeTypes: [{name: n, cpu: 8, memory: 16Gi, pods: 110, price: 1/h}]\n  pools:\n%s  images:\n%s  links: {registry: {down: %dMB/s}}\n",
		pools.String(), images.String(), rate)
	return modelled(t, cluster, classes.String(), agents.String(), templates.String(), csv.String(), len(list), sim.Pulling, sim.PullJoined)
}

// Images take as long on real nodes as the engine says: alone, beside others on a node, beside other
// nodes, and where two pods wait for the same pull.
func TestPullsShareTheRegistry(t *testing.T) {
	r, _ := settled(t, 3)
	ctx := context.Background()
	const rate = 10 // MB a second
	pods := r.Client.CoreV1().Pods(ways.Namespace)
	n := 0
	for _, c := range []struct {
		name string
		list []puller
	}{
		{"alone", []puller{{"a", 60, 1, 0}}},
		{"two on a node", []puller{{"b", 60, 1, 0}, {"c", 61, 1, 0}}},
		{"two nodes", []puller{{"d", 60, 1, 0}, {"d", 60, 2, 0}}},
		{"three nodes, one later", []puller{{"e", 60, 1, 0}, {"f", 30, 2, 0}, {"g", 62, 3, 5}}},
		{"two pods for one pull", []puller{{"h", 60, 1, 0}, {"h", 60, 1, 2}}},
	} {
		want := modelledPulls(t, rate, c.list)
		r.Rate(t, 0)
		for _, p := range c.list {
			r.Push(t, "pulls/"+p.image+":1", p.mb, 1)
		}
		r.Rate(t, rate*1_000_000)
		began := time.Now()
		first := n
		for _, p := range c.list {
			x := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprint("pull-", n)}}
			n++
			x.Spec.RestartPolicy, x.Spec.NodeName = corev1.RestartPolicyNever, nameOf(p.node)
			x.Spec.Containers = []corev1.Container{{Name: "agent", Image: "images.brinewell.example/pulls/" + p.image + ":1", Command: []string{"true"}}}
			time.Sleep(time.Until(began.Add(time.Duration(p.after) * time.Second)))
			if _, err := pods.Create(ctx, x, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
		}
		for i, p := range c.list {
			pod := fmt.Sprint("pull-", first+i)
			var took time.Duration
			eventually(t, c.name+": the pull's end", 2*time.Minute, func() bool {
				list, err := r.Client.CoreV1().Events(ways.Namespace).List(ctx, metav1.ListOptions{FieldSelector: "reason=Pulled,involvedObject.name=" + pod})
				if err != nil || len(list.Items) == 0 {
					return false
				}
				_, said, _ := strings.Cut(list.Items[0].Message, "(")
				said, _, ok := strings.Cut(said, " including waiting")
				if took, err = time.ParseDuration(said); !ok || err != nil {
					t.Fatalf("%v: %s", err, list.Items[0].Message)
				}
				return true
			})
			off := took.Seconds()/want[i].Seconds() - 1
			t.Logf("%s: %+v took %v, the engine says %v: %+.0f %%", c.name, p, took, want[i].Round(hundredth), 100*off)
			if off < -0.15 || took > want[i]+time.Duration(0.2*float64(want[i]))+2*time.Second {
				t.Errorf("%s: %+v took %v, and the engine says %v", c.name, p, took, want[i])
			}
			grace := int64(0)
			if err := pods.Delete(ctx, pod, metav1.DeleteOptions{GracePeriodSeconds: &grace}); err != nil {
				t.Error(err)
			}
		}
	}
	r.Rate(t, 0)
}
