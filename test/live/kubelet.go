package live

import (
	"context"
	"encoding/json"
	"strings"
	"testing"
	"time"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/types"
	"k8s.io/client-go/kubernetes"
)

// addNode makes a node that takes pods, as a kubelet would announce it.
func addNode(t *testing.T, c kubernetes.Interface, name, cpu, memory string) {
	t.Helper()
	ctx := context.Background()
	room := corev1.ResourceList{
		"cpu": resource.MustParse(cpu), "memory": resource.MustParse(memory), "pods": resource.MustParse("110"),
		"ephemeral-storage": resource.MustParse("100Gi"),
	}
	n := &corev1.Node{ObjectMeta: metav1.ObjectMeta{
		Name:   name,
		Labels: map[string]string{"kubernetes.io/os": "linux", "kubernetes.io/arch": "amd64"},
	}}
	n.Status = corev1.NodeStatus{
		Allocatable: room, Capacity: room,
		Conditions: []corev1.NodeCondition{{Type: corev1.NodeReady, Status: corev1.ConditionTrue}},
	}
	if _, err := c.CoreV1().Nodes().Create(ctx, n, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	if _, err := c.CoreV1().Nodes().Patch(ctx, name, types.MergePatchType, []byte(`{"spec":{"taints":null}}`),
		metav1.PatchOptions{}); err != nil {
		t.Fatal(err)
	}
}

// A script says what the played kubelet does with a rehearsed pod.
type script func(p *corev1.Pod) (states []corev1.ContainerState)

// playKubelet gives bound pods the states of a script, one after the other, and
// lets deleted ones go.
func playKubelet(t *testing.T, c kubernetes.Interface, do script) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	t.Cleanup(func() { stop(); <-done })
	go func() {
		defer close(done)
		step := map[types.UID]int{}
		for ctx.Err() == nil {
			list, err := c.CoreV1().Pods("").List(ctx, metav1.ListOptions{})
			if err == nil {
				for i := range list.Items {
					play(ctx, c, &list.Items[i], do, step)
				}
			}
			select {
			case <-ctx.Done():
			case <-time.After(50 * time.Millisecond):
			}
		}
	}()
}

func play(ctx context.Context, c kubernetes.Interface, p *corev1.Pod, do script, step map[types.UID]int) {
	if p.DeletionTimestamp != nil {
		now := int64(0)
		_ = c.CoreV1().Pods(p.Namespace).Delete(ctx, p.Name, metav1.DeleteOptions{GracePeriodSeconds: &now})
		return
	}
	states := do(p)
	at := step[p.UID]
	if p.Spec.NodeName == "" || at >= len(states) {
		return
	}
	step[p.UID]++
	status := corev1.PodStatus{Phase: corev1.PodPending}
	for _, k := range p.Spec.Containers {
		s := corev1.ContainerStatus{Name: k.Name, Image: k.Image, State: states[at]}
		if s.State.Running != nil {
			s.State.Running.StartedAt = metav1.Now()
			status.Phase = corev1.PodRunning
		}
		if s.State.Terminated != nil {
			status.Phase = corev1.PodSucceeded
			if s.State.Terminated.ExitCode != 0 {
				status.Phase = corev1.PodFailed
			}
		}
		status.ContainerStatuses = append(status.ContainerStatuses, s)
	}
	b, _ := json.Marshal(map[string]any{"status": status})
	_, _ = c.CoreV1().Pods(p.Namespace).Patch(ctx, p.Name, types.StrategicMergePatchType, b, metav1.PatchOptions{}, "status")
	if states[at].Running != nil {
		announce(ctx, c, p, "Pulled", "Successfully pulled image "+strings.Join(imagesOf(p), ", "))
	}
}

func imagesOf(p *corev1.Pod) []string {
	var out []string
	for _, k := range p.Spec.Containers {
		out = append(out, k.Image)
	}
	return out
}

func announce(ctx context.Context, c kubernetes.Interface, p *corev1.Pod, reason, message string) {
	_, _ = c.CoreV1().Events(p.Namespace).Create(ctx, &corev1.Event{
		ObjectMeta:     metav1.ObjectMeta{GenerateName: p.Name + ".", Namespace: p.Namespace},
		InvolvedObject: corev1.ObjectReference{Kind: "Pod", Namespace: p.Namespace, Name: p.Name, UID: p.UID},
		Reason:         reason, Message: message, Type: corev1.EventTypeNormal, Count: 1, FirstTimestamp: metav1.Now(),
		LastTimestamp: metav1.Now(),
	}, metav1.CreateOptions{})
}
