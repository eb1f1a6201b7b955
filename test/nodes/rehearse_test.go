//go:build linux

package nodes

import (
	"context"
	"fmt"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/kube"
	"tachyphor/test/ways"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// templateOf is a template whose agent runs an image, with more of its container.
func templateOf(t *testing.T, namespace, image, more string) *document.Document {
	t.Helper()
	text := fmt.Sprintf(`apiVersion: v1
kind: PodTemplate
metadata: {name: real-agent, namespace: %s, annotations: {tachyphor/offers: linux}}
template:
  spec:
    restartPolicy: Never
    automountServiceAccountToken: false
    containers:
      - name: agent
        image: %s
%s`, namespace, image, more)
	docs, faults := document.Parse("", []byte(text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs[0]
}

// patience is short for tests, and long enough for real pods.
var patience = kube.Patience{Whole: 90 * time.Second, Placing: 5 * time.Second, Quiet: 5 * time.Second, Gone: 20 * time.Second}

// A rehearsal on a real node comes to its end or says why not, as on the pretended cluster, and leaves
// nothing behind.
func TestRehearsalsOnRealNodes(t *testing.T) {
	r, conn := settled(t, 1)
	for _, c := range []struct {
		name, namespace, image, more string
		says, do                     string
		worked                       bool
	}{
		{"well", ways.Namespace, ways.Image, "", "came up, did its job and went", "", true},
		{"no image", ways.Namespace, "images.brinewell.example/agents/none:1", "", "cannot be pulled: not found.", "name and tag", false},
		{"sleeps", ways.Namespace, ways.Image, "        command: [sleep, infinity]\n", "The container sleeps", "Leave command out", false},
		{"ends at once", ways.Namespace, ways.Image, "        command: [\"true\"]\n", "start command ended by itself at once", "Leave command out", false},
		{"no room", ways.Namespace, ways.Image, "        resources: {requests: {cpu: \"120\"}}\n", "no node has enough CPU left", "Lower the request", false},
		{
			"no secret", ways.Namespace, ways.Image, "        env: [{name: T, valueFrom: {secretKeyRef: {name: slipway-jion, key: token}}}]\n",
			`secret "slipway-jion" not found`, "preflight real-agent", false,
		},
		{
			"killed for memory", ways.Namespace, ways.Image,
			"        command: [dd, if=/dev/zero, of=/dev/null, bs=200M, count=1]\n        resources: {limits: {memory: 32Mi}}\n",
			"killed for memory: it went above its limit of 32Mi", "Raise the limit", false,
		},
		{"no such command", ways.Namespace, ways.Image, "        command: [/opt/agent/run]\n", "cannot run its command (status 128)", "Mend command", false},
		{"over its quota", ways.Crowded, ways.Image, "", "exceeded quota: agents, requested: pods=1", "Raise the quota", false},
		{"nowhere", "nowhere", ways.Image, "", "There is no namespace nowhere", "", false},
	} {
		d := templateOf(t, c.namespace, c.image, c.more)
		got := conn.Rehearse(context.Background(), d, []string{"sh", "tar", "git"}, patience, func(wire.Rehearsal) {})
		if got.Worked != c.worked || !strings.Contains(got.Says, c.says) || !strings.Contains(got.Do, c.do) {
			t.Errorf("%s: worked %v, %q, %q; %+v", c.name, got.Worked, got.Says, got.Do, got.Events)
		}
		if got.Pod != "" && got.Cleaned != "the pod is gone" {
			t.Errorf("%s: %s", c.name, got.Cleaned)
		}
		if c.worked {
			if !strings.Contains(got.Log, "host real-agent-") || !strings.Contains(got.Log, "git: missing") || !strings.Contains(got.Log, "tar: ") || got.Node != nameOf(1) {
				t.Errorf("on %s\n%s", got.Node, got.Log)
			}
			whole := int64(0)
			for _, s := range got.Stretches {
				if s.From != whole || s.Ns < 0 {
					t.Errorf("%+v", got.Stretches)
				}
				whole += s.Ns
			}
		}
		list, err := r.Client.CoreV1().Pods(ways.Namespace).List(context.Background(), metav1.ListOptions{LabelSelector: "tachyphor/rehearsal"})
		if err != nil || len(list.Items) > 0 {
			t.Errorf("%s: %d pods were left behind (%v)", c.name, len(list.Items), err)
		}
	}
}

// Time that an image takes is told apart from the rest, and is as long as its bytes take at the speed
// of the registry.
func TestSlowPull(t *testing.T) {
	r, conn := settled(t, 1)
	r.Push(t, "agents/heavy:1", 80, 4)
	r.Rate(t, 10_000_000)
	defer r.Rate(t, 0)
	got := conn.Rehearse(context.Background(), templateOf(t, ways.Namespace, "images.brinewell.example/agents/heavy:1", ""), []string{"sh"}, patience,
		func(wire.Rehearsal) {})
	if !got.Worked {
		t.Fatalf("%+v", got)
	}
	for _, s := range got.Stretches {
		if s.Phase == "image" {
			if took := time.Duration(s.Ns); took < 8*time.Second || took > 12*time.Second || !strings.Contains(s.Says, "Successfully pulled image") {
				t.Errorf("80 MB at 10 MB/s took %v: %s", took, s.Says)
			}
			t.Logf("80 MB at 10 MB/s took %v", time.Duration(s.Ns))
		} else if time.Duration(s.Ns) > 5*time.Second {
			t.Errorf("%+v", s)
		}
	}
}

// A node that goes with its pods is told: first that it does not answer, then that its pod is taken
// away and cannot go.
func TestLostNode(t *testing.T) {
	r, conn := settled(t, 2)
	ctx := context.Background()
	w := ways.All()[1]
	p, err := w.Pod()
	if err != nil {
		t.Fatal(err)
	}
	p.Name, p.Spec.NodeSelector = "lost", map[string]string{corev1.LabelHostname: nameOf(2)}
	seconds := int64(5)
	p.Spec.Tolerations = []corev1.Toleration{{Key: corev1.TaintNodeUnreachable, Operator: corev1.TolerationOpExists, Effect: corev1.TaintEffectNoExecute, TolerationSeconds: &seconds}}
	pods := r.Client.CoreV1().Pods(ways.Namespace)
	if _, err := pods.Create(ctx, p, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	defer func() {
		at := int64(0)
		_ = pods.Delete(ctx, p.Name, metav1.DeleteOptions{GracePeriodSeconds: &at})
	}()
	eventually(t, "work on the second node", time.Minute, func() bool {
		x, err := pods.Get(ctx, p.Name, metav1.GetOptions{})
		return err == nil && ways.Works(x)
	})
	r.Kill(2)
	why := func() wire.Rehearsal {
		d, err := conn.Look(ctx, ways.Namespace, p.Name)
		if err != nil || len(d.Pods) != 1 {
			t.Fatal(err)
		}
		events, node := d.Of(&d.Pods[0])
		return kube.Why(&d.Pods[0], events, node, time.Now())
	}
	eventually(t, "what is said of the lost node", 2*time.Minute, func() bool { return strings.Contains(why().Says, "Its node real-2 has not answered for") })
	eventually(t, "the pod that is taken away", 2*time.Minute, func() bool {
		x, err := pods.Get(ctx, p.Name, metav1.GetOptions{})
		return err == nil && x.DeletionTimestamp != nil
	})
	if got := why(); !strings.Contains(got.Says, "has not answered") || !strings.Contains(got.Do, "kubectl delete node real-2") || got.Worked {
		t.Errorf("%+v", got)
	}
	if err := r.Client.CoreV1().Nodes().Delete(ctx, nameOf(2), metav1.DeleteOptions{}); err != nil {
		t.Fatal(err)
	}
	eventually(t, "the pod without a node to go", time.Minute, func() bool {
		_, err := pods.Get(ctx, p.Name, metav1.GetOptions{})
		return err != nil
	})
}
