package cluster

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// kubelet pretends to place pods and to run them: it pulls images at the link's
// rate, starts containers after the cluster's times, and lets the harmless job of a
// rehearsal write what it would.
type kubelet struct {
	c      *Cluster
	mu     sync.Mutex
	pulled map[string]bool // node/image
	tries  map[string]int
	logs   sync.Map // namespace/name/container: text
	woken  chan struct{}
	// processes are those of this program, by namespace/name of their pods: what ends them.
	processes sync.Map
}

func encode(v any) object {
	b, err := json.Marshal(v)
	if err != nil {
		panic("standin: " + err.Error())
	}
	var o object
	if err := json.Unmarshal(b, &o); err != nil {
		panic("standin: " + err.Error())
	}
	return o
}

func (k *kubelet) wake() {
	select {
	case k.woken <- struct{}{}:
	default:
	}
}

func (k *kubelet) event(p *corev1.Pod, reason, message string, warning bool) {
	kind := corev1.EventTypeNormal
	if warning {
		kind = corev1.EventTypeWarning
	}
	now := time.Now().UTC().Format(time.RFC3339)
	k.c.objects.put(events, object{
		"apiVersion": "v1", "kind": "Event", "metadata": object{"name": p.Name + "." + random(6), "namespace": p.Namespace},
		"involvedObject": object{"kind": "Pod", "namespace": p.Namespace, "name": p.Name, "uid": string(p.UID)},
		"reason":         reason, "message": message, "type": kind, "count": 1, "firstTimestamp": now, "lastTimestamp": now,
	})
}

// live is a pod's life on its node.
func (k *kubelet) live(p *corev1.Pod) {
	facts := k.c.options.Facts
	if facts == nil {
		facts = &document.ClusterSpec{}
	}
	for _, c := range p.Spec.Containers {
		k.state(p, c.Name, waiting("ContainerCreating", ""), corev1.PodPending)
	}
	for _, c := range slices.Concat(p.Spec.InitContainers, p.Spec.Containers) {
		if !k.pull(p, c, facts) {
			return
		}
	}
	for _, c := range p.Spec.Containers {
		if !k.configured(p, c) {
			return
		}
	}
	if !k.c.pretend(time.Duration(facts.Agents.Start.Dist().Quantile(0.5))) {
		return
	}
	for _, c := range p.Spec.Containers {
		k.event(p, "Created", "Container created", false)
		k.event(p, "Started", "Container started", false)
		k.state(p, c.Name, corev1.ContainerState{Running: &corev1.ContainerStateRunning{}}, corev1.PodRunning)
	}
	for _, c := range p.Spec.Containers {
		k.work(p, c, facts)
	}
}

// pull brings an image onto the pod's node, at the registry link's rate.
func (k *kubelet) pull(p *corev1.Pod, c corev1.Container, facts *document.ClusterSpec) bool {
	at := p.Spec.NodeName + "/" + c.Image
	k.mu.Lock()
	there := k.pulled[at]
	k.mu.Unlock()
	if there {
		k.event(p, "Pulled", fmt.Sprintf("Container image %q already present on machine and can be accessed by the pod", c.Image), false)
		return true
	}
	k.event(p, "Pulling", fmt.Sprintf("Pulling image %q", c.Image), false)
	i := slices.IndexFunc(facts.Images, func(i document.Image) bool { return i.Name == c.Image })
	size := units.Bytes(ownSize)
	switch {
	case i >= 0:
		size = facts.Images[i].Size
	case !isOwn(c):
		said := fmt.Sprintf("rpc error: code = NotFound desc = failed to pull and unpack image %q: failed to resolve reference %q: %s: not found",
			c.Image, c.Image, c.Image)
		if !k.c.pretend(2 * time.Second) {
			return false
		}
		k.event(p, "Failed", fmt.Sprintf("Failed to pull image %q: %s", c.Image, said), true)
		k.event(p, "Failed", "Error: ErrImagePull", true)
		k.state(p, c.Name, waiting("ErrImagePull", said), corev1.PodPending)
		if !k.c.pretend(2 * time.Second) {
			return false
		}
		again := fmt.Sprintf("Back-off pulling image %q", c.Image)
		k.event(p, "BackOff", again, false)
		k.event(p, "Failed", "Error: ImagePullBackOff", true)
		k.state(p, c.Name, waiting("ImagePullBackOff", again+": ErrImagePull: "+said), corev1.PodPending)
		return false
	}
	began := time.Now()
	took := time.Second
	if rate := facts.Links.Registry.Down; rate > 0 {
		took = time.Duration(facts.Links.Registry.Latency + rate.Time(size))
	}
	if !k.c.pretend(took) {
		return false
	}
	k.mu.Lock()
	k.pulled[at] = true
	k.mu.Unlock()
	whole := time.Duration(float64(time.Since(began)) * k.c.options.Speed).Round(time.Millisecond)
	k.event(p, "Pulled", fmt.Sprintf("Successfully pulled image %q in %v (%v including waiting). Image size: %d bytes.", c.Image, whole, whole, size), false)
	return true
}

// waiting is the state of a container that waits.
func waiting(reason, message string) corev1.ContainerState {
	return corev1.ContainerState{Waiting: &corev1.ContainerStateWaiting{Reason: reason, Message: message}}
}

// configured waits until everything is there that a container names; false: its pod went before.
func (k *kubelet) configured(p *corev1.Pod, c corev1.Container) bool {
	for told := false; ; told = true {
		missing := k.missing(p.Namespace, c)
		if missing == "" {
			return true
		}
		if !told {
			k.state(p, c.Name, waiting("CreateContainerConfigError", missing), corev1.PodPending)
			k.event(p, "Failed", "Error: "+missing, true)
		}
		if !k.c.pretend(configuredAgain) {
			return false
		}
		if o, there := k.c.objects.get(pods, p.Namespace+"/"+p.Name); !there || meta(o)["deletionTimestamp"] != nil {
			return false
		}
	}
}

// configuredAgain is after how long a kubelet looks again for what a container names.
const configuredAgain = 5 * time.Second

// missing names a Secret or key that a container needs and that is not there.
func (k *kubelet) missing(namespace string, c corev1.Container) string {
	for _, e := range c.Env {
		if e.ValueFrom == nil || e.ValueFrom.SecretKeyRef == nil {
			continue
		}
		ref := e.ValueFrom.SecretKeyRef
		o, ok := k.c.objects.get(secrets, namespace+"/"+ref.Name)
		if !ok {
			return fmt.Sprintf("secret %q not found", ref.Name)
		}
		data, _ := o["data"].(object)
		plain, _ := o["stringData"].(object)
		if data[ref.Key] == nil && plain[ref.Key] == nil {
			return fmt.Sprintf("couldn't find key %s in Secret %s/%s", ref.Key, namespace, ref.Name)
		}
	}
	return ""
}

// leastMemory is what a pretended container needs to come up.
const leastMemory = 16 << 20

// work pretends what a container does: the harmless job writes and ends, a sleeping
// command does nothing, everything else goes on.
func (k *kubelet) work(p *corev1.Pod, c corev1.Container, facts *document.ClusterSpec) {
	if m, ok := c.Resources.Limits[corev1.ResourceMemory]; ok && m.Value() < leastMemory {
		k.state(p, c.Name, corev1.ContainerState{Terminated: &corev1.ContainerStateTerminated{Reason: "OOMKilled", ExitCode: 137}},
			corev1.PodFailed)
		return
	}
	if isOwn(c) {
		k.runs(p, c)
		return
	}
	script := strings.Join(slices.Concat(c.Command, c.Args), " ")
	if !strings.Contains(script, "echo \"host ") {
		if len(c.Command) == 0 {
			k.logs.Store(p.Namespace+"/"+p.Name+"/"+c.Name, "joined\n")
		}
		return
	}
	if !k.c.pretend(1500 * time.Millisecond) {
		return
	}
	var out strings.Builder
	fmt.Fprintf(&out, "host %s\nuser 1000\ndirectory %s\n", p.Name, c.WorkingDir)
	i := slices.IndexFunc(facts.Images, func(i document.Image) bool { return i.Name == c.Image })
	_, list, _ := strings.Cut(script, "for t in ")
	list, _, _ = strings.Cut(list, ";")
	for _, t := range strings.Fields(list) {
		if i >= 0 && slices.Contains(facts.Images[i].Tools, t) {
			fmt.Fprintf(&out, "%s: %s version 1.0, pretended\n", t, path.Base(t))
		} else {
			fmt.Fprintf(&out, "%s: missing\n", t)
		}
	}
	k.logs.Store(p.Namespace+"/"+p.Name+"/"+c.Name, out.String())
	k.state(p, c.Name, corev1.ContainerState{Terminated: &corev1.ContainerStateTerminated{Reason: "Completed"}}, corev1.PodRunning)
}

// state sets what a container is doing.
func (k *kubelet) state(p *corev1.Pod, container string, s corev1.ContainerState, phase corev1.PodPhase) {
	k.c.objects.edit(pods, p.Namespace+"/"+p.Name, func(o object) bool {
		now := into[corev1.Pod](o)
		i := slices.IndexFunc(now.Status.ContainerStatuses, func(x corev1.ContainerStatus) bool { return x.Name == container })
		if i < 0 {
			i = len(now.Status.ContainerStatuses)
			now.Status.ContainerStatuses = append(now.Status.ContainerStatuses, corev1.ContainerStatus{Name: container})
		}
		x := &now.Status.ContainerStatuses[i]
		x.State = s
		for _, c := range slices.Concat(p.Spec.InitContainers, p.Spec.Containers) {
			if c.Name == container {
				x.Image = c.Image
			}
		}
		now.Status.Phase = phase
		ready(&now)
		o["status"] = encode(now.Status)
		return true
	})
}

// ready sets a pod's word on whether all its containers are at work.
func ready(p *corev1.Pod) {
	c := corev1.PodCondition{Type: corev1.PodReady, Status: corev1.ConditionTrue, LastTransitionTime: metav1.Now()}
	if len(p.Status.ContainerStatuses) < len(p.Spec.Containers) ||
		slices.ContainsFunc(p.Status.ContainerStatuses, func(s corev1.ContainerStatus) bool { return s.State.Running == nil }) {
		c.Status, c.Reason = corev1.ConditionFalse, "ContainersNotReady"
	}
	i := slices.IndexFunc(p.Status.Conditions, func(x corev1.PodCondition) bool { return x.Type == c.Type })
	switch {
	case i < 0:
		p.Status.Conditions = append(p.Status.Conditions, c)
	case p.Status.Conditions[i].Status != c.Status:
		p.Status.Conditions[i] = c
	}
}

// end lets a pod go in its own time.
func (k *kubelet) end(key string) {
	if k.c.running.Err() != nil {
		return
	}
	k.c.objects.edit(pods, key, func(o object) bool {
		if meta(o)["deletionTimestamp"] != nil {
			return false
		}
		meta(o)["deletionTimestamp"] = time.Now().UTC().Format(time.RFC3339)
		return true
	})
	if stop, ok := k.processes.Load(key); ok {
		stop.(context.CancelFunc)()
	}
	k.c.work.Go(func() {
		k.c.pretend(1200 * time.Millisecond)
		if _, ok := k.c.objects.remove(pods, key); ok {
			k.logs.Range(func(name, _ any) bool {
				if strings.HasPrefix(name.(string), key+"/") {
					k.logs.Delete(name)
				}
				return true
			})
			k.forget(key)
			k.wake()
		}
	})
}

// forget drops the events of a pod that is gone, so that they do not pile up.
func (k *kubelet) forget(pod string) {
	namespace, name, _ := strings.Cut(pod, "/")
	all, _ := k.c.objects.list(events, namespace)
	for _, e := range all {
		if text(e, "involvedObject", "name") == name {
			k.c.objects.remove(events, keyOf(e))
		}
	}
}

// log answers with what a container wrote.
func (k *kubelet) log(w http.ResponseWriter, key, container string) error {
	if _, ok := k.c.objects.get(pods, key); !ok {
		return notFound(pods, key)
	}
	w.Header().Set("Content-Type", "text/plain")
	if s, ok := k.logs.Load(key + "/" + container); ok {
		_, _ = w.Write([]byte(s.(string)))
	}
	return nil
}
