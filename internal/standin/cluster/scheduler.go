package cluster

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// run places pods until the cluster ends.
func (k *kubelet) run() {
	for {
		select {
		case <-k.c.running.Done():
			return
		case <-k.woken:
		case <-time.After(200 * time.Millisecond):
		}
		all, _ := k.c.objects.list(pods, "")
		for _, o := range all {
			p := into[corev1.Pod](o)
			if p.Spec.NodeName == "" && p.DeletionTimestamp == nil && p.Status.Phase == corev1.PodPending {
				k.place(&p, all)
			}
		}
	}
}

// place finds a node with room, says why there is none, or asks a pool for one.
func (k *kubelet) place(p *corev1.Pod, all []object) {
	where := template.FromSpec(p.Name, &p.Spec)
	near, _ := template.NeighboursOf(p.Namespace, p.Labels, &p.Spec)
	list, _ := k.c.objects.list(nodes, "")
	reasons := map[string]int{}
	for _, o := range list {
		n := into[corev1.Node](o)
		free, taken := corev1.ResourceList{}, false
		for r, q := range n.Status.Allocatable {
			free[r] = q.DeepCopy()
		}
		for _, other := range all {
			x := into[corev1.Pod](other)
			if x.Spec.NodeName != n.Name || x.Status.Phase == corev1.PodSucceeded || x.Status.Phase == corev1.PodFailed {
				continue
			}
			for r, q := range onNode(&x) {
				f := free[r]
				f.Sub(q)
				free[r] = f
			}
			beside, _ := template.NeighboursOf(x.Namespace, x.Labels, &x.Spec)
			taken = taken || near.Clashes(&beside)
		}
		short := ""
		for _, r := range []corev1.ResourceName{corev1.ResourceCPU, corev1.ResourceMemory, corev1.ResourceEphemeralStorage, corev1.ResourcePods} {
			need, has := onNode(p)[r], free[r]
			if short == "" && !need.IsZero() && need.Cmp(has) > 0 {
				short = "Insufficient " + string(r)
			}
		}
		switch {
		case !where.Where.Matches(n.Labels):
			short = "node(s) didn't match Pod's node affinity/selector"
		case !where.Where.Tolerated(n.Spec.Taints):
			short = "node(s) had untolerated taint(s)"
		case taken:
			short = "node(s) didn't have free ports for the requested pod ports"
		}
		if short != "" {
			reasons[short]++
			continue
		}
		k.bind(p, n.Name)
		return
	}
	k.unplaceable(p, len(list), reasons)
}

// onNode is what a pod takes of its node.
func onNode(p *corev1.Pod) corev1.ResourceList {
	a := amounts(p)
	return corev1.ResourceList{
		corev1.ResourceCPU: a[corev1.ResourceRequestsCPU], corev1.ResourceMemory: a[corev1.ResourceRequestsMemory],
		corev1.ResourceEphemeralStorage: a[corev1.ResourceRequestsEphemeralStorage], corev1.ResourcePods: a[corev1.ResourcePods],
	}
}

func (k *kubelet) unplaceable(p *corev1.Pod, n int, reasons map[string]int) {
	key := p.Namespace + "/" + p.Name
	k.mu.Lock()
	k.tries[key]++
	first := k.tries[key] == 1
	k.mu.Unlock()
	if !first {
		return
	}
	var parts []string
	for r, m := range reasons {
		parts = append(parts, fmt.Sprintf("%d %s", m, r))
	}
	slices.Sort(parts)
	said := fmt.Sprintf("0/%d nodes are available: %s. preemption: 0/%d nodes are available: %d Preemption is not helpful for scheduling.",
		n, strings.Join(parts, ", "), n, n)
	k.event(p, "FailedScheduling", said, true)
	k.condition(key, corev1.ConditionFalse, corev1.PodReasonUnschedulable, said)
	k.c.work.Go(func() { k.grow(p) })
}

// grow adds a node of the first pool that could take a pod, after its boot.
func (k *kubelet) grow(p *corev1.Pod) {
	if k.c.options.Facts == nil {
		return
	}
	a := template.FromSpec(p.Name, &p.Spec)
	names := fleet.ExtendedNames(a)
	for _, site := range fleet.Sites(k.c.options.Facts, names) {
		pool := k.c.options.Facts.Pools[slices.IndexFunc(k.c.options.Facts.Pools, func(x document.Pool) bool { return x.Name == site.Name })]
		list, _ := k.c.objects.list(nodes, "")
		have, need := 0, site.Need(a, names)
		for _, o := range list {
			if strings.HasPrefix(text(o, "metadata", "name"), pool.Name+"-") {
				have++
			}
		}
		if have >= pool.Max || !site.Open(a) || len(site.Short(&need)) > 0 {
			continue
		}
		k.event(p, "NodeAsked", fmt.Sprintf("pool %s grows from %d to %d nodes", pool.Name, have, have+1), false)
		if k.c.pretend(time.Duration(pool.Boot.Dist().Quantile(0.5))) {
			k.c.addNode(pool, have)
			k.wake()
		}
		return
	}
}

func (k *kubelet) condition(key string, status corev1.ConditionStatus, reason, message string) {
	k.c.objects.edit(pods, key, func(o object) bool {
		p := into[corev1.Pod](o)
		p.Status.Conditions = []corev1.PodCondition{{Type: corev1.PodScheduled, Status: status, Reason: reason, Message: message}}
		o["status"] = encode(p.Status)
		return true
	})
}

// bind puts a pod on a node and begins its life there.
func (k *kubelet) bind(p *corev1.Pod, node string) {
	key := p.Namespace + "/" + p.Name
	k.c.objects.edit(pods, key, func(o object) bool {
		o["spec"].(object)["nodeName"] = node
		p := into[corev1.Pod](o)
		p.Status.Conditions = []corev1.PodCondition{{Type: corev1.PodScheduled, Status: corev1.ConditionTrue}}
		o["status"] = encode(p.Status)
		return true
	})
	k.event(p, "Scheduled", fmt.Sprintf("Successfully assigned %s to %s", key, node), false)
	p.Spec.NodeName = node
	k.c.work.Go(func() { k.live(p) })
}
