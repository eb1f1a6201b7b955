package live

import (
	"context"
	"fmt"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/standin/cluster"
	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/fields"
	"k8s.io/client-go/kubernetes"
	"k8s.io/client-go/tools/clientcmd"
)

// masked are the parts of what is said that are other ones each time.
var masked = regexp.MustCompile(`[0-9.]+(ms|s|m[0-9.]+s)\b|size: [0-9]+|to [a-z]+-[0-9]+$|pod "[^"]*"|[0-9]+/[0-9]+ nodes|: [0-9]+ `)

// told are the states that a pod's container goes through, and what is said, each once, in the order of
// their first coming. What the scheduler says of nodes that are not ready yet is left out.
func told(moves []ways.Move) (states, said []string) {
	add := func(to *[]string, text string) {
		if text = masked.ReplaceAllString(text, "·"); !slices.Contains(*to, text) {
			*to = append(*to, text)
		}
	}
	for _, m := range moves {
		if e := m.Event; e != nil && !strings.Contains(e.Message, "untolerated taint") {
			add(&said, fmt.Sprint(e.Type, " ", e.Reason, ": ", e.Message))
		}
		if m.Pod == nil {
			continue
		}
		for _, s := range m.Pod.Status.ContainerStatuses {
			switch {
			case s.State.Waiting != nil:
				add(&states, fmt.Sprint(m.Pod.Status.Phase, ", waiting: ", s.State.Waiting.Reason, " ", s.State.Waiting.Message))
			case s.State.Running != nil:
				ready := slices.ContainsFunc(m.Pod.Status.Conditions, func(c corev1.PodCondition) bool {
					return c.Type == corev1.PodReady && c.Status == corev1.ConditionTrue
				})
				add(&states, fmt.Sprint(m.Pod.Status.Phase, ", running, ready: ", ready))
			}
		}
	}
	return states, said
}

// The pretended cluster's pods go through the states of a real node's, and the same is said of them.
func TestTheStandInTellsAsRealNodes(t *testing.T) {
	facts := &demoDocument(t, "cluster.yaml").Value.(*document.Cluster).Spec
	c, err := cluster.Start(cluster.Options{Facts: facts, Speed: 50, Name: "brinewell-north"})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := c.Close(); err != nil {
			t.Error(err)
		}
	})
	path := filepath.Join(t.TempDir(), "config.yaml")
	if err := c.Kubeconfig(path); err != nil {
		t.Fatal(err)
	}
	config, err := clientcmd.BuildConfigFromFlags("", path)
	if err != nil {
		t.Fatal(err)
	}
	config.ContentType = "application/json"
	client, err := kubernetes.NewForConfig(config)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	if _, err := client.CoreV1().Namespaces().Create(ctx, &corev1.Namespace{ObjectMeta: metav1.ObjectMeta{Name: ways.Namespace}}, metav1.CreateOptions{}); err != nil {
		t.Log(err)
	}
	for _, w := range ways.All() {
		if !slices.Contains([]string{"at-work", "no-image", "no-secret", "no-room"}, w.Name) {
			continue
		}
		real, _, err := ways.Read(filepath.Join("..", "..", "internal", "kube", "testdata", "real", w.Name+".jsonl"))
		if err != nil {
			t.Fatal(err)
		}
		p, err := w.Pod()
		if err != nil {
			t.Fatal(err)
		}
		pods := client.CoreV1().Pods(ways.Namespace)
		states, err := pods.Watch(ctx, metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("metadata.name", p.Name).String()})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := pods.Create(ctx, p, metav1.CreateOptions{}); err != nil {
			t.Fatal(err)
		}
		var moves []ways.Move
		for last := (*corev1.Pod)(nil); last == nil || !w.Until(last); {
			e, open := <-states.ResultChan()
			x, ok := e.Object.(*corev1.Pod)
			if !open || !ok {
				t.Fatalf("%s: %+v; %+v", w.Name, e, last)
			}
			last = x
			moves = append(moves, ways.Move{Pod: ways.Trimmed(x)})
		}
		states.Stop()
		time.Sleep(200 * time.Millisecond)
		list, err := client.CoreV1().Events(ways.Namespace).List(ctx, metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("involvedObject.name", p.Name).String()})
		if err != nil {
			t.Fatal(err)
		}
		for i := range list.Items {
			moves = append(moves, ways.Move{Event: ways.Said(&list.Items[i])})
		}
		wantStates, wantSaid := told(real)
		gotStates, gotSaid := told(moves)
		slices.Sort(wantSaid)
		slices.Sort(gotSaid)
		if !slices.Equal(gotStates, wantStates) {
			t.Errorf("%s: states\n%s\nof a real node\n%s", w.Name, strings.Join(gotStates, "\n"), strings.Join(wantStates, "\n"))
		}
		// A real registry pulls again and again, an image that is there is told once more: each at least once.
		for _, x := range gotSaid {
			if !slices.Contains(wantSaid, x) && !(strings.Contains(x, "already present") || strings.Contains(x, "Pull")) {
				t.Errorf("%s: %q is said, which no real node says: %s", w.Name, x, strings.Join(wantSaid, "\n"))
			}
		}
		for _, x := range wantSaid {
			if !slices.Contains(gotSaid, x) && !strings.Contains(x, "already present") && !(strings.Contains(x, "Normal Pull") && w.Name != "at-work") {
				t.Errorf("%s: %q is not said, but\n%s", w.Name, x, strings.Join(gotSaid, "\n"))
			}
		}
	}
}
