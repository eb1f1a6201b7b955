package live

import (
	"context"
	"os"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/kit"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// need is a scenario of demo/needs.
func need(t *testing.T, name string) []*document.Document {
	t.Helper()
	b, err := os.ReadFile("../../demo/needs/" + name + ".yaml")
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse(name, b)
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs
}

// The pods that hold images on nodes are taken under the strictest of the Pod Security Standards, one for each
// node of the pools that are meant and for no other, and not by the agents' quota.
func TestPodsThatHoldImages(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		plan := p.plan(t)
		list, err := kit.Kit(kit.Input{Templates: plan.Templates, Scenario: need(t, "prepulled")[0], Cluster: p.facts})
		if err != nil {
			t.Fatal(err)
		}
		p.apply(t, list)
		if !p.real {
			return // the stand-in has no controllers
		}
		ctx := context.Background()
		for name, tier := range map[string]string{"one": "burst", "two": "burst", "other": "core"} {
			node := &corev1.Node{ObjectMeta: metav1.ObjectMeta{Name: "images-" + name, Labels: map[string]string{"tier": tier}}}
			made, err := p.client.CoreV1().Nodes().Create(ctx, node, metav1.CreateOptions{})
			if err != nil {
				t.Fatal(err)
			}
			made.Spec.Taints = nil // that it is not ready: no node is behind it
			if _, err := p.client.CoreV1().Nodes().Update(ctx, made, metav1.UpdateOptions{}); err != nil {
				t.Fatal(err)
			}
			t.Cleanup(func() { _ = p.client.CoreV1().Nodes().Delete(ctx, node.Name, metav1.DeleteOptions{}) })
		}
		var pods []corev1.Pod
		eventually(t, "a pod for each node of the pool", func() bool {
			l, err := p.client.CoreV1().Pods(namespace+"-images").List(ctx, metav1.ListOptions{})
			if err != nil {
				t.Fatal(err)
			}
			pods = l.Items
			return len(pods) == 2
		})
		for _, pod := range pods {
			if len(pod.Spec.Containers) != 4 || pod.Spec.Containers[0].Image != "images.brinewell.example/agents/wide:2026.9" {
				t.Errorf("%+v", pod.Spec.Containers)
			}
			cpu, memory := int64(0), int64(0)
			for _, c := range pod.Spec.Containers {
				cpu, memory = cpu+c.Resources.Requests.Cpu().MilliValue(), memory+c.Resources.Requests.Memory().Value()
			}
			if cpu != int64(document.PrepullCPU) || memory != int64(document.PrepullMemory) {
				t.Errorf("a pod asks for %d m and %d bytes", cpu, memory)
			}
		}
		if err := p.client.AppsV1().DaemonSets(namespace+"-images").Delete(ctx, "agents-prepulled-images", metav1.DeleteOptions{}); err != nil {
			t.Error(err)
		}
	})
}
