//go:build linux

package nodes

import (
	"context"
	"errors"
	"flag"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"tachyphor/internal/kube"
	"tachyphor/test/running"
	"tachyphor/test/ways"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/fields"
	"k8s.io/apimachinery/pkg/watch"
)

var record = flag.Bool("record", false, "write what real nodes do to internal/kube/testdata/real")

func TestMain(m *testing.M) {
	status := Main(m)
	running.Clean()
	os.Exit(status)
}

// settled has a namespace with what the agents of the tests name.
func settled(t *testing.T, count int) (*rack, *kube.Cluster) {
	t.Helper()
	r := Rack(t, count)
	ctx := context.Background()
	for _, name := range []string{ways.Namespace, ways.Crowded} {
		_, err := r.Client.CoreV1().Namespaces().Create(ctx, &corev1.Namespace{ObjectMeta: metav1.ObjectMeta{Name: name}}, metav1.CreateOptions{})
		if apierrors.IsAlreadyExists(err) {
			continue
		} else if err != nil {
			t.Fatal(err)
		}
		if name == ways.Namespace {
			r.Push(t, strings.SplitN(ways.Image, "/", 2)[1], 0, 0)
		} else {
			quota := &corev1.ResourceQuota{ObjectMeta: metav1.ObjectMeta{Name: "agents"}}
			quota.Spec.Hard = corev1.ResourceList{"pods": resource.MustParse("0")}
			if _, err := r.Client.CoreV1().ResourceQuotas(name).Create(ctx, quota, metav1.CreateOptions{}); err != nil {
				t.Fatal(err)
			}
			eventually(t, "the quota", 20*time.Second, func() bool {
				q, err := r.Client.CoreV1().ResourceQuotas(name).Get(ctx, "agents", metav1.GetOptions{})
				return err == nil && len(q.Status.Hard) > 0
			})
		}
		eventually(t, "the account of pods that name none", 30*time.Second, func() bool {
			_, err := r.Client.CoreV1().ServiceAccounts(name).Get(ctx, "default", metav1.GetOptions{})
			return err == nil
		})
	}
	conn, err := kube.Connect(kube.Options{Kubeconfig: r.Config})
	if err != nil {
		t.Fatal(err)
	}
	return r, conn
}

func eventually(t *testing.T, what string, within time.Duration, is func() bool) {
	t.Helper()
	for deadline := time.Now().Add(within); !is(); time.Sleep(100 * time.Millisecond) {
		if time.Now().After(deadline) {
			t.Fatalf("%s: not within %v", what, within)
		}
	}
}

// longest is how long a way may take: a volume that is too full is noticed within a minute and a half.
const longest = 3 * time.Minute

// gone is one way as a real node went it.
type gone struct {
	err   error // why its pod was not taken
	moves []ways.Move
	pod   *corev1.Pod // as it was last
}

// try makes a way's pod, follows it until enough was seen, and takes it away.
func (r *rack) try(ctx context.Context, w ways.Way) (g gone) {
	p, err := w.Pod()
	if err != nil {
		return gone{err: err}
	}
	began := time.Now()
	pods, events := r.Client.CoreV1().Pods(p.Namespace), r.Client.CoreV1().Events(p.Namespace)
	if _, g.err = pods.Create(ctx, p, metav1.CreateOptions{}); g.err != nil {
		return g
	}
	defer func() {
		at := int64(0)
		_ = pods.Delete(context.Background(), p.Name, metav1.DeleteOptions{GracePeriodSeconds: &at})
	}()
	states, err := pods.Watch(ctx, metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("metadata.name", p.Name).String()})
	if err != nil {
		return gone{err: err}
	}
	defer states.Stop()
	said, err := events.Watch(ctx, metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("involvedObject.name", p.Name).String()})
	if err != nil {
		return gone{err: err}
	}
	defer said.Stop()
	asked := false
	var enough <-chan time.Time
	for {
		select {
		case e := <-states.ResultChan():
			x, ok := e.Object.(*corev1.Pod)
			if !ok || e.Type == watch.Deleted {
				if enough == nil {
					enough = time.After(0)
				}
				continue
			}
			g.pod = x
			g.moves = append(g.moves, ways.Move{At: time.Since(began), Pod: ways.Trimmed(x)})
			if w.Ask && !asked && ways.Works(x) {
				asked = true
				time.Sleep(time.Second) // until it listens
				if err := pods.Delete(ctx, p.Name, metav1.DeleteOptions{}); err != nil {
					return gone{err: err}
				}
			}
			if enough == nil && w.Until(x) {
				enough = time.After(1500 * time.Millisecond) // for what is said of it
			}
		case e := <-said.ResultChan():
			if x, ok := e.Object.(*corev1.Event); ok && e.Type != watch.Deleted {
				g.moves = append(g.moves, ways.Move{At: time.Since(began), Event: ways.Said(x)})
			}
		case <-enough:
			return g
		case <-ctx.Done():
			g.err = errors.New("nothing more happened")
			return g
		}
	}
}

// Every way in which an agent comes up, sticks or dies on a real node is explained from what the
// cluster then says, as it is meant to be.
func TestWays(t *testing.T) {
	r, _ := settled(t, 1)
	ctx, cancel := context.WithTimeout(context.Background(), longest)
	defer cancel()
	all := ways.All()
	seen := make([]gone, len(all))
	var wait sync.WaitGroup
	for i := range all {
		wait.Go(func() { seen[i] = r.try(ctx, all[i]) })
	}
	wait.Wait()
	for i, w := range all {
		g := seen[i]
		if w.Refused {
			if g.err == nil || !strings.Contains(g.err.Error(), w.Says) {
				t.Errorf("%s: %v", w.Name, g.err)
			}
			continue
		}
		if g.err != nil {
			t.Errorf("%s: %v, last %+v", w.Name, g.err, g.moves[max(0, len(g.moves)-2):])
			continue
		}
		if err := w.Holds(g.moves, g.pod); err != nil {
			t.Error(err)
		}
		if *record {
			if err := ways.Write(filepath.Join("..", "..", "internal", "kube", "testdata", "real", w.Name+".jsonl"), g.moves); err != nil {
				t.Error(err)
			}
		}
	}
}
