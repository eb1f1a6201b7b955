package kube

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
)

// Why explains a pod that is there already, or was, as a rehearsal explains its own: from the
// pod, what the cluster said of it, and its node if it is known; as of a moment.
func Why(p *corev1.Pod, events []corev1.Event, node *corev1.Node, asOf time.Time) wire.Rehearsal {
	r := &rehearsal{
		Cluster: &Cluster{}, patience: Patience{}.filled(), past: true, began: p.CreationTimestamp.Time, namespace: p.Namespace,
		container: agentOf(p), pod: p, tell: func(wire.Rehearsal) {}, pulls: failedPulls,
		out: &wire.Rehearsal{Template: templateOf(p), Pod: p.Name, Stretches: []wire.Stretch{}, Events: []wire.Event{}},
	}
	if r.began.IsZero() {
		r.began = asOf
	}
	for i := range p.Spec.Containers {
		if c := &p.Spec.Containers[i]; c.Name == r.container {
			if q, ok := c.Resources.Limits[corev1.ResourceMemory]; ok {
				r.limit = q.String()
			}
		}
	}
	list := slices.Clone(events)
	slices.SortStableFunc(list, func(a, b corev1.Event) int { return happened(&a).Compare(happened(&b)) })
	for i := range list {
		r.clock = happened(&list[i])
		r.hear(&list[i])
	}
	for _, c := range p.Status.Conditions {
		switch {
		case c.Type != corev1.PodScheduled:
		case c.Status == corev1.ConditionTrue:
			r.placed = c.LastTransitionTime.Time
		case c.Reason == corev1.PodReasonUnschedulable && r.unplaced.IsZero():
			r.unplaced = c.LastTransitionTime.Time
		}
	}
	if p.Spec.NodeName != "" {
		r.out.Node = p.Spec.NodeName
		r.placed = cmp.Or(r.placed, r.began)
		r.grown = node != nil && p.CreationTimestamp.Before(&node.CreationTimestamp)
	}
	if s := r.status(p); s != nil {
		r.lived(s)
	}
	r.clock = asOf
	r.nodeLost(p, node)
	r.evicted(p)
	r.again(p)
	r.look(p, false)
	r.wait()
	r.stands(p)
	r.asked, r.gone = asOf, asOf
	r.stretch()
	if p.DeletionTimestamp == nil || r.ended.IsZero() { // it is not gone, or never ended
		r.out.Stretches = r.out.Stretches[:len(r.out.Stretches)-1]
	}
	return *r.out
}

// lived takes over when the agent's container began and ended.
func (r *rehearsal) lived(s *corev1.ContainerStatus) {
	switch t := s.State.Terminated; {
	case s.State.Running != nil:
		r.started = s.State.Running.StartedAt.Time
	case t != nil:
		r.started, r.ended = t.StartedAt.Time, t.FinishedAt.Time
	}
	if !r.started.IsZero() && (r.pulled.IsZero() || r.pulled.After(r.started)) {
		r.pulled = r.started
	}
}

// evicted tells of a pod that the cluster ended.
func (r *rehearsal) evicted(p *corev1.Pod) {
	if p.Status.Phase != corev1.PodFailed || p.Status.Reason == "" {
		return
	}
	do := "See the events below."
	switch said := strings.ToLower(p.Status.Reason + p.Status.Message); {
	case strings.Contains(said, "emptydir"):
		do = "Give the volume more room (sizeLimit of its emptyDir), or see what fills it."
	case strings.Contains(said, "ephemeral") || strings.Contains(said, "disk"):
		do = "Ask for as much disk as jobs need (requests and limits of ephemeral-storage), or give them a volume."
	case strings.Contains(said, "memory"):
		do = "Ask for as much memory as jobs need: what a node gives beyond requests it takes back first."
	case strings.Contains(said, "deadline"):
		do = "Give the pod more time (activeDeadlineSeconds), or its job a shorter limit."
	case strings.Contains(said, "preempt"):
		do = "Give agents a priority class that others do not push aside."
	case strings.Contains(said, "shutdown") || strings.Contains(said, "terminat"):
		do = "Its node went: a job there is lost unless it is repeated (retries), or the pool is not spot."
	}
	r.stuck(strings.TrimSpace("The cluster ended the pod: "+p.Status.Reason+" "+p.Status.Message), do)
}

// nodeLost tells of a pod whose node does not answer any more.
func (r *rehearsal) nodeLost(p *corev1.Pod, node *corev1.Node) {
	if node == nil || p.Status.Phase == corev1.PodFailed || p.Status.Phase == corev1.PodSucceeded {
		return
	}
	for _, c := range node.Status.Conditions {
		if c.Type != corev1.NodeReady || c.Status == corev1.ConditionTrue {
			continue
		}
		since := units.Duration(max(0, r.clock.Sub(c.LastTransitionTime.Time))).Short()
		if c.Status == corev1.ConditionFalse {
			r.stuck("Its node "+node.Name+" has not been ready for "+since+": "+strings.TrimRight(c.Message, ".")+".",
				"See the node: kubectl describe node "+node.Name)
			return
		}
		r.stuck("Its node "+node.Name+" has not answered for "+since+": its job is lost to the cluster, however far it is.",
			"The pod is taken away after as long as it tolerates that (tolerationSeconds of node.kubernetes.io/unreachable, 300 s where it says nothing); "+
				"it stays on the list until the node is back or taken off: kubectl delete node "+node.Name)
	}
}

// again tells of containers that were started again and again.
func (r *rehearsal) again(p *corev1.Pod) {
	for _, s := range slices.Concat(p.Status.InitContainerStatuses, p.Status.ContainerStatuses) {
		t := s.LastTerminationState.Terminated
		times := s.RestartCount
		switch w, now := s.State.Waiting, s.State.Terminated; {
		case s.RestartCount == 0 || t == nil:
			continue
		case w != nil && w.Reason == "CrashLoopBackOff":
		case now != nil && p.Spec.RestartPolicy != corev1.RestartPolicyNever && p.Status.Phase == corev1.PodRunning: // about to be started again
			t, times = now, times+1
		default:
			continue
		}
		if t.ExitCode == 0 {
			continue
		}
		how := fmt.Sprintf("with status %d", t.ExitCode)
		do := "See what it wrote before it ended: kubectl logs " + p.Name + " -c " + s.Name + " --previous"
		if t.Reason == oomKilled {
			how, do = "killed for memory", "Raise its limit of memory, and the request with it."
		}
		r.stuck(fmt.Sprintf("Container %s ended %d times, %s.", s.Name, times, how), do)
	}
}

// stands says how a pod stands that nothing is wrong with, or nothing yet.
func (r *rehearsal) stands(p *corev1.Pod) {
	if r.out.Says != "" {
		return
	}
	since := func(t time.Time) string { return units.Duration(max(0, r.clock.Sub(t))).Short() }
	switch {
	case p.DeletionTimestamp != nil:
		r.out.Says = "It is going since " + since(p.DeletionTimestamp.Time) + "."
	case !r.started.IsZero():
		r.out.Worked, r.out.Says = true, "It has been at work for "+since(r.started)+"."
	case r.placed.IsZero():
		r.out.Says = "It has waited for a node for " + since(r.began) + r.lastWord() + "."
	default:
		r.out.Says = "It is on its node for " + since(r.placed) + " and its containers have not started yet" + r.lastWord() + "."
	}
}

// agentOf is the container that the agent is: the one that the annotation names, else the
// first.
func agentOf(p *corev1.Pod) string {
	if name := p.Annotations[template.ContainerAnnotation]; name != "" {
		return name
	}
	if len(p.Spec.Containers) > 0 {
		return p.Spec.Containers[0].Name
	}
	return ""
}

// templateOf is what a pod was made from, as far as its owner or name tells.
func templateOf(p *corev1.Pod) string {
	if len(p.OwnerReferences) > 0 {
		return p.OwnerReferences[0].Name
	}
	return strings.TrimSuffix(p.GenerateName, "-")
}

// happened is when an event happened last.
func happened(e *corev1.Event) time.Time {
	for _, t := range []time.Time{e.LastTimestamp.Time, e.EventTime.Time, e.FirstTimestamp.Time} {
		if !t.IsZero() {
			return t
		}
	}
	return e.CreationTimestamp.Time
}
