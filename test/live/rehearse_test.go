package live

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/kube"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/tools/clientcmd"
)

func waiting(reason, message string) corev1.ContainerState {
	return corev1.ContainerState{Waiting: &corev1.ContainerStateWaiting{Reason: reason, Message: message}}
}

func running() corev1.ContainerState {
	return corev1.ContainerState{Running: &corev1.ContainerStateRunning{}}
}

func terminated(code int32, reason string) corev1.ContainerState {
	return corev1.ContainerState{Terminated: &corev1.ContainerStateTerminated{ExitCode: code, Reason: reason}}
}

// quick is patience for tests.
var quick = kube.Patience{Whole: 20 * time.Second, Placing: time.Second, Quiet: 700 * time.Millisecond, Gone: 5 * time.Second}

// cases are the ways in which a rehearsal goes: what is done to the template, what
// a played kubelet does on a real control plane, and what must be said.
var cases = []struct {
	name, from, to string
	states         []corev1.ContainerState
	worked         bool
	says           string
}{
	{"all well", "", "", []corev1.ContainerState{running(), terminated(0, "Completed")}, true, "came up, did its job and went"},
	{
		"an image that is not there", "agents/wide:2026.9", "agents/wide:2026.99",
		[]corev1.ContainerState{waiting("ErrImagePull", "not found"), waiting("ImagePullBackOff", "Back-off pulling image")},
		false, "agents/wide:2026.99, cannot be pulled",
	},
	{
		"a command that sleeps", "workingDir: /workspace", "command: [sleep, infinity]\n        workingDir: /workspace",
		[]corev1.ContainerState{running()},
		false, "The container sleeps",
	},
	{"no room", "cpu: 6500m", "cpu: 120", nil, false, "no node has enough CPU left"},
	{
		"a secret that is not there", "name: slipway-join", "name: slipway-jion",
		[]corev1.ContainerState{waiting("CreateContainerConfigError", `secret "slipway-jion" not found`)},
		false, `secret "slipway-jion" not found`,
	},
	{
		"too little memory", "{cpu: 6500m, memory: 12Gi, ephemeral-storage: 20Gi}\n          limits: {memory: 12Gi}",
		"{cpu: 2, memory: 8Mi}\n          limits: {memory: 8Mi}",
		[]corev1.ContainerState{running(), terminated(137, "OOMKilled")},
		false,
		"killed for memory: it went above its limit of 8Mi",
	},
	{"a limit below its request", "limits: {memory: 12Gi}", "limits: {memory: 2Gi}", nil, false, "must be less than or equal to memory limit"},
	{"another namespace", "namespace: slipway", "namespace: nowhere", nil, false, "There is no namespace nowhere"},
}

// A rehearsal comes to its end, or says in a sentence why it does not, and leaves
// nothing behind.
func TestRehearsals(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		ctx := context.Background()
		plan := p.plan(t)
		p.apply(t, plan.Kit)
		p.settle(t)
		if err := p.client.CoreV1().ResourceQuotas(namespace).Delete(ctx, "agents", metav1.DeleteOptions{}); err != nil {
			t.Fatal(err)
		}
		if err := p.client.CoreV1().LimitRanges(namespace).Delete(ctx, "agents", metav1.DeleteOptions{}); err != nil {
			t.Fatal(err)
		}
		var states atomic.Pointer[[]corev1.ContainerState] // of the case at hand
		play := func(list []corev1.ContainerState) { states.Store(&list) }
		play(nil)
		if p.real {
			addNode(t, p.client, "core-001", "8", "64Gi")
			playKubelet(t, p.client, func(x *corev1.Pod) []corev1.ContainerState {
				if strings.HasPrefix(x.Name, "filler-") {
					return nil
				}
				return *states.Load()
			})
		}
		for _, c := range cases {
			if p.real && strings.Contains(c.says, "sleeps") {
				continue // without a kubelet there is no log to see that nothing is written
			}
			play(c.states)
			text := strings.Replace(demoDocument(t, "templates/compile-wide.yaml").Text, c.from, c.to, 1)
			docs, faults := document.Parse("", []byte(text))
			if len(faults) > 0 {
				t.Fatal(faults)
			}
			told := 0
			r := p.conn.Rehearse(ctx, docs[0], []string{"git", "make", "perl"}, quick, func(wire.Rehearsal) { told++ })
			if r.Worked != c.worked || !strings.Contains(r.Says, c.says) || !c.worked && r.Do == "" {
				t.Errorf("%s: worked %v, %q, %q; events %+v", c.name, r.Worked, r.Says, r.Do, r.Events)
			}
			if r.Pod != "" && !strings.Contains(r.Cleaned, "gone") {
				t.Errorf("%s: %s", c.name, r.Cleaned)
			}
			p.nothingLeft(t, c.name)
			if !c.worked {
				continue
			}
			whole := int64(0)
			for i, s := range r.Stretches {
				if s.From != whole || s.Ns < 0 {
					t.Errorf("%s: stretch %d %+v begins elsewhere than at %d", c.name, i, s, whole)
				}
				whole += s.Ns
			}
			if len(r.Stretches) != 5 || told < 3 || r.Node == "" {
				t.Errorf("%s: told %d times, %+v", c.name, told, r)
			}
			if !p.real && (!strings.Contains(r.Log, "git: git version 1.0") || !strings.Contains(r.Log, "perl: missing") ||
				!strings.Contains(r.Log, "host compile-wide-")) {
				t.Errorf("%s: log\n%s", c.name, r.Log)
			}
		}
		play([]corev1.ContainerState{running(), terminated(0, "Completed")})
		p.newNode(t)
		play([]corev1.ContainerState{running()})
		p.brokenOff(t)
		p.withoutRights(t)
	})
}

// nothingLeft looks for pods that a rehearsal left behind.
func (p *place) nothingLeft(t *testing.T, after string) {
	t.Helper()
	list, err := p.client.CoreV1().Pods(namespace).List(context.Background(), metav1.ListOptions{LabelSelector: "tachyphor/rehearsal"})
	if err != nil || len(list.Items) > 0 {
		t.Errorf("%s: %d pods were left behind (%v)", after, len(list.Items), err)
	}
}

// newNode rehearses when the nodes are full: a node that comes for the agent is
// told apart from room that was found.
func (p *place) newNode(t *testing.T) {
	t.Helper()
	ctx := context.Background()
	list, err := p.client.CoreV1().Nodes().List(ctx, metav1.ListOptions{})
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range list.Items {
		filler := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: "filler-" + n.Name, Namespace: namespace}, Spec: corev1.PodSpec{
			Containers: []corev1.Container{{
				Name: "idle", Image: "images.brinewell.example/agents/steady:2026.9",
				Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{"cpu": resource.MustParse("6")}},
			}},
		}}
		if _, err := p.client.CoreV1().Pods(namespace).Create(ctx, filler, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
		eventually(t, "the filler's place", func() bool {
			x, err := p.client.CoreV1().Pods(namespace).Get(ctx, filler.Name, metav1.GetOptions{})
			return err == nil && x.Spec.NodeName != ""
		})
	}
	added := false
	wait := quick
	wait.Placing = 15 * time.Second
	r := p.conn.Rehearse(ctx, demoDocument(t, "templates/compile-wide.yaml"), nil, wait, func(r wire.Rehearsal) {
		if p.real && !added && slices.ContainsFunc(r.Events, func(e wire.Event) bool { return e.Reason == "FailedScheduling" }) {
			added = true
			time.Sleep(1200 * time.Millisecond) // times of creation count in seconds
			addNode(t, p.client, "burst-001", "16", "64Gi")
		}
	})
	if !r.Worked || len(r.Stretches) != 6 || r.Stretches[1].Phase != "node" || r.Stretches[1].Ns < int64(time.Second) ||
		!strings.Contains(r.Stretches[0].Says, "Insufficient cpu") {
		t.Errorf("%+v", r)
	}
}

// brokenOff ends a rehearsal in the middle: the pod goes all the same.
func (p *place) brokenOff(t *testing.T) {
	t.Helper()
	ctx, stop := context.WithCancel(context.Background())
	d := demoDocument(t, "templates/compile-wide.yaml")
	slow := quick
	slow.Quiet = time.Minute
	docs, _ := document.Parse("", []byte(strings.Replace(d.Text, "workingDir: /workspace",
		"command: [sleep, infinity]\n        workingDir: /workspace", 1)))
	r := p.conn.Rehearse(ctx, docs[0], nil, slow, func(r wire.Rehearsal) {
		if r.Node != "" {
			stop()
		}
	})
	stop()
	if r.Worked || !strings.Contains(r.Says, "broken off") || !strings.Contains(r.Cleaned, "gone") {
		t.Errorf("%+v", r)
	}
	p.nothingLeft(t, "broken off")
}

// withoutRights rehearses as someone who may not make pods.
func (p *place) withoutRights(t *testing.T) {
	t.Helper()
	config, err := clientcmd.LoadFromFile(p.path)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range config.AuthInfos {
		a.Impersonate = "visitor"
	}
	path := filepath.Join(t.TempDir(), "visitor.yaml")
	b, err := clientcmd.Write(*config)
	if err == nil {
		err = os.WriteFile(path, b, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	conn, err := kube.Connect(kube.Options{Kubeconfig: path})
	if err != nil {
		t.Fatal(err)
	}
	r := conn.Rehearse(context.Background(), demoDocument(t, "templates/compile-wide.yaml"), nil, quick, func(wire.Rehearsal) {})
	if r.Worked || !strings.Contains(r.Says, "The right to make pods is missing") || !strings.Contains(r.Says, `"visitor"`) {
		t.Errorf("%+v", r)
	}
	for _, c := range conn.Preflight(context.Background(), p.plan(t), func(wire.Check) {}) {
		if c.State == wire.CheckFailed {
			t.Errorf("a visitor is told that it failed, not that it could not be told: %+v", c)
		}
	}
}

// A cluster that is not there is said to be so at once.
func TestClusterOutOfReach(t *testing.T) {
	path := filepath.Join(t.TempDir(), "c.yaml")
	write := func(server string) {
		t.Helper()
		text := "apiVersion: v1\nkind: Config\nclusters: [{name: a, cluster: {server: \"" + server +
			"\"}}]\ncontexts: [{name: a, context: {cluster: a}}]\ncurrent-context: a\n"
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("http://127.0.0.1:1")
	conn, err := kube.Connect(kube.Options{Kubeconfig: path})
	if err != nil {
		t.Fatal(err)
	}
	p := &place{facts: demoDocument(t, "cluster.yaml")}
	checks := conn.Preflight(context.Background(), p.plan(t), func(wire.Check) {})
	if len(checks) != 2 || checks[0].State != wire.CheckFailed || checks[1].State != wire.CheckUnclear || checks[0].Do == "" {
		t.Errorf("%+v", checks)
	}
	if _, err := kube.Connect(kube.Options{Kubeconfig: path, Context: "b"}); err == nil ||
		!strings.Contains(err.Error(), `no context "b"; it has a`) {
		t.Error(err)
	}
	if _, err := kube.Connect(kube.Options{Kubeconfig: path + ".nothing"}); err == nil {
		t.Error("a kubeconfig that is not there was read")
	}
}
