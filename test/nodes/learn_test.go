//go:build linux

package nodes

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// What a cluster with real nodes says of itself is learned as it is: the sizes of images, the speed at
// which they come, what nodes have, and how long containers take to start.
func TestLearnFromRealNodes(t *testing.T) {
	r, conn := settled(t, 1)
	ctx := context.Background()
	const count, mb, rate = 8, 25, 10_000_000
	pods := r.Client.CoreV1().Pods(ways.Namespace)
	for i := range count {
		r.Rate(t, 0)
		r.Push(t, fmt.Sprintf("learned/%d:1", i), mb, 2)
		r.Rate(t, rate)
		p := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprint("learned-", i)}}
		p.Spec.RestartPolicy = corev1.RestartPolicyNever
		p.Spec.Containers = []corev1.Container{{
			Name: "agent", Image: fmt.Sprintf("images.brinewell.example/learned/%d:1", i), Command: []string{"sleep", "1"},
			Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{"cpu": resource.MustParse("100m"), "memory": resource.MustParse("32Mi")}},
		}}
		if _, err := pods.Create(ctx, p, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
		eventually(t, p.Name+" to end", time.Minute, func() bool {
			x, err := pods.Get(ctx, p.Name, metav1.GetOptions{})
			return err == nil && x.Status.Phase == corev1.PodSucceeded
		})
	}
	r.Rate(t, 0)
	files, left, err := conn.Records(ctx, func(string, int) {})
	if err != nil || len(left) > 0 {
		t.Fatal(err, left)
	}
	records, err := learn.ReadRecords(files)
	if err != nil {
		t.Fatal(err)
	}
	c, err := learn.Cluster(records, learn.ClusterOptions{Name: "real"})
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("learned.yaml", []byte(c.Cluster))
	if len(faults) > 0 {
		t.Fatalf("%v\n%s", faults, c.Cluster)
	}
	spec := docs[0].Value.(*document.Cluster).Spec
	sizes := 0
	for _, x := range spec.Images {
		if strings.Contains(x.Name, "/learned/") {
			if sizes++; x.Size < 25_000_000 || x.Size > 28_000_000 {
				t.Errorf("%s is %s", x.Name, x.Size)
			}
		}
	}
	if got := float64(spec.Links.Registry.PerFlow); sizes != count || got < 0.8*rate || got > 1.1*rate {
		t.Errorf("%d images of %d; %s at %d bytes a second", sizes, count, spec.Links.Registry.PerFlow, rate)
	}
	node, err := r.Client.CoreV1().Nodes().Get(ctx, nameOf(1), metav1.GetOptions{})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.ContainsFunc(spec.NodeTypes, func(n document.NodeType) bool {
		return int64(n.CPU-n.Reserved.CPU) == node.Status.Allocatable.Cpu().MilliValue() && int64(n.Memory-n.Reserved.Memory) <= node.Status.Allocatable.Memory().Value()
	}) {
		t.Errorf("%+v; the node has %v", spec.NodeTypes, node.Status.Allocatable)
	}
	for _, f := range c.Facts {
		t.Logf("%s: %s (%d, %s)", f.Fact, f.Value, f.Count, f.How)
	}
	for i := range count {
		grace := int64(0)
		_ = pods.Delete(ctx, fmt.Sprint("learned-", i), metav1.DeleteOptions{GracePeriodSeconds: &grace})
	}
}
