//go:build linux

package nodes

import (
	"context"
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/kit"
	"tachyphor/internal/kube"
	"tachyphor/internal/service"
	"tachyphor/internal/work"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"

	batchv1 "k8s.io/api/batch/v1"
	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

const exploring = "exploring"

// sweep is one of a queue, some seconds of work.
const sweep = `apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: some}
spec:
  scenario: queue
  knobs:
    - {at: Scenario/spec/templates/t/agents/ceiling, values: [6, 7, 8, 9, 10, 12]}
    - {at: Scenario/spec/templates/t/agents/linger, values: [10s, 1m, 10m]}
  aims: [80 % of all jobs start within 5m]
`

func queue() string {
	return strings.Replace(worlds.Queue{Agents: 8, Load: 0.6, Work: worlds.Exponential, Hours: 60, Repeats: 4}.Text(), "floor: 8", "floor: 0", 1)
}

// here is the answer that this process comes to.
func here(t *testing.T) string {
	t.Helper()
	in, err := worlds.Read(queue(), "")
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("some", []byte(sweep))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	q, err := explore.Ask("some", docs[0].Value.(*document.Sweep).Spec, in)
	if err != nil {
		t.Fatal(err)
	}
	a, err := q.Answer(explore.Way{Workers: 2})
	if err != nil {
		t.Fatal(err)
	}
	b, err := json.Marshal(a)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// shardsOn is a service that has shards computed on real nodes, with the rights that the kit gives,
// in the program's own image.
func shardsOn(t *testing.T, r *rack, conn *kube.Cluster) *client.Client {
	t.Helper()
	ctx := context.Background()
	r.Push(t, "tachyphor/tachyphor:test", 0, 0, "/tachyphor="+filepath.Join(r.bin, "tachyphor"))
	if _, err := r.Client.CoreV1().Namespaces().Create(ctx, &corev1.Namespace{ObjectMeta: metav1.ObjectMeta{Name: exploring}}, metav1.CreateOptions{}); err != nil &&
		!apierrors.IsAlreadyExists(err) {
		t.Fatal(err)
	}
	list, err := kit.Shards(exploring)
	if err != nil {
		t.Fatal(err)
	}
	objects, err := kube.Objects(list)
	if err != nil {
		t.Fatal(err)
	}
	for _, o := range objects {
		if err := conn.Apply(ctx, o, false); err != nil {
			t.Fatal(err)
		}
	}
	_, c := running.StartAs(t, service.Config{
		Address: Host + ":0", Hosts: []string{Host}, Cluster: kube.Options{Kubeconfig: r.As(t, "system:serviceaccount:"+exploring+":"+kit.ShardsAccount, exploring)}, Near: true, PodsIn: []string{exploring},
		Far: work.Far{Image: "images.brinewell.example/tachyphor/tachyphor:test", Least: time.Millisecond},
	})
	docs, faults := document.Parse("x", []byte(queue()+"---\n"+sweep))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	for _, d := range docs {
		if _, err := c.Put(ctx, d.Name, []byte(d.Text), false); err != nil {
			t.Fatal(err)
		}
	}
	return c
}

// Pods of an Indexed Job on real nodes come to the bytes that this process comes to; and nothing is
// left of them.
func TestShardsOnRealNodes(t *testing.T) {
	r, conn := settled(t, 2)
	ctx := context.Background()
	c := shardsOn(t, r, conn)
	began := time.Now()
	w, err := c.Explore(ctx, wire.Explore{Sweep: "some", On: &wire.OnCluster{Pods: 3}})
	if err != nil {
		t.Fatal(err)
	}
	at := map[string]bool{}
	var job *batchv1.Job
	var end wire.KeptExploration
	eventually(t, "the answer", 4*time.Minute, func() bool {
		if pods, err := r.Client.CoreV1().Pods(exploring).List(ctx, metav1.ListOptions{}); err == nil {
			for _, p := range pods.Items {
				if p.Status.Phase == corev1.PodRunning {
					at[p.Spec.NodeName] = true
				}
			}
		}
		if jobs, err := r.Client.BatchV1().Jobs(exploring).List(ctx, metav1.ListOptions{}); err == nil && len(jobs.Items) > 0 {
			job = &jobs.Items[0]
		}
		end, err = c.Exploration(ctx, w.ID)
		return err == nil && end.State.Over()
	})
	b, err := json.Marshal(end.Result)
	if err != nil {
		t.Fatal(err)
	}
	if end.State != wire.Done || string(b) != here(t) {
		t.Errorf("%s %s: another answer than here", end.State, end.Error)
	}
	if job == nil || job.Spec.CompletionMode == nil || *job.Spec.CompletionMode != batchv1.IndexedCompletion || len(at) < 2 {
		t.Errorf("%+v at %v", job, at)
	}
	t.Logf("%d runs in %v: %s", end.Result.Runs, time.Since(began).Round(time.Second/10), end.Exploration.Pods)
	eventually(t, "nothing to be left", time.Minute, func() bool {
		jobs, err1 := r.Client.BatchV1().Jobs(exploring).List(ctx, metav1.ListOptions{})
		pods, err2 := r.Client.CoreV1().Pods(exploring).List(ctx, metav1.ListOptions{})
		secrets, err3 := r.Client.CoreV1().Secrets(exploring).List(ctx, metav1.ListOptions{})
		return err1 == nil && err2 == nil && err3 == nil && len(jobs.Items)+len(pods.Items)+len(secrets.Items) == 0
	})
}

// A node that goes with its pods in the middle costs half a minute: another Job does what they had not
// said, on the nodes that are left.
func TestShardsLoseANode(t *testing.T) {
	r, conn := settled(t, 2)
	ctx := context.Background()
	c := shardsOn(t, r, conn)
	w, err := c.Explore(ctx, wire.Explore{Sweep: "some", On: &wire.OnCluster{Pods: 2}})
	if err != nil {
		t.Fatal(err)
	}
	lost := ""
	eventually(t, "a pod at work on the second node", time.Minute, func() bool {
		pods, err := r.Client.CoreV1().Pods(exploring).List(ctx, metav1.ListOptions{})
		if err != nil {
			return false
		}
		for _, p := range pods.Items {
			if p.Status.Phase == corev1.PodRunning && p.Spec.NodeName == nameOf(2) {
				lost = p.Name
				return true
			}
		}
		return false
	})
	r.Kill(2)
	began := time.Now()
	var end wire.KeptExploration
	said := map[string]bool{}
	eventually(t, "the answer", 5*time.Minute, func() bool {
		end, err = c.Exploration(ctx, w.ID)
		if err == nil && end.Exploration.Standing != nil {
			said[end.Exploration.Standing.Elsewhere] = true
		}
		return err == nil && end.State.Over()
	})
	b, err := json.Marshal(end.Result)
	if err != nil {
		t.Fatal(err)
	}
	if end.State != wire.Done || string(b) != here(t) {
		t.Errorf("%s %s: another answer than here", end.State, end.Error)
	}
	t.Logf("%s was lost; the answer came %v later: %s", lost, time.Since(began).Round(time.Second), end.Exploration.Pods)
	told := false
	for text := range said {
		told = told || strings.Contains(text, "node "+nameOf(2)+" of pod "+lost+" does not answer")
	}
	if !told {
		t.Errorf("nobody was told of the lost node: %v", said)
	}
	if err := r.Client.CoreV1().Nodes().Delete(ctx, nameOf(2), metav1.DeleteOptions{}); err != nil {
		t.Fatal(err)
	}
}
