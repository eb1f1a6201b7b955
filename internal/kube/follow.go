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
	"k8s.io/apimachinery/pkg/fields"
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
	full    func()                                 // is told once there are too many
}

// Follow returns what a cluster has and what comes and goes in it for a while: each object as
// it was last, a node as it was when it was last ready. It ends early when ctx does, which is
// no error, and when there are too many objects. What may only be listed is listed; what may
// not be read at all is named. tell hears how many nodes, pods and events were seen, now
// and then.
func (c *Cluster) Follow(ctx context.Context, long time.Duration, tell func(nodes, pods, events int)) (
	files []learn.File, left []string, err error,
) {
	files, left, err = c.Records(ctx, func(string, int) {})
	if err != nil {
		return nil, nil, err
	}
	ctx, stop := context.WithTimeout(ctx, long)
	defer stop()
	s := &seen{objects: map[string]map[types.UID]metav1.Object{}, full: stop}
	var wait sync.WaitGroup
	for _, k := range followed {
		if slices.Contains(left, k.resource) {
			continue
		}
		s.objects[k.kind] = map[types.UID]metav1.Object{}
		_, informer := cache.NewInformerWithOptions(cache.InformerOptions{
			ListerWatcher: cache.NewListWatchFromClient(c.patient.CoreV1().RESTClient(), k.resource, metav1.NamespaceAll, fields.Everything()),
			ObjectType:    k.of,
			Handler: cache.ResourceEventHandlerFuncs{
				AddFunc:    func(o any) { s.take(k.kind, o) },
				UpdateFunc: func(_, o any) { s.take(k.kind, o) },
				DeleteFunc: func(o any) {
					if last, ok := o.(cache.DeletedFinalStateUnknown); ok {
						o = last.Obj
					}
					s.take(k.kind, o)
				},
			},
			Transform: func(o any) (any, error) {
				if x, ok := o.(metav1.Object); ok {
					x.SetManagedFields(nil)
				}
				return o, nil
			},
		})
		wait.Go(func() { informer.RunWithContext(ctx) })
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
	s.count(tell)
	for _, k := range followed {
		if len(s.objects[k.kind]) == 0 {
			continue // what was listed is all there is
		}
		f, err := s.written(k.kind)
		if err != nil {
			return nil, nil, err
		}
		files = append(slices.DeleteFunc(files, func(f learn.File) bool { return f.Name == k.resource }), f)
	}
	return files, left, nil
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
	n := 0
	for _, list := range s.objects {
		n += len(list)
	}
	if n >= mostSeen {
		s.full()
	}
}

func ready(o metav1.Object) bool {
	n, ok := o.(*corev1.Node)
	return ok && slices.ContainsFunc(n.Status.Conditions, func(c corev1.NodeCondition) bool {
		return c.Type == corev1.NodeReady && c.Status == corev1.ConditionTrue
	})
}

// count tells how many objects of each kind were seen.
func (s *seen) count(tell func(nodes, pods, events int)) {
	s.mu.Lock()
	defer s.mu.Unlock()
	tell(len(s.objects["Node"]), len(s.objects["Pod"]), len(s.objects["Event"]))
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
