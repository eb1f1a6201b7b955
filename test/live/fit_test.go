package live

import (
	"context"
	"fmt"
	"math/rand/v2"
	"strconv"
	"testing"

	"tachyphor/core/fleet"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/tools/clientcmd"
)

// How many agents we say go on a node is how many the real scheduler puts there, on
// generated nodes with generated requests, init containers and side containers.
func TestFitAgainstTheRealScheduler(t *testing.T) {
	config, err := clientcmd.BuildConfigFromFlags("", controlPlane(t))
	if err != nil {
		t.Fatal(err)
	}
	config.QPS, config.Burst = 400, 800
	client, err := kubernetes.NewForConfig(config)
	if err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	eventually(t, "the default service account", func() bool {
		_, err := client.CoreV1().ServiceAccounts("default").Get(ctx, "default", metav1.GetOptions{})
		return err == nil
	})
	r := rand.New(rand.NewPCG(4, 2))
	for i := range 24 {
		cpu, memory := 2000+r.IntN(14000), 4+r.IntN(60)
		name := "node-" + strconv.Itoa(i)
		addNode(t, client, name, fmt.Sprintf("%dm", cpu), fmt.Sprintf("%dGi", memory))
		spec := generated(r)
		spec.NodeSelector = map[string]string{"node": name}
		n, err := client.CoreV1().Nodes().Get(ctx, name, metav1.GetOptions{})
		if err != nil {
			t.Fatal(err)
		}
		n.Labels["node"] = name
		if _, err := client.CoreV1().Nodes().Update(ctx, n, metav1.UpdateOptions{}); err != nil {
			t.Fatal(err)
		}
		a := template.FromSpec("a", &spec)
		room := fleet.Room{Pods: 110}
		room.Request = template.FromSpec("n", &corev1.PodSpec{Containers: []corev1.Container{{Resources: corev1.ResourceRequirements{Requests: n.Status.Allocatable}}}}).Request
		site := fleet.Site{Room: room, Labels: n.Labels}
		want := site.FitOn(a, nil).Agents
		more := want + 2
		for j := range more {
			p := &corev1.Pod{
				ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprintf("p-%d-%d", i, j), Labels: map[string]string{"node": name}},
				Spec:       *spec.DeepCopy(),
			}
			if _, err := client.CoreV1().Pods("default").Create(ctx, p, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
		}
		var placed, refused int
		eventually(t, "the scheduler's verdict on every pod", func() bool {
			list, err := client.CoreV1().Pods("default").List(ctx, metav1.ListOptions{LabelSelector: "node=" + name})
			if err != nil {
				return false
			}
			placed, refused = 0, 0
			for _, p := range list.Items {
				if p.Spec.NodeName != "" {
					placed++
					continue
				}
				for _, c := range p.Status.Conditions {
					if c.Reason == corev1.PodReasonUnschedulable {
						refused++
					}
				}
			}
			return placed+refused == more
		})
		if placed != want {
			t.Errorf("node of %dm and %d GiB, requests %+v: the scheduler places %d, fit says %d", cpu, memory, a.Request, placed, want)
		}
	}
}

// generated makes a pod's spec with some of what counts in its request.
func generated(r *rand.Rand) corev1.PodSpec {
	box := func(name string, cpu, memory int) corev1.Container {
		return corev1.Container{
			Name: name, Image: "images.brinewell.example/agents/steady:2026.9",
			Resources: corev1.ResourceRequirements{Requests: corev1.ResourceList{
				corev1.ResourceCPU: resource.MustParse(fmt.Sprintf("%dm", cpu)), corev1.ResourceMemory: resource.MustParse(fmt.Sprintf("%dMi", memory)),
			}},
		}
	}
	spec := corev1.PodSpec{Containers: []corev1.Container{box("agent", 300+r.IntN(3000), 200+r.IntN(8000))}}
	if r.IntN(2) == 0 {
		spec.Containers = append(spec.Containers, box("side", 50+r.IntN(200), 64+r.IntN(200)))
	}
	if r.IntN(2) == 0 {
		spec.InitContainers = append(spec.InitContainers, box("init", 100+r.IntN(4000), 100+r.IntN(4000)))
	}
	if r.IntN(3) == 0 {
		always := corev1.ContainerRestartPolicyAlways
		tail := box("tail", 50+r.IntN(300), 64)
		tail.RestartPolicy = &always
		spec.InitContainers = append(spec.InitContainers, tail)
	}
	return spec
}
