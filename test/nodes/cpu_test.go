//go:build linux

package nodes

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/core/sim"
	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// A burner is an agent that works on some cores until each has had so much time.
type burner struct {
	request, limit string // of CPU; empty: none
	cores          int
	work           time.Duration
}

// modelledCPU is how long the engine says that each of burners takes who begin together on one node of so
// many cores.
func modelledCPU(t *testing.T, node int64, list []burner) []time.Duration {
	t.Helper()
	var templates, classes, agents, csv strings.Builder
	csv.WriteString("id,submitted,class,work,cores\n")
	for i, b := range list {
		resources := ""
		if b.request != "" {
			resources = fmt.Sprintf("requests: {cpu: %q}", b.request)
		}
		if b.limit != "" {
			resources += fmt.Sprintf(", limits: {cpu: %q}", b.limit)
		}
		fmt.Fprintf(&templates, "---\napiVersion: v1\nkind: PodTemplate\nmetadata: {name: t%d, annotations: {tachyphor/offers: w%d}}\n"+
			"template: {spec: {containers: [{name: agent, image: i, resources: {%s}}]}}\n", i, i, strings.TrimPrefix(resources, ", "))
		fmt.Fprintf(&classes, "    - {name: k%d, wants: [w%d], work: {fixed: 1s}, parallel: 1}\n", i, i)
		fmt.Fprintf(&agents, "    - {template: t%d, agents: {floor: 1, ceiling: 1, linger: 10h}}\n", i)
		fmt.Fprintf(&csv, "j%d,2026-09-14T01:00:00Z,k%d,%g,%d\n", i, i, b.work.Seconds(), b.cores)
	}
	cluster := fmt.Sprintf("  nodeTypes: [{name: n, cpu: %d, memory: 16Gi, pods: 110, price: 1/h}]\n"+
		"  pools: [{name: p, nodeType: n, min: 1, max: 1}]\n  images: [{name: i, size: 1MB}]\n", node)
	return modelled(t, cluster, classes.String(), agents.String(), templates.String(), csv.String(), len(list), sim.Working, sim.Stretched)
}

// Agents that share a node's cores take as long as the engine says: by requests, up to limits, what one
// leaves going to the others.
func TestSharedCPU(t *testing.T) {
	r, _ := settled(t, 1)
	r.Push(t, "tests/burn:1", 0, 0, "/burn="+filepath.Join(r.bin, "burn"))
	ctx := context.Background()
	real, err := r.Client.CoreV1().Nodes().Get(ctx, nameOf(1), metav1.GetOptions{})
	if err != nil {
		t.Fatal(err)
	}
	cores := real.Status.Allocatable.Cpu().Value()
	all := int(cores)
	for name, list := range map[string][]burner{
		"alone":                    {{"250m", "", 1, 5 * time.Second}},
		"under a limit":            {{"100m", "500m", 1, 3 * time.Second}},
		"one to three":             {{"250m", "", all, 3 * time.Second}, {"750m", "", all, 9 * time.Second}},
		"who wants less":           {{"100m", "", all, 4 * time.Second}, {"400m", "", all, 8 * time.Second}, {"500m", "500m", 1, 3 * time.Second}},
		"alike, and then only one": {{"500m", "", all, 3 * time.Second}, {"500m", "", all, 9 * time.Second}},
		"without a request":        {{"", "", all, time.Second}, {"500m", "", all, 6 * time.Second}},
	} {
		off := r.share(t, name, cores, list)
		if len(off) > 0 { // whatever else the machine did then
			t.Logf("%s: once more, since %s", name, strings.Join(off, "; "))
			off = r.share(t, name, cores, list)
		}
		if len(off) > 0 {
			t.Errorf("%s: twice, last %s", name, strings.Join(off, "; "))
		}
	}
}

// share runs burners beside each other and says which took another time than the engine says.
func (r *rack) share(t *testing.T, name string, cores int64, list []burner) (wrong []string) {
	t.Helper()
	ctx := context.Background()
	want := modelledCPU(t, cores, list)
	pods := r.Client.CoreV1().Pods(ways.Namespace)
	at := time.Now().Add(5 * time.Second).UnixMilli()
	before := processors(t)
	for i, b := range list {
		p := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprint("burn-", i)}}
		p.Spec.RestartPolicy = corev1.RestartPolicyNever
		c := corev1.Container{
			Name: "agent", Image: "images.brinewell.example/tests/burn:1",
			Args: []string{fmt.Sprint("-cores=", b.cores), "-work=" + b.work.String(), fmt.Sprint("-at=", at)},
		}
		c.Resources.Requests, c.Resources.Limits = corev1.ResourceList{}, corev1.ResourceList{}
		if b.request != "" {
			c.Resources.Requests["cpu"] = resource.MustParse(b.request)
		}
		if b.limit != "" {
			c.Resources.Limits["cpu"] = resource.MustParse(b.limit)
		}
		p.Spec.Containers = []corev1.Container{c}
		if _, err := pods.Create(ctx, p, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
	}
	for i := range list {
		pod := fmt.Sprint("burn-", i)
		eventually(t, name+": the work's end", 2*time.Minute, func() bool {
			p, err := pods.Get(ctx, pod, metav1.GetOptions{})
			return err == nil && p.Status.Phase == corev1.PodSucceeded
		})
		log, err := pods.GetLogs(pod, &corev1.PodLogOptions{}).DoRaw(ctx)
		var ms int64
		if err == nil {
			_, err = fmt.Sscanf(string(log), "took %d ms", &ms)
		}
		if err != nil {
			t.Fatalf("%v: %s", err, log)
		}
		took := time.Duration(ms) * time.Millisecond
		held := processors(t).heldSince(before)
		off := took.Seconds()/want[i].Seconds() - 1
		t.Logf("%s: %+v took %v, the engine says %v: %+.0f %%; others held the processors for %.0f %% of it", name, list[i], took,
			want[i].Round(hundredth), 100*off, 100*held)
		if off < -0.06 || (1+off)*(1-held) > 1.2 { // the control plane's own work is beside it
			wrong = append(wrong, fmt.Sprintf("%+v took %v, and the engine says %v", list[i], took, want[i]))
		}
		grace := int64(0)
		if err := pods.Delete(ctx, pod, metav1.DeleteOptions{GracePeriodSeconds: &grace}); err != nil {
			t.Error(err)
		}
	}
	eventually(t, name+": room", 30*time.Second, func() bool {
		list, err := pods.List(ctx, metav1.ListOptions{})
		return err == nil && len(list.Items) == 0
	})
	return wrong
}

// processorTimes are how long this machine's processors worked, and stood still though they had work
// because other machines had them, as they have where it is not a machine of its own.
type processorTimes struct{ worked, held float64 }

func processors(t *testing.T) (p processorTimes) {
	t.Helper()
	b, err := os.ReadFile("/proc/stat")
	if err != nil {
		t.Fatal(err)
	}
	var user, nice, system, idle, wait, irq, soft, steal float64
	if _, err := fmt.Sscanf(string(b), "cpu %f %f %f %f %f %f %f %f", &user, &nice, &system, &idle, &wait, &irq, &soft, &steal); err != nil {
		t.Fatal(err)
	}
	return processorTimes{user + nice + system + irq + soft, steal}
}

func (p processorTimes) heldSince(q processorTimes) float64 {
	held, worked := p.held-q.held, p.worked-q.worked
	return held / max(1, held+worked)
}

const hundredth = 10 * time.Millisecond
