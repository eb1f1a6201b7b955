package live

import (
	"context"
	"io"
	"net"
	"net/url"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"tachyphor/internal/kube"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/tools/clientcmd"
)

// A gate passes connections on to an address, until it is shut.
type gate struct {
	to      string
	address string
	mu      sync.Mutex
	l       net.Listener
	open    map[net.Conn]bool
}

// unshut listens, at the same address each time.
func (g *gate) unshut(t *testing.T) {
	t.Helper()
	if g.address == "" {
		g.address = "127.0.0.1:0"
	}
	l, err := net.Listen("tcp", g.address)
	if err != nil {
		t.Fatal(err)
	}
	g.l, g.address, g.open = l, l.Addr().String(), map[net.Conn]bool{}
	go func() {
		for {
			in, err := l.Accept()
			if err != nil {
				return
			}
			out, err := net.Dial("tcp", g.to)
			if err != nil {
				_ = in.Close()
				continue
			}
			g.mu.Lock()
			g.open[in], g.open[out] = true, true
			g.mu.Unlock()
			for from, to := range map[net.Conn]net.Conn{in: out, out: in} {
				go func() {
					_, _ = io.Copy(to, from)
					_, _ = from.Close(), to.Close()
				}()
			}
		}
	}()
}

// shut ends every connection and takes no more.
func (g *gate) shut() {
	_ = g.l.Close()
	g.mu.Lock()
	defer g.mu.Unlock()
	for c := range g.open {
		_ = c.Close()
	}
}

// through writes a kubeconfig that goes through a gate.
func (p *place) through(t *testing.T, g *gate) string {
	t.Helper()
	c, err := clientcmd.LoadFromFile(p.path)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range c.Clusters {
		u, err := url.Parse(x.Server)
		if err != nil {
			t.Fatal(err)
		}
		g.to = u.Host
		g.unshut(t)
		u.Host = g.address
		x.Server = u.String()
	}
	path := filepath.Join(t.TempDir(), "through.yaml")
	if err := clientcmd.WriteToFile(*c, path); err != nil {
		t.Fatal(err)
	}
	return path
}

// Agents are followed as they come, stick and go, each explained; where the API server goes away what
// was seen stays, and it goes on when that is back.
func TestWatch(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		ctx, stop := context.WithCancel(context.Background())
		defer stop()
		pods := p.client.CoreV1().Pods("default")
		if p.real {
			eventually(t, "the default service account", func() bool {
				_, err := p.client.CoreV1().ServiceAccounts("default").Get(ctx, "default", metav1.GetOptions{})
				return err == nil
			})
			addNode(t, p.client, "watched", "16", "64Gi")
			playKubelet(t, p.client, func(x *corev1.Pod) []corev1.ContainerState {
				if strings.HasPrefix(x.Name, "lost-") {
					return []corev1.ContainerState{waiting("ErrImagePull", "not found"), waiting("ImagePullBackOff", "Back-off pulling image")}
				}
				return []corev1.ContainerState{running()}
			})
		}
		g := &gate{}
		conn, err := kube.Connect(kube.Options{Kubeconfig: p.through(t, g)})
		if err != nil {
			t.Fatal(err)
		}
		all, err := conn.Watch(ctx, "default", "")
		if err != nil {
			t.Fatal(err)
		}
		wide, err := conn.Watch(ctx, "default", "wide")
		if err != nil {
			t.Fatal(err)
		}
		make := func(name, image, cpu string) {
			t.Helper()
			a := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: name}, Spec: corev1.PodSpec{
				RestartPolicy: corev1.RestartPolicyNever,
				Containers: []corev1.Container{{
					Name: "agent", Image: "images.brinewell.example/agents/" + image,
					Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{"cpu": resource.MustParse(cpu), "memory": resource.MustParse("1Gi")}},
				}},
			}}
			if _, err := pods.Create(ctx, a, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
		}
		of := func(w *kube.Watcher, pod string) (a wire.WatchedAgent) {
			for _, x := range w.Now(100).List {
				if x.Pod == pod {
					return x
				}
			}
			return a
		}
		make("wide-1", "wide:2026.9", "1")
		make("lost-1", "wide:2026.99", "1")
		make("vast-1", "wide:2026.9", "400")
		eventually(t, "an agent at work", func() bool { return of(all, "wide-1").Phase == "work" })
		eventually(t, "one whose image is not there to be explained", func() bool {
			a := of(all, "lost-1")
			return a.Stuck && a.Phase == "image" && strings.Contains(a.Says, "cannot be pulled") && a.Do != ""
		})
		eventually(t, "one that fits nowhere", func() bool {
			a := of(all, "vast-1")
			return a.Phase == "placing" && strings.Contains(a.Says, "nodes are available") || strings.Contains(a.Says, "CPU")
		})
		now := all.Now(100)
		if now.Agents != 3 || now.Waiting != 1 || now.Working != 1 || now.Starting != 1 || now.Stuck < 1 || now.Away != "" || len(now.Blind) != 0 ||
			now.List[0].Pod == "wide-1" || now.Nodes == 0 || now.On < 1 {
			t.Errorf("%+v", now)
		}
		if now := wide.Now(100); now.Agents != 1 || now.List[0].Pod != "wide-1" {
			t.Errorf("%+v", now)
		}
		if now := all.Now(1); now.Agents != 3 || len(now.List) != 1 {
			t.Errorf("%+v", now)
		}

		// Lives add up to their age, and grow.
		a := of(all, "wide-1")
		sum := int64(0)
		for _, s := range a.Stretches {
			if s.From != sum {
				t.Errorf("%+v", a.Stretches)
			}
			sum += s.Ns
		}
		if sum != a.AgeNs || len(a.Stretches) < 3 {
			t.Errorf("%d of %d ns: %+v", sum, a.AgeNs, a.Stretches)
		}
		eventually(t, "it to grow older", func() bool { return of(all, "wide-1").SinceNs > a.SinceNs })

		g.shut()
		eventually(t, "the API server to be missed", func() bool { now := all.Now(100); return now.Away != "" && now.Agents == 3 })
		zero := int64(0)
		if err := pods.Delete(ctx, "wide-1", metav1.DeleteOptions{GracePeriodSeconds: &zero}); err != nil {
			t.Fatal(err)
		}
		make("wide-2", "wide:2026.9", "1")
		if a := of(all, "wide-1"); a.Phase != "work" {
			t.Errorf("what was seen does not stay: %+v", a)
		}
		g.unshut(t)
		defer func() {
			if t.Failed() {
				t.Logf("%+v", all.Now(100))
			}
		}()
		eventually(t, "it to go on", func() bool {
			now := all.Now(100)
			return now.Away == "" && of(all, "wide-2").Phase == "work" && of(all, "wide-1").Phase == "gone"
		})
	})
}
