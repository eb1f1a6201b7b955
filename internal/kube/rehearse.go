package kube

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"time"

	"k8s.io/apimachinery/pkg/util/wait"

	"tachyphor/core/document"
	"tachyphor/core/template"
	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/fields"
	"k8s.io/apimachinery/pkg/watch"
)

// Limits of a rehearsal. Zero values stand for these.
const (
	trialTime   = 10 * time.Minute // in all
	unplaceable = 3 * time.Minute  // without room, time for a node to boot
	quietTime   = 30 * time.Second // a container that runs and does nothing
	mountTime   = time.Minute      // for volumes to come
	failedPulls = 2                // before a pull counts as failed for good
	goneTime    = 30 * time.Second // for the pod to go
	mostLog     = 16 << 10
	mostEvents  = 60
)

// label marks pods of rehearsals, so that one that was left behind is found.
const label = "tachyphor/rehearsal"

// Patience bounds how long a rehearsal waits.
type Patience struct {
	Whole, Placing, Quiet, Gone time.Duration
}

func (p Patience) filled() Patience {
	or := func(d *time.Duration, usual time.Duration) {
		if *d <= 0 {
			*d = usual
		}
	}
	or(&p.Whole, trialTime)
	or(&p.Placing, unplaceable)
	or(&p.Quiet, quietTime)
	or(&p.Gone, goneTime)
	return p
}

// rehearsal is one on its way.
type rehearsal struct {
	*Cluster
	out       *wire.Rehearsal
	patience  Patience
	namespace string
	container string // the agent's
	own       bool   // the template's own command runs, for it has one
	limit     string // of memory
	tell      func(wire.Rehearsal)

	past  bool      // it is looked at afterwards, from records
	clock time.Time // of what is looked at then

	began                                       time.Time
	pod                                         *corev1.Pod
	placed, pulled, started, ended, asked, gone time.Time
	grown                                       bool      // the node came after the pod
	unplaced                                    time.Time // since when there is no room
	unmounted                                   string    // why a volume is not there; empty: none is known to be missing
	pulls                                       int       // failed ones
	pulling                                     string
}

// now is the moment of what is looked at.
func (r *rehearsal) now() time.Time {
	if r.past {
		return r.clock
	}
	return time.Now()
}

// harmless is the job of a rehearsal: it says where it runs and what tools there
// are, and touches nothing.
func harmless(tools []string) []string {
	if len(tools) == 0 {
		tools = []string{"git", "make", "gcc", "go", "node", "python3", "java", "rustc"}
	}
	var clean []string
	for _, t := range tools {
		if toolName.MatchString(t) {
			clean = append(clean, t)
		}
	}
	return []string{"/bin/sh", "-c", `echo "host $(hostname)"
echo "user $(id -u)"
echo "directory $(pwd)"
for t in ` + strings.Join(clean, " ") + `; do
  if command -v "$t" >/dev/null 2>&1; then
    v=$("$t" --version 2>/dev/null </dev/null | head -n 1)
    [ -n "$v" ] || v=$("$t" version 2>/dev/null </dev/null | head -n 1)
    echo "$t: ${v:-there}"
  else
    echo "$t: missing"
  fi
done`}
}

var toolName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9._+-]{0,62}$`)

// Rehearse makes one agent of a template, gives it a harmless job, follows it to
// the end and takes it away whatever happens, also when ctx is ended. tools are
// asked for their versions. tell hears of every change and must not keep what it
// is given.
func (c *Cluster) Rehearse(ctx context.Context, d *document.Document, tools []string, p Patience,
	tell func(wire.Rehearsal),
) wire.Rehearsal {
	r := &rehearsal{
		Cluster: c, patience: p.filled(), tell: tell, began: time.Now(),
		out: &wire.Rehearsal{Template: d.Name, Context: c.Context, Stretches: []wire.Stretch{}, Events: []wire.Event{}},
	}
	made, err := r.prepare(d, tools)
	if err != nil {
		r.out.Says, r.out.Do = err.Error(), "Mend the template: tachyphor check "+d.Name
		return *r.out
	}
	r.sweep(ctx)
	whole, cancel := context.WithTimeout(ctx, r.patience.Whole)
	defer cancel()
	r.pod, err = c.client.CoreV1().Pods(r.namespace).Create(whole, made, metav1.CreateOptions{})
	if err != nil {
		r.refused(err)
		return *r.out
	}
	r.out.Pod = r.pod.Name
	defer r.leave() // also when something below panics
	r.follow(whole)
	if ctx.Err() != nil && r.out.Says == "" {
		r.out.Says = "The rehearsal was broken off."
	}
	r.log()
	r.leave()
	r.stretch()
	return *r.out
}

// prepare makes the pod of a rehearsal.
func (r *rehearsal) prepare(d *document.Document, tools []string) (*corev1.Pod, error) {
	p, err := pod(d)
	if err != nil {
		return nil, err
	}
	at, _ := template.AgentContainer(d.Value.(*document.PodTemplate))
	if at < 0 {
		return nil, errors.New("which container is the agent cannot be told")
	}
	if r.namespace = p.Namespace; r.namespace == "" {
		return nil, errors.New("the template names no namespace")
	}
	a := &p.Spec.Containers[at]
	r.container = a.Name
	if q, ok := a.Resources.Limits[corev1.ResourceMemory]; ok {
		r.limit = q.String()
	}
	if r.own = len(a.Command) > 0; !r.own {
		a.Command, a.Args = harmless(tools), nil
	}
	a.TTY, a.Stdin = false, false
	id := make([]byte, 6)
	_, _ = rand.Read(id)
	if p.Labels == nil {
		p.Labels = map[string]string{}
	}
	p.Labels[label] = hex.EncodeToString(id)
	p.Spec.RestartPolicy = corev1.RestartPolicyNever
	deadline := int64((r.patience.Whole + r.patience.Gone).Seconds()) + 1 // it ends by itself, should nobody be left to end it
	p.Spec.ActiveDeadlineSeconds = &deadline
	return p, nil
}

// sweep takes away pods that an earlier rehearsal left behind.
func (r *rehearsal) sweep(ctx context.Context) {
	list, err := r.client.CoreV1().Pods(r.namespace).List(ctx, metav1.ListOptions{LabelSelector: label})
	if err != nil {
		return // the next call will say why
	}
	for _, p := range list.Items {
		if d := p.Spec.ActiveDeadlineSeconds; d != nil && time.Since(p.CreationTimestamp.Time) > time.Duration(*d)*time.Second {
			_ = r.client.CoreV1().Pods(r.namespace).Delete(ctx, p.Name, metav1.DeleteOptions{})
		}
	}
}

// refused says why the server did not take the pod.
func (r *rehearsal) refused(err error) {
	said := words(err)
	switch {
	case apierrors.IsForbidden(err) && strings.Contains(said, "exceeded quota"):
		r.out.Says, r.out.Do = "The quota leaves no room: "+said+".", "Raise the quota, or wait until agents are gone."
	case apierrors.IsForbidden(err) && strings.Contains(said, "cannot create resource"):
		r.out.Says, r.out.Do = "The right to make pods is missing: "+said+
			".", "Apply the access kit, or use a connection that may make pods: tachyphor preflight "+r.out.Template
	case apierrors.IsForbidden(err):
		r.out.Says, r.out.Do = "The cluster does not admit the pod: "+said+".", "Mend what it names."
	case apierrors.IsNotFound(err):
		r.out.Says, r.out.Do = "There is no namespace "+r.namespace+".", applyKit(r.out.Template, "")
	default:
		r.out.Says, r.out.Do = "The server did not take the pod: "+said+".", "Mend what it names: tachyphor check "+r.out.Template
	}
}

// follow watches the pod and its events until it is over or stuck.
func (r *rehearsal) follow(ctx context.Context) {
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	one := metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("metadata.name", r.pod.Name).String()}
	about := metav1.ListOptions{FieldSelector: fields.OneTermEqualSelector("involvedObject.name", r.pod.Name).String()}
	pods := r.stream(ctx, func() (watch.Interface, error) { return r.patient.CoreV1().Pods(r.namespace).Watch(ctx, one) })
	events := r.stream(ctx, func() (watch.Interface, error) { return r.patient.CoreV1().Events(r.namespace).Watch(ctx, about) })
	seen := map[string]int32{}
	for r.out.Says == "" {
		select {
		case <-ctx.Done():
			if errors.Is(ctx.Err(), context.DeadlineExceeded) {
				r.stuck(fmt.Sprintf("It was not done after %v%s.", r.patience.Whole, r.lastWord()),
					"Mend what it was waiting for; the events below are in order.")
			}
			return
		case e := <-pods:
			if p, ok := e.Object.(*corev1.Pod); ok {
				r.look(p, e.Type == watch.Deleted)
				r.tell(*r.out)
			}
		case e := <-events:
			if v, ok := e.Object.(*corev1.Event); ok && v.Count >= seen[v.Name] && (v.Count > seen[v.Name] || seen[v.Name] == 0) {
				seen[v.Name] = max(v.Count, 1)
				r.hear(v)
				r.tell(*r.out)
			}
		case <-tick.C:
			r.wait()
		}
	}
}

// lastWord is what the cluster said last that was no good news; empty when there was none.
func (r *rehearsal) lastWord() string {
	for _, e := range slices.Backward(r.out.Events) {
		if e.Warning {
			return "; the cluster's last word was: " + strings.TrimRight(e.Message, ".")
		}
	}
	return ""
}

// stream keeps a watch going, and opens it again when it ends. Each begins with what there
// is then, so that nothing is missed in between, on servers too that have forgotten it.
func (r *rehearsal) stream(ctx context.Context, open func() (watch.Interface, error)) <-chan watch.Event {
	out := make(chan watch.Event)
	go wait.UntilWithContext(ctx, func(ctx context.Context) {
		w, err := open()
		if err != nil {
			return
		}
		defer w.Stop()
		for e := range w.ResultChan() {
			select {
			case out <- e:
			case <-ctx.Done():
				return
			}
		}
	}, 300*time.Millisecond)
	return out
}

// leave takes the pod away: in its own time first, at once if that does not help.
func (r *rehearsal) leave() {
	if r.pod == nil || !r.gone.IsZero() {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), r.patience.Gone+requestTime)
	defer cancel()
	pods := r.client.CoreV1().Pods(r.namespace)
	r.asked = time.Now()
	grace := int64(2)
	remove := func(grace int64) error {
		return pods.Delete(ctx, r.pod.Name, metav1.DeleteOptions{
			GracePeriodSeconds: &grace,
			Preconditions:      &metav1.Preconditions{UID: &r.pod.UID},
		})
	}
	is := func() bool {
		_, err := pods.Get(ctx, r.pod.Name, metav1.GetOptions{})
		return !apierrors.IsNotFound(err)
	}
	err := remove(grace)
	for deadline := r.asked.Add(r.patience.Gone); (err == nil || !apierrors.IsNotFound(err)) && time.Now().Before(deadline); {
		if !is() {
			err = apierrors.NewNotFound(corev1.Resource("pods"), r.pod.Name)
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	r.gone = time.Now()
	if apierrors.IsNotFound(err) {
		r.out.Cleaned = "the pod is gone"
		return
	}
	if err = remove(0); err == nil || apierrors.IsNotFound(err) {
		r.out.Cleaned = fmt.Sprintf("the pod did not go within %v and was taken away by force", r.patience.Gone)
		return
	}
	r.out.Cleaned = fmt.Sprintf("the pod %s is still there: %s; it ends by itself within %v: kubectl -n %s delete pod %s", r.pod.Name,
		words(err), r.patience.Whole, r.namespace, r.pod.Name)
}

// log reads what the agent's container wrote.
func (r *rehearsal) log() {
	if r.started.IsZero() {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), requestTime)
	defer cancel()
	s, err := r.client.CoreV1().Pods(r.namespace).GetLogs(r.pod.Name, &corev1.PodLogOptions{Container: r.container}).Stream(ctx)
	if err != nil {
		return
	}
	defer func() { _ = s.Close() }()
	b, _ := io.ReadAll(io.LimitReader(s, mostLog))
	r.out.Log = strings.TrimRight(string(b), "\n")
}

// stretch cuts the pod's life into phases at the moments that were seen.
func (r *rehearsal) stretch() {
	marks := []struct {
		phase string
		until time.Time
	}{{"placing", r.placed}, {"image", r.pulled}, {"setup", r.started}, {"work", r.ended}}
	at := r.began
	if r.grown && !r.unplaced.IsZero() { // refused at first, and then a node came for it
		marks = slices.Insert(marks, 0, struct {
			phase string
			until time.Time
		}{"placing", r.unplaced})
		marks[1].phase = "node"
	}
	for _, m := range marks {
		until := m.until
		if until.IsZero() {
			until = r.asked // it got no further
		}
		if until.Before(at) { // what was seen later than what came after it, or was done before
			until = at
		}
		r.out.Stretches = append(r.out.Stretches, wire.Stretch{
			Phase: m.phase, From: int64(at.Sub(r.began)), Ns: int64(until.Sub(at)),
			Says: r.reason(m.phase),
		})
		at = until
		if m.until.IsZero() {
			break
		}
	}
	r.out.Stretches = append(r.out.Stretches, wire.Stretch{
		Phase: "wipe", From: int64(at.Sub(r.began)), Ns: max(0, int64(r.gone.Sub(at))),
		Says: r.out.Cleaned,
	})
}

// reason finds what the cluster said about a phase.
func (r *rehearsal) reason(phase string) string {
	of := map[string][]string{
		"placing": {"FailedScheduling", "Scheduled"}, "node": {"Scheduled"}, "image": {"Failed", "BackOff", "Pulling", "Pulled"},
		"setup": {"Created", "Started"}, "work": {},
	}[phase]
	if phase == "placing" && r.grown && !r.unplaced.IsZero() {
		of = of[:1] // it was refused; where it went in the end belongs to the node
	}
	last := ""
	for _, e := range r.out.Events {
		switch {
		case phase == "image" && e.Reason == "Pulled" && strings.Contains(last, "ulled"): // every image has its part in the time
			last += "; " + e.Message
		case slices.Contains(of, e.Reason):
			last = e.Message
		}
	}
	switch {
	case phase == "work" && r.past:
		last = "its job"
	case phase == "work" && !r.ended.IsZero():
		last = "the harmless job"
	}
	return last
}
