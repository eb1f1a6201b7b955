package kube

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"tachyphor/core/learn"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/runtime"
	"k8s.io/apimachinery/pkg/types"
	"k8s.io/client-go/tools/cache"
)

// mostSeen is how many objects are kept while a cluster is followed.
const mostSeen = 500_000

// followed are the kinds that come and go.
var followed = []struct {
	resource, kind string
	of             runtime.Object
}{{"nodes", "Node", &corev1.Node{}}, {"pods", "Pod", &corev1.Pod{}}, {"events", "Event", &corev1.Event{}}}

// seen is what was seen: of each object the last state that tells something.
type seen struct {
	mu      sync.Mutex
	objects map[string]map[types.UID]metav1.Object // by kind
	enough  func()                                 // is told once there are too many
}

// Followed is what following a cluster gave.
type Followed struct {
	Files []learn.File
	Left  []string // what may not be read, or not followed
	Full  bool     // it ended early, for there were too many objects
}

// Follow returns what a cluster has and what comes and goes in it for a while: each object as
// it was last, a node as it was when it was last ready. It ends early when ctx does, which is
// no error, and when there are too many objects. What may only be listed is listed, and named, as
// is what may not be read at all. tell hears how many nodes, pods and events were seen, now and
// then.
func (c *Cluster) Follow(ctx context.Context, long time.Duration, tell func(nodes, pods, events int)) (out Followed, err error) {
	if out.Files, out.Left, err = c.Records(ctx, func(string, int) {}); err != nil {
		return out, err
	}
	ctx, stop := context.WithTimeout(ctx, long)
	defer stop()
	s := &seen{objects: map[string]map[types.UID]metav1.Object{}, enough: stop}
	informers := map[string]cache.SharedIndexInformer{}
	for _, k := range followed {
		if slices.Contains(out.Left, k.resource) {
			continue
		}
		s.objects[k.kind] = map[types.UID]metav1.Object{}
		informers[k.kind], _, err = c.scoped(k.resource, metav1.NamespaceAll, k.of, func(o any, _ bool) { s.take(k.kind, o) },
			func(error) {}) // it is tried again; who never came to it is named
		if err != nil {
			return out, err
		}
	}
	var wait sync.WaitGroup
	for _, i := range informers {
		wait.Go(func() { i.RunWithContext(ctx) })
	}
	every := time.NewTicker(min(max(long/20, 2*time.Second), time.Minute))
	defer every.Stop()
	for ctx.Err() == nil {
		select {
		case <-ctx.Done():
		case <-every.C:
			s.count(tell)
		}
	}
	wait.Wait()
	out.Full = s.count(tell) >= mostSeen
	for _, k := range followed {
		i := informers[k.kind]
		switch { // what was listed is all there is
		case i == nil:
			continue
		case !i.HasSynced():
			out.Left = append(out.Left, k.resource+" as they come and go")
			continue
		case len(s.objects[k.kind]) == 0:
			continue
		}
		f, err := s.written(k.kind)
		if err != nil {
			return out, err
		}
		out.Files = append(slices.DeleteFunc(out.Files, func(f learn.File) bool { return f.Name == k.resource }), f)
	}
	return out, nil
}

// take keeps an object's last state.
func (s *seen) take(kind string, o any) {
	x, ok := o.(metav1.Object)
	if !ok {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	had, known := s.objects[kind][x.GetUID()]
	if known && kind == "Node" && ready(had) && !ready(x) {
		return // it goes; when it came is what tells
	}
	s.objects[kind][x.GetUID()] = x
	if s.all() >= mostSeen {
		s.enough()
	}
}

// all is how many objects were seen.
func (s *seen) all() (n int) {
	for _, list := range s.objects {
		n += len(list)
	}
	return n
}

func ready(o metav1.Object) bool {
	n, ok := o.(*corev1.Node)
	return ok && slices.ContainsFunc(n.Status.Conditions, func(c corev1.NodeCondition) bool {
		return c.Type == corev1.NodeReady && c.Status == corev1.ConditionTrue
	})
}

// count tells how many objects of each kind were seen, and returns how many of all.
func (s *seen) count(tell func(nodes, pods, events int)) int {
	s.mu.Lock()
	defer s.mu.Unlock()
	tell(len(s.objects["Node"]), len(s.objects["Pod"]), len(s.objects["Event"]))
	return s.all()
}

// written writes the objects of a kind, one after the other.
func (s *seen) written(kind string) (learn.File, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	list := s.objects[kind]
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	for _, id := range slices.Sorted(maps.Keys(list)) {
		o := list[id].(runtime.Object).DeepCopyObject()
		o.GetObjectKind().SetGroupVersionKind(corev1.SchemeGroupVersion.WithKind(kind))
		if err := enc.Encode(o); err != nil {
			return learn.File{}, err
		}
		if out.Len() > learn.MostBytes {
			return learn.File{}, fmt.Errorf("more than %d MiB of %ss were seen; follow for a shorter time", learn.MostBytes>>20, kind)
		}
	}
	return learn.File{Name: kind + "s", Data: out.Bytes()}, nil
}
