package kube

import (
	"cmp"
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/fields"
	"k8s.io/apimachinery/pkg/runtime"
	"k8s.io/apimachinery/pkg/types"
	"k8s.io/client-go/tools/cache"
)

// Bounds of what is watched.
const (
	mostWords = 40               // events kept of one pod; the oldest go
	goneShown = 30 * time.Second // how long a pod that went is shown
	noteEvery = 10 * time.Second // how often it is noted how many there are
	mostNoted = 6 * 60 * 6       // that many times: six hours
)

// A Watcher follows the agents of a namespace, or of all: pods, what the cluster says of them, and
// their nodes. It goes on where the cluster does not answer for a while.
type Watcher struct {
	cluster   *Cluster
	namespace string
	template  string
	now       func() time.Time

	mu     sync.Mutex
	begun  int // how often what there is was listed
	pods   map[types.UID]*watchedPod
	words  map[types.UID][]corev1.Event // by pod
	nodes  map[string]*corev1.Node
	away   map[string]failure // by resource
	synced map[string]cache.InformerSynced
	noted  []wire.WatchedMoment // how many there were
}

// watchedPod is a pod with what is known of it.
type watchedPod struct {
	pod   *corev1.Pod
	gone  time.Time // zero: it is there
	round int       // in which it was last seen
	dirty bool      // something came since it was explained
	told  wire.Rehearsal
	as    time.Time // when it was explained
}

// failure is why a resource cannot be read, since when.
type failure struct {
	since time.Time
	says  string
	never bool // it may not be
}

// Watch begins to follow agents until ctx ends: those of a namespace, or, where it is empty, of all,
// and where a template is named only its own.
func (c *Cluster) Watch(ctx context.Context, namespace, template string) (*Watcher, error) {
	w := &Watcher{
		cluster: c, namespace: namespace, template: template, now: time.Now, pods: map[types.UID]*watchedPod{},
		words: map[types.UID][]corev1.Event{}, nodes: map[string]*corev1.Node{}, away: map[string]failure{}, synced: map[string]cache.InformerSynced{},
	}
	stop, err := w.begin(ctx)
	if err != nil {
		return nil, err
	}
	go w.ping(ctx, stop)
	return w, nil
}

// begin lists and watches from the beginning, until stop or ctx ends it. Pods that were there and are
// not any more have gone in between.
func (w *Watcher) begin(ctx context.Context) (stop context.CancelFunc, err error) {
	ctx, stop = context.WithCancel(ctx)
	w.mu.Lock()
	w.begun++
	round := w.begun
	w.mu.Unlock()
	for _, k := range []struct {
		resource, namespace string
		of                  runtime.Object
		take                func(o any, gone bool)
	}{
		{"pods", w.namespace, &corev1.Pod{}, w.takePod}, {"events", w.namespace, &corev1.Event{}, w.takeEvent}, {"nodes", metav1.NamespaceAll, &corev1.Node{}, w.takeNode},
	} {
		i, synced, err := w.cluster.scoped(k.resource, k.namespace, k.of, func(o any, gone bool) {
			w.mu.Lock()
			defer w.mu.Unlock()
			if w.begun == round {
				delete(w.away, k.resource)
				k.take(o, gone)
			}
		}, func(err error) { w.failed(k.resource, err) })
		if err != nil {
			stop()
			return nil, err
		}
		w.mu.Lock()
		w.synced[k.resource] = synced
		w.mu.Unlock()
		go i.RunWithContext(ctx)
		if k.resource == "pods" {
			go func() {
				if cache.WaitForCacheSync(ctx.Done(), synced) {
					w.missing(round)
				}
			}()
		}
	}
	return stop, nil
}

// missing notes that pods have gone that were not there when they were listed anew.
func (w *Watcher) missing(round int) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, x := range w.pods {
		if w.begun == round && x.round < round && x.gone.IsZero() {
			x.gone, x.dirty = w.now(), true
		}
	}
}

// scoped tells take of every state of the objects of a resource in a namespace, and trouble of what goes
// wrong; synced tells whether take was told of all that there was at first.
func (c *Cluster) scoped(resource, namespace string, of runtime.Object, take func(o any, gone bool), trouble func(error)) (i cache.SharedIndexInformer, synced cache.InformerSynced, err error) {
	source := cache.NewListWatchFromClient(c.patient.CoreV1().RESTClient(), resource, namespace, fields.Everything())
	i = cache.NewSharedIndexInformer(source, of, 0, cache.Indexers{})
	if err := i.SetTransform(slimmed); err != nil {
		return nil, nil, err
	}
	if err := i.SetWatchErrorHandlerWithContext(func(_ context.Context, _ *cache.Reflector, err error) { trouble(err) }); err != nil {
		return nil, nil, err
	}
	told, err := i.AddEventHandler(cache.ResourceEventHandlerFuncs{
		AddFunc:    func(o any) { take(o, false) },
		UpdateFunc: func(_, o any) { take(o, false) },
		DeleteFunc: func(o any) {
			if last, ok := o.(cache.DeletedFinalStateUnknown); ok {
				o = last.Obj
			}
			take(o, true)
		},
	})
	if err != nil {
		return nil, nil, err
	}
	return i, told.HasSynced, nil
}

// slimmed takes off what is large and tells nothing.
func slimmed(o any) (any, error) {
	if x, ok := o.(metav1.Object); ok {
		x.SetManagedFields(nil)
	}
	return o, nil
}

// failed notes that a resource cannot be read; it is tried again all the time.
func (w *Watcher) failed(resource string, err error) {
	if err == nil || apierrors.IsResourceExpired(err) || apierrors.IsGone(err) { // it is listed anew
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	f, known := w.away[resource]
	if !known {
		f.since = w.now()
	}
	f.says, f.never = words(err), apierrors.IsForbidden(err) || apierrors.IsUnauthorized(err)
	w.away[resource] = f
}

// pingEvery is how often a cluster is asked whether it answers.
const pingEvery = 2 * time.Second

// ping finds out whether a cluster answers of which nothing new is to be told: one that refuses
// connections is tried again in silence.
func (w *Watcher) ping(ctx context.Context, stop context.CancelFunc) {
	defer func() { stop() }()
	tick := time.NewTicker(pingEvery)
	defer tick.Stop()
	lost := false
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			w.note()
		}
		list := metav1.ListOptions{Limit: 1}
		if _, err := w.cluster.client.CoreV1().Pods(w.namespace).List(ctx, list); err != nil {
			if ctx.Err() == nil {
				w.failed("pods", err)
				lost = !apierrors.IsForbidden(err) && !apierrors.IsUnauthorized(err)
			}
			continue
		}
		w.mu.Lock()
		for r, f := range w.away {
			if !f.never {
				delete(w.away, r)
			}
		}
		w.mu.Unlock()
		if !lost {
			continue
		}
		// What tries again by itself waits longer each time; it is begun anew.
		stop()
		again, err := w.begin(ctx)
		if err != nil {
			w.failed("pods", err)
			continue
		}
		stop, lost = again, false
	}
}

// note notes how many there are, where that is known and was not noted a moment ago.
func (w *Watcher) note() {
	now := w.Now(0)
	w.mu.Lock()
	defer w.mu.Unlock()
	if n := len(w.noted); now.Away != "" || n > 0 && now.At.Sub(w.noted[n-1].At) < noteEvery-pingEvery/2 {
		return
	}
	w.noted = append(w.noted, wire.WatchedMoment{At: now.At.Truncate(time.Second), Agents: now.Agents, Waiting: now.Waiting, Working: now.Working, Nodes: now.Nodes})
	if over := len(w.noted) - mostNoted; over > 0 {
		w.noted = slices.Delete(w.noted, 0, over)
	}
}

func (w *Watcher) takePod(o any, gone bool) {
	p, ok := o.(*corev1.Pod)
	if !ok || !w.ours(p) {
		return
	}
	x := w.pods[p.UID]
	if x == nil {
		x = new(watchedPod)
		w.pods[p.UID] = x
	}
	x.pod, x.dirty, x.round = p, true, w.begun
	if x.gone = (time.Time{}); gone {
		x.gone = w.now()
	}
}

// ours reports whether a pod is an agent of the template that is watched; without one, every pod is
// that no DaemonSet or node owns.
func (w *Watcher) ours(p *corev1.Pod) bool {
	for _, o := range p.OwnerReferences {
		if o.Kind == "DaemonSet" || o.Kind == "Node" {
			return false
		}
	}
	return w.template == "" || templateOf(p) == w.template || strings.HasPrefix(p.Name, w.template+"-")
}

func (w *Watcher) takeEvent(o any, gone bool) {
	e, ok := o.(*corev1.Event)
	if !ok || gone || e.InvolvedObject.Kind != "Pod" {
		return
	}
	id := e.InvolvedObject.UID
	list := slices.DeleteFunc(w.words[id], func(x corev1.Event) bool { return x.UID == e.UID })
	if list = append(list, *e); len(list) > mostWords {
		list = slices.Delete(list, 0, len(list)-mostWords)
	}
	w.words[id] = list
	if x := w.pods[id]; x != nil {
		x.dirty = true
	}
}

func (w *Watcher) takeNode(o any, gone bool) {
	n, ok := o.(*corev1.Node)
	if !ok {
		return
	}
	if gone {
		delete(w.nodes, n.Name)
	} else {
		w.nodes[n.Name] = n
	}
	for _, x := range w.pods {
		if x.pod.Spec.NodeName == n.Name {
			x.dirty = true
		}
	}
}

// Synced reports whether what there is was read once.
func (w *Watcher) Synced() bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	for r, synced := range w.synced {
		if _, away := w.away[r]; !synced() && !away {
			return false
		}
	}
	return true
}

// stuckAgain is how often an agent that changed nothing is explained anew: time alone makes some stuck.
const stuckAgain = 2 * time.Second

// Now tells how agents stand, at most so many of them; counts are of all.
func (w *Watcher) Now(most int) wire.Watched {
	w.mu.Lock()
	defer w.mu.Unlock()
	now := w.now()
	out := wire.Watched{At: now.UTC(), Context: w.cluster.Context, Namespace: w.namespace, Template: w.template, Before: slices.Clone(w.noted), List: []wire.WatchedAgent{}}
	if out.Before == nil {
		out.Before = []wire.WatchedMoment{}
	}
	for r, f := range w.away {
		if f.never {
			out.Blind = append(out.Blind, r+": "+f.says)
			continue
		}
		if ns := int64(now.Sub(f.since)); ns >= out.AwayNs {
			out.Away, out.AwayNs = f.says, ns
		}
	}
	slices.Sort(out.Blind)
	nodes := map[string]bool{}
	for id, x := range w.pods {
		if !x.gone.IsZero() && now.Sub(x.gone) > goneShown {
			delete(w.pods, id)
			delete(w.words, id)
			continue
		}
		a := w.agent(x, now)
		out.List = append(out.List, a)
		if a.Phase == "gone" {
			continue
		}
		out.Agents++
		switch a.Phase {
		case "placing", "node":
			out.Waiting++
		case "work":
			out.Working++
		case "image", "setup":
			out.Starting++
		}
		if a.Stuck {
			out.Stuck++
		}
		if a.Node != "" {
			nodes[a.Node] = true
		}
	}
	out.On, out.Nodes = len(nodes), len(w.nodes)
	slices.SortFunc(out.List, func(a, b wire.WatchedAgent) int {
		return cmp.Or(cmp.Compare(rank(&a), rank(&b)), cmp.Compare(a.AgeNs, b.AgeNs), cmp.Compare(a.Pod, b.Pod))
	})
	out.List = out.List[:min(most, len(out.List))]
	return out
}

// rank is the order in which agents are told.
func rank(a *wire.WatchedAgent) int {
	switch {
	case a.Phase == "gone":
		return 4
	case a.Stuck:
		return 0
	case a.Phase == "placing" || a.Phase == "node":
		return 1
	case a.Phase != "work":
		return 2
	}
	return 3
}

// agent tells of one; it is explained anew where something came, or time went.
func (w *Watcher) agent(x *watchedPod, now time.Time) wire.WatchedAgent {
	p := x.pod
	over := p.Status.Phase == corev1.PodSucceeded || p.Status.Phase == corev1.PodFailed
	until := now
	if !x.gone.IsZero() {
		until = x.gone
	}
	if x.dirty || x.as.IsZero() || x.gone.IsZero() && !over && now.Sub(x.as) > stuckAgain {
		x.told = Why(p, w.words[p.UID], w.nodes[p.Spec.NodeName], until)
		x.dirty, x.as = false, now
	}
	a := wire.WatchedAgent{
		Namespace: p.Namespace, Pod: p.Name, Template: x.told.Template, Node: p.Spec.NodeName, Began: p.CreationTimestamp.UTC(), AgeNs: int64(until.Sub(p.CreationTimestamp.Time)),
		Stretches: slices.Clone(x.told.Stretches), Says: x.told.Says, Do: x.told.Do, Stuck: x.told.Do != "" && !x.told.Worked,
	}
	if n := len(a.Stretches); n > 0 {
		last := &a.Stretches[n-1]
		a.Phase = last.Phase
		if x.gone.IsZero() && !over { // it goes on
			last.Ns = max(last.Ns, a.AgeNs-last.From)
		}
		a.SinceNs = last.Ns
	}
	if !x.gone.IsZero() || p.Status.Phase == corev1.PodSucceeded || p.Status.Phase == corev1.PodFailed && !a.Stuck {
		a.Phase, a.Stuck = "gone", false
	}
	return a
}
