package live

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/kit"
	"tachyphor/internal/cli"
	"tachyphor/internal/host"
	"tachyphor/internal/kube"
	"tachyphor/internal/service"
	"tachyphor/internal/standin/cluster"
	"tachyphor/internal/work"
	start "tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"

	batchv1 "k8s.io/api/batch/v1"
	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/types"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/tools/clientcmd"
	clientcmdapi "k8s.io/client-go/tools/clientcmd/api"
)

// shardsIn is the namespace in which shards are computed.
const shardsIn = "exploring"

// TestMain is the program itself where a pod's container is run.
func TestMain(m *testing.M) {
	if len(os.Args) == 2 && os.Args[1] == "work" {
		os.Exit(cli.Execute(context.Background(), os.Args[1:], os.Stdin, os.Stdout, os.Stderr, host.Here{}))
	}
	status := m.Run()
	start.Clean()
	os.Exit(status)
}

// few is a sweep of a small queue, soon over.
const few = `apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: few}
spec:
  scenario: queue
  knobs:
    - {at: Scenario/spec/templates/t/agents/ceiling, values: [6, 8, 10]}
    - {at: Scenario/spec/templates/t/agents/linger, values: [10s, 10m]}
  aims: [80 % of all jobs start within 5m]
  across: [poisson, busier]
`

// busier is a workload with more jobs, which it is to hold on too.
const busier = `apiVersion: tachyphor/v1
kind: Workload
metadata: {name: busier}
spec:
  start: 2026-01-05T00:00:00Z
  classes:
    - {name: job, wants: [], work: {mean: 10s}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 1700}]}}
`

// queue is what it varies.
func queue() string {
	return strings.Replace(worlds.Queue{Agents: 8, Load: 0.5, Work: worlds.Exponential, Hours: 4, Repeats: 4}.Text(), "floor: 8", "floor: 0", 1)
}

// A far is a service that has shards computed in a place.
type far struct {
	*place
	service *service.Service
	c       *client.Client
}

// farFrom starts a service that speaks to the cluster as the account that the rights are for, with
// pods that are processes of this machine.
func farFrom(t *testing.T, p *place, patience time.Duration) *far {
	t.Helper()
	ctx := context.Background()
	if _, err := p.client.CoreV1().Namespaces().Create(ctx, &corev1.Namespace{ObjectMeta: metav1.ObjectMeta{Name: shardsIn}}, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
	list, err := kit.Shards(shardsIn)
	if err != nil {
		t.Fatal(err)
	}
	p.apply(t, list)
	if p.real {
		addNode(t, p.client, "one", "64", "64Gi")
		eventually(t, "the default service account", func() bool {
			_, err := p.client.CoreV1().ServiceAccounts(shardsIn).Get(ctx, "default", metav1.GetOptions{})
			return err == nil
		})
	}
	f := &far{place: p}
	f.service, f.c = start.StartAs(t, service.Config{
		Cluster: kube.Options{Kubeconfig: p.as(t, "system:serviceaccount:"+shardsIn+":"+kit.ShardsAccount)},
		Near:    true, PodsIn: []string{shardsIn, "default"}, Far: work.Far{Image: cluster.OwnImage, Least: time.Millisecond, Patience: patience},
	})
	docs, faults := document.Parse("x", []byte(queue()+"---\n"+busier+"---\n"+few))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	for _, d := range docs {
		if _, err := f.c.Put(ctx, d.Name, []byte(d.Text), false); err != nil {
			t.Fatal(err)
		}
	}
	return f
}

// as writes a kubeconfig with which the owner acts in a user's name.
func (p *place) as(t *testing.T, user string) string {
	t.Helper()
	c, err := clientcmd.LoadFromFile(p.path)
	if err != nil {
		t.Fatal(err)
	}
	for _, a := range c.AuthInfos {
		a.Impersonate = user
		if p.real {
			a.ImpersonateGroups = []string{"system:serviceaccounts", "system:authenticated"}
		}
	}
	for _, x := range c.Contexts {
		x.Namespace = shardsIn
	}
	return writeConfig(t, c)
}

func writeConfig(t *testing.T, c *clientcmdapi.Config) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "as.yaml")
	if err := clientcmd.WriteToFile(*c, path); err != nil {
		t.Fatal(err)
	}
	return path
}

// ask asks for the sweep on the cluster.
func (f *far) ask(t *testing.T, on wire.OnCluster) wire.WorkBrief {
	t.Helper()
	w, err := f.c.Explore(context.Background(), wire.Explore{Sweep: "few", On: &on})
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// over waits for an exploration's end.
func (f *far) over(t *testing.T, id uint64) wire.KeptExploration {
	t.Helper()
	for deadline := time.Now().Add(4 * time.Minute); time.Now().Before(deadline); time.Sleep(50 * time.Millisecond) {
		w, err := f.c.Exploration(context.Background(), id)
		if err != nil {
			t.Fatal(err)
		}
		if w.State.Over() {
			return w
		}
	}
	w, _ := f.c.Exploration(context.Background(), id)
	t.Fatalf("the exploration does not end: %+v, %+v", w.WorkBrief, w.Exploration.Standing)
	return wire.KeptExploration{}
}

// left counts what is left in the namespace of what was made.
func (f *far) left(t *testing.T) int {
	t.Helper()
	ctx := context.Background()
	jobs, err := f.client.BatchV1().Jobs(shardsIn).List(ctx, metav1.ListOptions{})
	if err != nil {
		t.Fatal(err)
	}
	pods, err := f.client.CoreV1().Pods(shardsIn).List(ctx, metav1.ListOptions{})
	if err != nil {
		t.Fatal(err)
	}
	secrets, err := f.client.CoreV1().Secrets(shardsIn).List(ctx, metav1.ListOptions{})
	if err != nil {
		t.Fatal(err)
	}
	return len(jobs.Items) + len(pods.Items) + len(secrets.Items)
}

// wants is the answer that this process comes to.
func wants(t *testing.T) string {
	t.Helper()
	in, err := worlds.Read(queue(), "")
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("few", []byte(few+"---\n"+busier))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	more, err := explore.With(in, docs[1], nil)
	if err != nil {
		t.Fatal(err)
	}
	q, err := explore.Ask("few", docs[0].Value.(*document.Sweep).Spec, in, more)
	if err != nil {
		t.Fatal(err)
	}
	a, err := q.Answer(explore.Way{Workers: 1})
	if err != nil {
		t.Fatal(err)
	}
	return encoded(t, a)
}

func encoded(t *testing.T, v any) string {
	t.Helper()
	b, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

// Pods come to the bytes that this process comes to, one or several, with the rights that the kit
// gives and no others, also where some are lost; and nothing is left of them.
func TestShardsOnAnyCluster(t *testing.T) {
	want := wants(t)
	everywhere(t, func(t *testing.T, p *place) {
		for _, pods := range []int{1, 4} {
			t.Run(fmt.Sprint(pods), func(t *testing.T) {
				f := farFrom(t, p, 0)
				if p.real {
					playProcesses(t, p.client)
				}
				f.leave(t) // as a service that was killed does
				w := f.ask(t, wire.OnCluster{Pods: pods})
				if pods > 1 {
					f.loseOne(t)
				}
				end := f.over(t, w.ID)
				if end.State != wire.Done || encoded(t, end.Result) != want {
					t.Errorf("%s %s; another answer than here", end.State, end.Error)
				}
				if !strings.HasPrefix(end.Exploration.Pods, "Pods of ") {
					t.Errorf("%q: nothing was computed there", end.Exploration.Pods)
				}
				eventually(t, "nothing to be left", func() bool { return f.left(t) == 0 })
				if err := p.client.CoreV1().Namespaces().Delete(context.Background(), shardsIn, metav1.DeleteOptions{}); err != nil {
					t.Fatal(err)
				}
				eventually(t, "the namespace to go", func() bool {
					_, err := p.client.CoreV1().Namespaces().Get(context.Background(), shardsIn, metav1.GetOptions{})
					_ = p.client.CoreV1().Nodes().Delete(context.Background(), "one", metav1.DeleteOptions{})
					return err != nil
				})
			})
		}
	})
}

// leave leaves a Job that a process made of the first piece of work, before it was killed.
func (f *far) leave(t *testing.T) {
	t.Helper()
	if _, err := f.client.BatchV1().Jobs(shardsIn).Create(context.Background(), &batchv1.Job{
		ObjectMeta: metav1.ObjectMeta{Name: "tachyphor-1-left", Labels: map[string]string{"tachyphor/shards-of": "1"}},
		Spec: batchv1.JobSpec{
			CompletionMode: new(batchv1.IndexedCompletion), Completions: new(int32(3)), Parallelism: new(int32(2)), BackoffLimitPerIndex: new(int32(1)),
			Template: corev1.PodTemplateSpec{Spec: corev1.PodSpec{
				RestartPolicy: corev1.RestartPolicyNever,
				Containers:    []corev1.Container{{Name: "shards", Image: "images.brinewell.example/nothing:1", Args: []string{"work"}}},
			}},
		},
	}, metav1.CreateOptions{}); err != nil {
		t.Fatal(err)
	}
}

// loseOne takes the first pod that is at work away.
func (f *far) loseOne(t *testing.T) {
	t.Helper()
	eventually(t, "a pod to be lost", func() bool {
		list, err := f.client.CoreV1().Pods(shardsIn).List(context.Background(), metav1.ListOptions{})
		if err != nil {
			return false
		}
		for _, p := range list.Items {
			if p.Spec.NodeName != "" {
				return f.client.CoreV1().Pods(shardsIn).Delete(context.Background(), p.Name, metav1.DeleteOptions{}) == nil
			}
		}
		return false
	})
}

// Why nothing is computed is told: before anything is made where that can be, else once it has been
// waited for; what was made is taken away.
func TestShardsThatDoNotCome(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		f := farFrom(t, p, 2*time.Second)
		ctx := context.Background()
		for what, on := range map[string]wire.OnCluster{
			"`tachyphor render --parts shards --namespace default` writes the rights": {Namespace: "default"},
			"the kubeconfig has no context":                                           {Context: "elsewhere"},
		} {
			if _, err := f.c.Explore(ctx, wire.Explore{Sweep: "few", On: &on}); err == nil || !strings.Contains(err.Error(), what) {
				t.Errorf("not %q: %v", what, err)
			}
		}
		// The real cluster's kubelet is played, and knows the program's own image alone.
		if p.real {
			playProcesses(t, p.client)
		}
		want := "nothing says why"
		if !p.real {
			want = "ImagePullBackOff"
		}
		end := f.over(t, f.ask(t, wire.OnCluster{Image: "images.brinewell.example/nothing:1"}).ID)
		if end.State != wire.Failed || !strings.Contains(end.Error, "no pod came up in namespace "+shardsIn) || !strings.Contains(end.Error, want) {
			t.Errorf("%s: %s", end.State, end.Error)
		}
		if _, err := p.client.CoreV1().ResourceQuotas(shardsIn).Create(ctx, &corev1.ResourceQuota{
			ObjectMeta: metav1.ObjectMeta{Name: "none"}, Spec: corev1.ResourceQuotaSpec{Hard: corev1.ResourceList{"pods": resource.MustParse("0")}},
		}, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
		if p.real { // the quota counts once it has been looked at
			eventually(t, "the quota", func() bool {
				q, err := p.client.CoreV1().ResourceQuotas(shardsIn).Get(ctx, "none", metav1.GetOptions{})
				return err == nil && len(q.Status.Hard) > 0
			})
		}
		end = f.over(t, f.ask(t, wire.OnCluster{}).ID)
		if end.State != wire.Failed || !strings.Contains(end.Error, "no pod is made") || !strings.Contains(end.Error, "exceeded quota") {
			t.Errorf("%s: %s", end.State, end.Error)
		}
		eventually(t, "nothing to be left", func() bool { return f.left(t) == 0 })
	})
}

// What is cancelled is taken away; its token opens nothing then, and opened nothing else before.
func TestShardsCancelled(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		f := farFrom(t, p, time.Minute)
		ctx := context.Background()
		w := f.ask(t, wire.OnCluster{Image: "images.brinewell.example/nothing:1"}) // comes to nothing
		token := ""
		eventually(t, "the Secret", func() bool {
			list, err := p.client.CoreV1().Secrets(shardsIn).List(ctx, metav1.ListOptions{})
			if err != nil || len(list.Items) == 0 {
				return false
			}
			token = string(list.Items[0].Data["token"])
			return true
		})
		get := func(path, token string) int {
			q, err := http.NewRequestWithContext(ctx, http.MethodGet, f.service.Access.Address+path, nil)
			if err != nil {
				t.Fatal(err)
			}
			q.Header.Set("Authorization", "Bearer "+token)
			a, err := http.DefaultClient.Do(q)
			if err != nil {
				t.Fatal(err)
			}
			_, _ = io.Copy(io.Discard, a.Body)
			_ = a.Body.Close()
			return a.StatusCode
		}
		for path, want := range map[string]int{
			wire.ShardsQuestionPath: 200, wire.ShardsGroupPath + "0": 200, wire.ShardsGroupPath + "99999": 404, wire.ShardsGroupPath + "x": 404,
			"/api/v1/explorations": 401, "/api/v1/session": 401, "/metrics": 401,
		} {
			if got := get(path, token); got != want {
				t.Errorf("%s answers %d to a pod, want %d", path, got, want)
			}
		}
		if got := get(wire.ShardsQuestionPath, f.service.Access.Token); got != http.StatusUnauthorized {
			t.Errorf("a person's token opens shards: %d", got)
		}
		if _, err := f.c.Cancel(ctx, w.ID); err != nil {
			t.Fatal(err)
		}
		if end := f.over(t, w.ID); end.State != wire.Cancelled {
			t.Errorf("%s: %s", end.State, end.Error)
		}
		eventually(t, "the token to open nothing", func() bool { return get(wire.ShardsQuestionPath, token) == http.StatusUnauthorized })
		if p.real {
			playProcesses(t, p.client) // which lets go what was deleted
		}
		eventually(t, "nothing to be left", func() bool { return f.left(t) == 0 })
	})
}

// playProcesses is a kubelet for containers of the program's own image: each is a process.
func playProcesses(t *testing.T, c kubernetes.Interface) {
	t.Helper()
	program, err := os.Executable() // which is the program, see TestMain
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(context.Background())
	var all sync.WaitGroup
	t.Cleanup(func() { stop(); all.Wait() })
	begun := map[types.UID]context.CancelFunc{}
	all.Go(func() {
		for ctx.Err() == nil {
			list, err := c.CoreV1().Pods(shardsIn).List(ctx, metav1.ListOptions{})
			if err == nil {
				for i := range list.Items {
					p := &list.Items[i]
					switch end, ok := begun[p.UID]; {
					case p.DeletionTimestamp != nil:
						if ok {
							end()
						}
						if p.Status.Phase != corev1.PodSucceeded && p.Status.Phase != corev1.PodFailed {
							b := []byte(`{"status": {"phase": "Failed"}}`) // as a kubelet says before it lets go
							_, _ = c.CoreV1().Pods(p.Namespace).Patch(ctx, p.Name, types.StrategicMergePatchType, b, metav1.PatchOptions{}, "status")
						}
						now := int64(0)
						_ = c.CoreV1().Pods(p.Namespace).Delete(ctx, p.Name, metav1.DeleteOptions{GracePeriodSeconds: &now})
					case !ok && p.Spec.NodeName != "" && p.Spec.Containers[0].Image == cluster.OwnImage:
						alive, end := context.WithCancel(ctx)
						begun[p.UID] = end
						all.Go(func() { process(alive, t, c, program, p) })
					}
				}
			}
			select {
			case <-ctx.Done():
			case <-time.After(50 * time.Millisecond):
			}
		}
	})
}

// process runs a pod's container, and says how it stands.
func process(ctx context.Context, t *testing.T, c kubernetes.Interface, program string, p *corev1.Pod) {
	k := p.Spec.Containers[0]
	state := func(s corev1.ContainerState, phase corev1.PodPhase) {
		status := corev1.PodStatus{Phase: phase, ContainerStatuses: []corev1.ContainerStatus{{Name: k.Name, Image: k.Image, State: s}}}
		b, _ := json.Marshal(map[string]any{"status": status})
		_, _ = c.CoreV1().Pods(p.Namespace).Patch(ctx, p.Name, types.StrategicMergePatchType, b, metav1.PatchOptions{}, "status")
	}
	cmd := exec.CommandContext(ctx, program, k.Args...)
	for _, e := range k.Env {
		value := e.Value
		switch from := e.ValueFrom; {
		case from != nil && from.SecretKeyRef != nil:
			s, err := c.CoreV1().Secrets(p.Namespace).Get(ctx, from.SecretKeyRef.Name, metav1.GetOptions{})
			if err != nil {
				return
			}
			value = string(s.Data[from.SecretKeyRef.Key])
		case from != nil && from.FieldRef != nil:
			for name, says := range p.Annotations {
				if strings.Contains(from.FieldRef.FieldPath, name) {
					value = says
				}
			}
		}
		cmd.Env = append(cmd.Env, e.Name+"="+value)
	}
	if !slices.ContainsFunc(cmd.Env, func(s string) bool { return strings.HasPrefix(s, kube.ShardsIndex+"=") }) {
		t.Errorf("pod %s is not told its index", p.Name)
	}
	state(corev1.ContainerState{Running: &corev1.ContainerStateRunning{StartedAt: metav1.Now()}}, corev1.PodRunning)
	var said bytes.Buffer
	cmd.Stderr, cmd.Dir = &said, os.TempDir()
	err := cmd.Run()
	end := corev1.ContainerStateTerminated{Reason: "Completed", FinishedAt: metav1.Now(), StartedAt: metav1.Now()}
	phase := corev1.PodSucceeded
	if exit := new(exec.ExitError); errors.As(err, &exit) {
		end.ExitCode, end.Reason, end.Message, phase = int32(max(exit.ExitCode(), 1)), "Error", said.String(), corev1.PodFailed
	}
	state(corev1.ContainerState{Terminated: &end}, phase)
}

// A pod that knows that another try would come to the same ends the Job, and what it said is told.
func TestShardsThatRefuse(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		f := farFrom(t, p, 0)
		if p.real {
			playProcesses(t, p.client)
		}
		conn, err := kube.Connect(kube.Options{Kubeconfig: p.as(t, "system:serviceaccount:"+shardsIn+":"+kit.ShardsAccount)})
		if err != nil {
			t.Fatal(err)
		}
		err = conn.RunShards(context.Background(), kube.Shards{
			Name: "refused", Image: cluster.OwnImage, Groups: 3, Pods: 2, Address: f.service.Access.Address, // and no token
		}, func(string) {})
		if err == nil || !strings.Contains(err.Error(), "exit code 42") {
			t.Errorf("%v", err)
		}
		eventually(t, "nothing to be left", func() bool { return f.left(t) == 0 })
	})
}
