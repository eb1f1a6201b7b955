package kube

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// stuck ends the rehearsal with a reason.
func (r *rehearsal) stuck(says, do string) {
	if r.out.Says == "" {
		r.out.Says, r.out.Do = says, do
	}
}

// status returns the state of the agent's container.
func (r *rehearsal) status(p *corev1.Pod) *corev1.ContainerStatus {
	for i := range p.Status.ContainerStatuses {
		if p.Status.ContainerStatuses[i].Name == r.container {
			return &p.Status.ContainerStatuses[i]
		}
	}
	return nil
}

// look takes in the pod as it is now.
func (r *rehearsal) look(p *corev1.Pod, deleted bool) {
	now := r.now()
	r.pod = p
	if deleted {
		r.stuck("Someone else took the pod away while it was rehearsed.", "See what removes pods in this namespace.")
		return
	}
	if p.Spec.NodeName != "" && r.placed.IsZero() {
		r.placed, r.out.Node = now, p.Spec.NodeName
		r.grown = r.newer(p)
	}
	for _, c := range p.Status.Conditions {
		if c.Type == corev1.PodScheduled && c.Status == corev1.ConditionFalse && c.Reason == corev1.PodReasonUnschedulable &&
			r.unplaced.IsZero() {
			r.unplaced = now
		}
	}
	for _, s := range slices.Concat(p.Status.InitContainerStatuses, p.Status.ContainerStatuses) {
		r.waiting(s)
	}
	r.first(p)
	s := r.status(p)
	if s == nil {
		if p.Status.Phase == corev1.PodFailed {
			r.stuck("The pod failed before its agent started: "+p.Status.Reason+" "+p.Status.Message, "See the events below.")
		}
		return
	}
	if (s.State.Running != nil || s.State.Terminated != nil) && r.started.IsZero() {
		r.started = now
		if r.pulled.IsZero() {
			r.pulled = now
		}
	}
	if t := s.State.Terminated; t != nil {
		r.ended = now
		r.over(t)
	}
}

// first looks at what runs before the agent: where that fails for good, the agent never starts.
func (r *rehearsal) first(p *corev1.Pod) {
	for _, s := range p.Status.InitContainerStatuses {
		t := s.State.Terminated
		if t == nil || t.ExitCode == 0 || p.Status.Phase != corev1.PodFailed {
			continue
		}
		how := fmt.Sprintf("ended with status %d", t.ExitCode)
		do := "See what it wrote: kubectl logs " + p.Name + " -c " + s.Name
		if t.Reason == oomKilled {
			how, do = "was killed for memory", "Raise its limit of memory, and the request with it."
		}
		r.stuck(fmt.Sprintf("Container %s, which runs before the agent, %s: the agent was never started.", s.Name, how), do)
	}
}

// newer reports whether the pod's node came after the pod itself. Where nodes may not
// be looked at it is not known, and the time counts as placing.
func (r *rehearsal) newer(p *corev1.Pod) bool {
	ctx, cancel := context.WithTimeout(context.Background(), requestTime)
	defer cancel()
	n, err := r.client.CoreV1().Nodes().Get(ctx, p.Spec.NodeName, metav1.GetOptions{})
	return err == nil && p.CreationTimestamp.Before(&n.CreationTimestamp)
}

// waiting looks at why a container does not start.
func (r *rehearsal) waiting(s corev1.ContainerStatus) {
	w := s.State.Waiting
	if w == nil {
		return
	}
	said := short(w.Message, s.Image)
	if said != "" {
		said = ": " + said
	}
	switch w.Reason {
	case "ImagePullBackOff", "ErrImagePull":
		if r.pulling != w.Reason { // each of the two, and again, is a try
			r.pulling = w.Reason
			r.pulls++
		}
		if w.Reason == "ImagePullBackOff" || r.pulls >= failedPulls {
			do := "See whether the name and tag are right and the registry has them."
			if strings.Contains(said, "401") || strings.Contains(said, "403") || strings.Contains(said, "unauthorized") ||
				strings.Contains(said, "denied") {
				do = "The registry does not let the node in: name a Secret in imagePullSecrets, and see that it is right."
			}
			r.stuck("The image of "+s.Name+", "+s.Image+", cannot be pulled"+said+".", do)
		}
	case "InvalidImageName", "ErrImageNeverPull":
		r.stuck("The image of "+s.Name+", "+s.Image+", cannot be pulled"+said+".", "Mend the image's name or its pull policy.")
	case "CreateContainerConfigError":
		do := "Make what it names, a Secret or a key as a rule" + r.next("preflight")
		if strings.Contains(said, "runAsNonRoot") {
			do = "Let the image run as a user that is not root (runAsUser), or do without runAsNonRoot."
		}
		r.stuck("Container "+s.Name+" cannot be made"+said+".", do)
	case "CreateContainerError", "RunContainerError":
		r.stuck("Container "+s.Name+" cannot be started"+said+".", "Mend its command, working directory or mounts.")
	case "CrashLoopBackOff":
		r.stuck("Container "+s.Name+" ends again and again"+said+".", "See what it wrote.")
	}
}

// short is what the cluster says of an image or a container without the parts that only say again
// which one it is.
func short(said, image string) string {
	said = strings.TrimRight(strings.TrimSpace(said), ".")
	for _, mark := range []string{image + "\": ", image + ": "} {
		if i := strings.LastIndex(said, mark); i >= 0 {
			said = said[i+len(mark):]
		}
	}
	return said
}

// next is the command that says more of the template, where it is known.
func (r *rehearsal) next(command string) string {
	if r.out.Template == "" {
		return "."
	}
	return ": tachyphor " + command + " " + r.out.Template
}

// oomKilled is the reason of a container in which something was killed for memory: not always what
// it began with.
const oomKilled = "OOMKilled"

// over judges how the agent's container ended.
func (r *rehearsal) over(t *corev1.ContainerStateTerminated) {
	switch {
	case t.Reason == oomKilled && t.ExitCode != killed:
		how := "went on and ended well, so that the pod counts as done"
		if t.ExitCode != 0 {
			how = fmt.Sprintf("ended with status %d", t.ExitCode)
		}
		r.stuck("A process within the agent was killed for memory, above the limit"+r.ofLimit()+", and the agent "+how+".",
			"See in the job's own log what is missing; raise the limit, and the request with it: `tachyphor size` says how far.")
	case t.Reason == oomKilled:
		limit := r.ofLimit()
		if r.past {
			r.stuck("The agent was killed for memory: it went above its limit"+limit+".", "Raise the limit, and the request with it: "+
				"`tachyphor size` says how far, from what agents used.")
			return
		}
		r.stuck("The agent was killed for memory: it went above its limit"+limit+" before it did anything.",
			"Raise the limit, and the request with it; even the agent itself needs more.")
	case r.pod.DeletionTimestamp != nil && t.ExitCode == killed:
		grace := "the time that it was given"
		for _, s := range []*int64{r.pod.DeletionGracePeriodSeconds, r.pod.Spec.TerminationGracePeriodSeconds} { // the first is 0 in the end
			if s != nil && *s > 0 {
				grace = fmt.Sprintf("the %d s that it was given", *s)
				break
			}
		}
		r.stuck("The agent was asked to end, did not heed it, and was killed after "+grace+": what it had not saved is lost.",
			"Have its first process heed TERM (let the shell exec the agent), or give it longer: terminationGracePeriodSeconds.")
	case r.pod.DeletionTimestamp != nil:
		r.out.Worked, r.out.Says = true, fmt.Sprintf("The agent ended as it was asked to (status %d).", t.ExitCode)
	case t.ExitCode == 0 && r.own:
		r.stuck("The template's own start command ended by itself at once, without starting an agent.",
			"Leave command out, so that the image starts its agent"+r.next("check"))
	case t.ExitCode == 0:
		r.out.Worked = true
		r.out.Says = "The agent came up, did its job and went."
	case t.ExitCode == 127 || t.Reason == "ContainerCannotRun" || t.Reason == "StartError":
		r.stuck(fmt.Sprintf("The agent's container cannot run its command (status %d): %s", t.ExitCode, strings.TrimSpace(t.Message)),
			"Mend command or workingDir, or see whether the image has what they name.")
	default:
		r.stuck(fmt.Sprintf("The agent's container ended with status %d: %s", t.ExitCode, strings.TrimSpace(t.Reason+" "+t.Message)),
			"See what it wrote, below.")
	}
}

// killed is the status of what was ended by the kernel.
const killed = 137

// ofLimit names the agent's limit of memory, where it has one.
func (r *rehearsal) ofLimit() string {
	if r.limit == "" {
		return ""
	}
	return " of " + r.limit
}

// hear takes in what the cluster says of the pod.
func (r *rehearsal) hear(e *corev1.Event) {
	now := r.now()
	if len(r.out.Events) < mostEvents {
		r.out.Events = append(r.out.Events, wire.Event{
			At: int64(now.Sub(r.began)), Reason: e.Reason, Message: e.Message,
			Warning: e.Type == corev1.EventTypeWarning,
		})
	}
	switch e.Reason {
	case "FailedScheduling":
		if r.unplaced.IsZero() {
			r.unplaced = now
		}
	case "Pulled":
		if r.started.IsZero() {
			r.pulled = now // the last one counts
		}
	case "Pulling", "Created": // what comes once its volumes are there
		r.unmounted = ""
	case "FailedMount", "FailedAttachVolume":
		r.unmounted = strings.TrimRight(e.Message, ".")
	}
}

// wait looks at what takes too long.
func (r *rehearsal) wait() {
	now := r.now()
	switch {
	case r.unmounted != "" && r.started.IsZero() && now.Sub(r.began) > mountTime:
		r.stuck("A volume cannot be mounted: "+r.unmounted+".", "See whether the claim, Secret or config map is there and free.")
	case r.placed.IsZero() && !r.unplaced.IsZero() && now.Sub(r.unplaced) > r.patience.Placing:
		says, do := noRoom(r.lastUnschedulable())
		r.stuck(says, do)
	case r.placed.IsZero() && r.unplaced.IsZero() && now.Sub(r.began) > r.patience.Placing:
		r.stuck("Nothing placed the pod: no scheduler looks at it.", "See whether the scheduler runs, and what schedulerName the template gives.")
	case r.own && !r.started.IsZero() && r.ended.IsZero() && now.Sub(r.started) > r.patience.Quiet && r.silent():
		r.stuck(fmt.Sprintf("The container sleeps: it runs the template's own start command, and in %v it wrote nothing and did not end.",
			r.patience.Quiet),
			"Leave command out, so that the image starts its agent"+r.next("check"))
	}
}

// silent reports whether the agent's container has written nothing.
func (r *rehearsal) silent() bool {
	ctx, cancel := context.WithTimeout(context.Background(), requestTime)
	defer cancel()
	b, err := r.client.CoreV1().Pods(r.namespace).GetLogs(r.pod.Name, &corev1.PodLogOptions{Container: r.container}).DoRaw(ctx)
	return err == nil && len(strings.TrimSpace(string(b))) == 0
}

// lastUnschedulable returns what the scheduler said last.
func (r *rehearsal) lastUnschedulable() string {
	for _, c := range r.pod.Status.Conditions {
		if c.Type == corev1.PodScheduled && c.Message != "" {
			return c.Message
		}
	}
	said := ""
	for _, e := range r.out.Events {
		if e.Reason == "FailedScheduling" {
			said = e.Message
		}
	}
	return said
}

// noRoom puts the scheduler's refusal into a sentence.
func noRoom(said string) (says, do string) {
	var short []string
	for _, x := range []struct{ mark, what string }{
		{"Insufficient cpu", "CPU"},
		{"Insufficient memory", "memory"},
		{"Insufficient ephemeral-storage", "disk"},
		{"Too many pods", "pods per node"},
	} {
		if strings.Contains(said, x.mark) {
			short = append(short, x.what)
		}
	}
	do = "Lower the request, free a node, or let a pool grow: tachyphor check says what fits."
	switch {
	case len(short) > 0:
		says = "There is no room for it: no node has enough " + strings.Join(short, " or ") + " left. The scheduler says: " + said
	case strings.Contains(said, "untolerated taint"):
		says, do = "Every node that could hold it has a taint that it does not tolerate. The scheduler says: "+
			said, "Add the toleration, or a pool without the taint."
	case strings.Contains(said, "affinity") || strings.Contains(said, "selector"):
		says, do = "No node has the labels that it wants. The scheduler says: "+said, "Mend nodeSelector or affinity."
	default:
		says = "No node takes it. The scheduler says: " + said
	}
	return says, do
}
