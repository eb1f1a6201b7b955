package live

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/learn"
	"tachyphor/internal/kube"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/types"
	"k8s.io/client-go/kubernetes"
)

// played are the times that the nodes and containers of a played cluster take.
const (
	playedKnown = 2 * time.Second // from asking to the node's being known
	playedReady = 2 * time.Second // from that to its being ready
	playedStart = 2 * time.Second // from placing to the container's start
	playedNodes = 5
)

// growNode announces a node and makes it ready, as its kubelet would.
func growNode(t *testing.T, c kubernetes.Interface, name, tier string) {
	t.Helper()
	ctx := context.Background()
	time.Sleep(playedKnown)
	room := corev1.ResourceList{"cpu": resource.MustParse("4"), "memory": resource.MustParse("16Gi"), "pods": resource.MustParse("110")}
	n := &corev1.Node{ObjectMeta: metav1.ObjectMeta{Name: name, Labels: map[string]string{
		"kubernetes.io/os": "linux", "kubernetes.io/arch": "amd64", "brinewell.example/node-pool": tier, "node.kubernetes.io/instance-type": "quad-16",
	}}}
	n.Status = corev1.NodeStatus{Allocatable: room, Capacity: room}
	if _, err := c.CoreV1().Nodes().Create(ctx, n, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	time.Sleep(playedReady)
	status, err := json.Marshal(map[string]any{"status": map[string]any{"conditions": []corev1.NodeCondition{{
		Type: corev1.NodeReady, Status: corev1.ConditionTrue, LastTransitionTime: metav1.Now(), LastHeartbeatTime: metav1.Now(),
	}}}})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.CoreV1().Nodes().Patch(ctx, name, types.StrategicMergePatchType, status, metav1.PatchOptions{}, "status"); err != nil {
		t.Fatal(err)
	}
	if _, err := c.CoreV1().Nodes().Patch(ctx, name, types.MergePatchType, []byte(`{"spec":{"taints":null}}`), metav1.PatchOptions{}); err != nil {
		t.Fatal(err)
	}
}

// A cluster that is followed while agents come and go is learned from what was seen, also of
// what is gone by then: on a real control plane the boots and starts that were played, within
// their bounds.
func TestLearnByFollowing(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		ctx := context.Background()
		pods := p.client.CoreV1().Pods("default")
		if p.real {
			eventually(t, "the default service account", func() bool {
				_, err := p.client.CoreV1().ServiceAccounts("default").Get(ctx, "default", metav1.GetOptions{})
				return err == nil
			})
			playKubelet(t, p.client, func(x *corev1.Pod) []corev1.ContainerState {
				for _, c := range x.Status.Conditions {
					if c.Type == corev1.PodScheduled && c.Status == corev1.ConditionTrue && time.Since(c.LastTransitionTime.Time) > playedStart {
						return []corev1.ContainerState{running()}
					}
				}
				return nil
			})
		}
		type followed struct {
			kube.Followed
			err error
		}
		follow, stop := context.WithCancel(ctx)
		defer stop()
		got, heard := make(chan followed, 1), 0
		go func() {
			f, err := p.conn.Follow(follow, time.Minute, func(int, int, int) { heard++ })
			got <- followed{f, err}
		}()
		time.Sleep(500 * time.Millisecond)
		for i := range playedNodes {
			name := fmt.Sprintf("agent-%d", i)
			a := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: name}, Spec: corev1.PodSpec{
				RestartPolicy: corev1.RestartPolicyNever,
				Containers: []corev1.Container{{
					Name: "agent", Image: "images.brinewell.example/agents/wide:2026.9",
					Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{"cpu": resource.MustParse("3"), "memory": resource.MustParse("8Gi")}},
				}},
			}}
			if _, err := pods.Create(ctx, a, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
			if p.real {
				eventually(t, "the scheduler's refusal", func() bool {
					x, err := pods.Get(ctx, name, metav1.GetOptions{})
					return err == nil && slices.ContainsFunc(x.Status.Conditions, func(c corev1.PodCondition) bool { return c.Reason == corev1.PodReasonUnschedulable })
				})
				growNode(t, p.client, fmt.Sprintf("burst-%d", i), "burst")
			}
			eventually(t, name+" to run", func() bool {
				x, err := pods.Get(ctx, name, metav1.GetOptions{})
				return err == nil && (x.Status.Phase == corev1.PodRunning || x.Status.Phase == corev1.PodSucceeded)
			})
		}
		for i := range playedNodes { // all go again
			now := int64(0)
			if err := pods.Delete(ctx, fmt.Sprintf("agent-%d", i), metav1.DeleteOptions{GracePeriodSeconds: &now}); err != nil {
				t.Fatal(err)
			}
			if p.real {
				if err := p.client.CoreV1().Nodes().Delete(ctx, fmt.Sprintf("burst-%d", i), metav1.DeleteOptions{}); err != nil {
					t.Fatal(err)
				}
			}
		}
		time.Sleep(500 * time.Millisecond)
		stop()
		f := <-got
		if f.err != nil || len(f.Left) > 0 || f.Full || heard == 0 {
			t.Fatalf("%v, %v not read, told %d times", f.err, f.Left, heard)
		}
		if p.real && *record {
			var all bytes.Buffer
			for _, x := range f.Files {
				all.Write(x.Data)
			}
			host, err := os.Hostname()
			if err == nil {
				err = os.WriteFile(followedFile, bytes.ReplaceAll(all.Bytes(), []byte(host), []byte("north-control")), 0o644)
			}
			if err != nil {
				t.Fatal(err)
			}
		}
		c := learnedFrom(t, f.Files)
		if c.Pods < playedNodes || c.Events < playedNodes {
			t.Errorf("%d pods and %d events were seen", c.Pods, c.Events)
		}
		if p.real {
			asPlayed(t, c)
		}
	})
}

// followedFile is what following a real control plane saw.
const followedFile = "testdata/followed.json"

// What was recorded of a real control plane is learned as it was played.
func TestLearnFromTheRecording(t *testing.T) {
	data, err := os.ReadFile(followedFile)
	if err != nil {
		t.Fatalf("%v; make test-cluster RECORD=1 writes it", err)
	}
	asPlayed(t, learnedFrom(t, []learn.File{{Name: followedFile, Data: data}}))
}

func learnedFrom(t *testing.T, files []learn.File) *learn.LearnedCluster {
	t.Helper()
	records, err := learn.ReadRecords(files)
	if err != nil {
		t.Fatal(err)
	}
	c, err := learn.Cluster(records, learn.ClusterOptions{Name: "followed"})
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// asPlayed holds what was learned against the times that were played.
func asPlayed(t *testing.T, c *learn.LearnedCluster) {
	t.Helper()
	for fact, truth := range map[string]time.Duration{
		"pools.burst.boot": playedKnown + playedReady, "pools.burst.notReady": playedReady, "agents.start": playedStart,
	} {
		i := slices.IndexFunc(c.Facts, func(f learn.FactSeen) bool { return f.Fact == fact })
		if i < 0 || c.Facts[i].Times == nil {
			t.Errorf("%s is not told: %s", fact, strings.Join(c.Lacks, "; "))
		} else if x := c.Facts[i].Times; x.Values != playedNodes || truth.Seconds() < x.MedianLow || truth.Seconds() > x.MedianHigh {
			t.Errorf("%s is %s, told as %.3g to %.3g s of %d", fact, truth, x.MedianLow, x.MedianHigh, x.Values)
		}
	}
}
