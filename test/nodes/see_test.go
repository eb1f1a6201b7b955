package nodes

import (
	"context"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"sigs.k8s.io/yaml"
)

// podOf is a pod of the test image whose container runs a line of shell.
func podOf(t *testing.T, name, spec, container, script string) *corev1.Pod {
	t.Helper()
	var p corev1.Pod
	text := fmt.Sprintf(`metadata: {name: %s, namespace: %s}
spec:
  restartPolicy: Never
  automountServiceAccountToken: false
  terminationGracePeriodSeconds: 0
%s  containers:
    - name: agent
      image: %s
      command: [sh, -c, %q]
%s`, name, ways.Namespace, spec, ways.Image, script, container)
	if err := yaml.UnmarshalStrict([]byte(text), &p); err != nil {
		t.Fatalf("%v in\n%s", err, text)
	}
	return &p
}

// What one agent sees of another on the same node: of its processes and their environment, of its workspace, and
// what rights it has over the node, by what its template gives it.
func TestWhatAgentsSee(t *testing.T) {
	r, _ := settled(t, 1)
	ctx := context.Background()
	pods := r.Client.CoreV1().Pods(ways.Namespace)
	run := func(p *corev1.Pod) {
		t.Helper()
		at := int64(0)
		if _, err := pods.Create(ctx, p, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = pods.Delete(context.Background(), p.Name, metav1.DeleteOptions{GracePeriodSeconds: &at}) })
	}
	// The other agent: a secret in its environment, a file in its workspace, a process with a mark in its arguments.
	run(podOf(t, "see-other", "  volumes: [{name: workspace, emptyDir: {}}]\n",
		"      env: [{name: TOKEN, value: made-up-secret}]\n      volumeMounts: [{name: workspace, mountPath: /workspace}]\n",
		"echo made-up-source > /workspace/mine; sh -c 'while true; do sleep 1; done' made-up-mark"))
	eventually(t, "the other agent", time.Minute, func() bool {
		p, err := pods.Get(ctx, "see-other", metav1.GetOptions{})
		return err == nil && p.Status.Phase == corev1.PodRunning
	})
	time.Sleep(time.Second)
	look := `cat /proc/[0-9]*/cmdline 2>/dev/null | tr '\0' ' ' > /tmp/c; case "$(cat /tmp/c)" in *made-up-mar[k]*) echo sees processes;; esac; ` +
		`cat /proc/[0-9]*/environ 2>/dev/null | tr '\0' ' ' > /tmp/e; case "$(cat /tmp/e)" in *made-up-secre[t]*) echo sees environment;; esac; ` +
		`cat /proc/[0-9]*/root/workspace/mine /node/pods/*/volumes/kubernetes.io~empty-dir/workspace/mine 2>/dev/null > /tmp/w; ` +
		`case "$(cat /tmp/w)" in *made-up-source*) echo sees workspace;; esac; ` +
		`case "$(cat /proc/self/status)" in *CapEff:???????????[2367abef]?????*) echo may mount;; esac; [ -e /dev/kmsg ] && echo sees devices; true`
	for name, c := range map[string]struct {
		spec, container string
		sees, not       []string
	}{
		"plain":      {"", "", nil, []string{"processes", "environment", "workspace", "devices", "may mount"}},
		"privileged": {"", "      securityContext: {privileged: true}\n", []string{"may mount", "devices"}, []string{"processes", "environment", "workspace"}},
		"folder": {
			"  volumes: [{name: pods, hostPath: {path: /var/lib/kubelet/pods}}]\n", "      volumeMounts: [{name: pods, mountPath: /node/pods}]\n",
			[]string{"workspace"},
			[]string{"processes", "environment", "may mount"},
		},
		"processes":   {"  hostPID: true\n", "", []string{"processes"}, []string{"may mount"}},
		"all of both": {"  hostPID: true\n", "      securityContext: {privileged: true}\n", []string{"processes", "environment", "workspace", "may mount"}, nil},
	} {
		pod := podOf(t, "see-"+strings.ReplaceAll(name, " ", "-"), c.spec, c.container, look)
		run(pod)
		var ended *corev1.Pod
		eventually(t, name, time.Minute, func() bool {
			p, err := pods.Get(ctx, pod.Name, metav1.GetOptions{})
			ended = p
			return err == nil && (p.Status.Phase == corev1.PodSucceeded || p.Status.Phase == corev1.PodFailed)
		})
		stream, err := pods.GetLogs(pod.Name, &corev1.PodLogOptions{}).Stream(ctx)
		if err != nil {
			t.Fatal(err)
		}
		raw, err := io.ReadAll(stream)
		if err != nil || stream.Close() != nil {
			t.Fatal(err)
		}
		said := string(raw)
		t.Logf("%s: %s", name, strings.ReplaceAll(strings.TrimSpace(said), "\n", ", "))
		for _, x := range c.sees {
			if !strings.Contains(said, x) {
				t.Errorf("%s does not see %s: %s (%s)", name, x, said, ended.Status.Phase)
			}
		}
		for _, x := range c.not {
			if strings.Contains(said, x) {
				t.Errorf("%s sees %s", name, x)
			}
		}
	}
}
