package kube

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/kit"
	"tachyphor/core/units"

	batchv1 "k8s.io/api/batch/v1"
	corev1 "k8s.io/api/core/v1"
	apierrors "k8s.io/apimachinery/pkg/api/errors"
	"k8s.io/apimachinery/pkg/api/resource"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// Shards are groups of shards that pods of an Indexed Job compute, one group an index. Kubernetes
// queues, places, retries and clears them away.
type Shards struct {
	Name      string // of the Job and its Secret
	Work      uint64 // the piece of work that they are of, in a label
	Namespace string // empty: the context's own
	Image     string // runs this program
	Groups    int
	Pods      int         // at once, at most
	Memory    units.Bytes // of a pod
	Address   string      // of the service, as pods reach it
	Token     string      // lets a pod read and answer these shards, and nothing else
	Patience  time.Duration
}

// What pods of shards are told, and the label by which their Jobs are found.
const (
	ShardsAddress = "TACHYPHOR_SHARDS_ADDRESS"
	ShardsToken   = "TACHYPHOR_SHARDS_TOKEN"
	ShardsIndex   = "JOB_COMPLETION_INDEX" // which Kubernetes sets
	shardsLabel   = "tachyphor/shards-of"
	shardsSecret  = "token"
	// ShardsRefused is what a pod ends with that another try would not help.
	ShardsRefused = 42
)

// Bounds of a Job of shards.
const (
	shardsTries    = 3             // of a group, beside the first
	shardsLongest  = 6 * time.Hour // of the Job
	shardsStay     = 5 * time.Minute
	shardsLook     = time.Second
	shardsPatience = 3 * time.Minute  // without a pod that comes up
	shardsLost     = 15 * time.Second // with none but pods of lost nodes
	shardsLeast    = units.Bytes(96 << 20)
)

// Reasons why a cluster does not compute shards.
var (
	ErrShards = errors.New("the cluster computes nothing")
	// ErrShardsLost says that all that is left of a Job are pods of nodes that do not answer: Kubernetes
	// replaces them when their nodes are taken off, which nobody waits for. Another Job may do the rest.
	ErrShardsLost = errors.New("nodes do not answer any more")
)

// ShardsIn is the namespace that is meant: the one that is named, the context's own, or default.
func (c *Cluster) ShardsIn(named string) string {
	if named != "" {
		return named
	}
	if c.namespace != "" {
		return c.namespace
	}
	return metav1.NamespaceDefault
}

// TryShards looks whether a Job of shards would be taken, without making it.
func (c *Cluster) TryShards(ctx context.Context, s Shards) error {
	ns := c.ShardsIn(s.Namespace)
	dry := metav1.CreateOptions{DryRun: []string{metav1.DryRunAll}}
	if _, err := c.client.BatchV1().Jobs(ns).Create(ctx, s.job(), dry); err != nil {
		return c.refused(ns, err)
	}
	if _, err := c.client.CoreV1().Secrets(ns).Create(ctx, s.secret(nil), dry); err != nil {
		return c.refused(ns, err)
	}
	if _, err := c.client.CoreV1().Pods(ns).List(ctx, metav1.ListOptions{Limit: 1}); err != nil {
		return c.refused(ns, err)
	}
	return nil
}

// refused tells what the API server says, and what to do.
func (c *Cluster) refused(namespace string, err error) error {
	do := ""
	switch {
	case apierrors.IsForbidden(err) && strings.Contains(err.Error(), "exceeded quota"):
		do = "; free some of the quota, or name another namespace"
	case apierrors.IsForbidden(err):
		do = "; `tachyphor render --parts shards --namespace " + namespace + "` writes the rights that this needs"
	case apierrors.IsNotFound(err):
		do = "; make the namespace, or name another"
	}
	return fmt.Errorf("%w: %s, namespace %s: %s%s", ErrShards, c.Context, namespace, words(err), do)
}

// RunShards has shards computed until ctx ends, as it does once all are answered, or until that
// cannot be: then the error says why. What was made is taken away in any case. tell is told how it
// stands.
func (c *Cluster) RunShards(ctx context.Context, s Shards, tell func(string)) (err error) {
	ns := c.ShardsIn(s.Namespace)
	job, err := c.client.BatchV1().Jobs(ns).Create(ctx, s.job(), metav1.CreateOptions{})
	if err != nil {
		return c.refused(ns, err)
	}
	defer func() {
		err = errors.Join(err, c.dropShards(ns, job.Name))
	}()
	owner := metav1.OwnerReference{APIVersion: "batch/v1", Kind: "Job", Name: job.Name, UID: job.UID}
	if _, err := c.client.CoreV1().Secrets(ns).Create(ctx, s.secret(&owner), metav1.CreateOptions{}); err != nil {
		return c.refused(ns, err)
	}
	patience := s.Patience
	if patience == 0 {
		patience = shardsPatience
	}
	looked := time.NewTicker(min(shardsLook, patience/4))
	defer looked.Stop()
	came, silent := time.Now(), 0 // since when no pod is at work; looks that failed in a row
	var ended, lost time.Time     // when all pods had ended well; since when there are none but lost ones
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-looked.C:
		}
		now, err := c.standsShards(ctx, ns, job.Name, s.Groups)
		switch {
		case ctx.Err() != nil:
			return nil
		case apierrors.IsNotFound(err):
			return fmt.Errorf("%w: someone took the Job %s/%s away", ErrShards, ns, job.Name)
		case err != nil:
			if silent++; silent*int(shardsLook) > int(patience) {
				return fmt.Errorf("%w: %s does not answer: %s", ErrShards, c.Context, words(err))
			}
			continue
		}
		silent = 0
		tell(now.says(c.Context))
		if now.failed != "" {
			return fmt.Errorf("%w: Job %s/%s: %s", ErrShards, ns, job.Name, now.failed)
		}
		if now.atWork > 0 {
			came = time.Now()
		}
		switch {
		case now.lost == 0 || now.lost < now.there:
			lost = time.Time{}
		case lost.IsZero():
			lost = time.Now()
		case time.Since(lost) > shardsLost:
			return fmt.Errorf("%w: %s, namespace %s: %s", ErrShardsLost, c.Context, ns, now.trouble)
		}
		if now.complete {
			if came = time.Now(); ended.IsZero() {
				ended = came
			}
			if time.Since(ended) > patience/2 {
				return fmt.Errorf("%w: the pods of Job %s/%s ended, and did not answer all that they were asked", ErrShards, ns, job.Name)
			}
		}
		if time.Since(came) > patience {
			why := now.trouble
			if why == "" {
				why = "nothing says why"
			}
			return fmt.Errorf("%w: no pod came up in namespace %s of %s within %s: %s", ErrShards, ns, c.Context,
				units.Duration(patience).Short(), why)
		}
	}
}

// shardsStanding is how a Job of shards stands.
type shardsStanding struct {
	groups, done, atWork int
	there, lost          int // pods that have not ended; those of them whose nodes do not answer
	complete             bool
	failed, trouble      string
}

func (s *shardsStanding) says(context string) string {
	out := fmt.Sprintf("%s: %d of %d groups done, %d pods at work", context, s.done, s.groups, s.atWork)
	if s.trouble != "" {
		out += "; " + s.trouble
	}
	return out
}

// standsShards looks at a Job, its pods and what is said of them.
func (c *Cluster) standsShards(ctx context.Context, ns, name string, groups int) (*shardsStanding, error) {
	job, err := c.client.BatchV1().Jobs(ns).Get(ctx, name, metav1.GetOptions{})
	if err != nil {
		return nil, err
	}
	out := &shardsStanding{groups: groups, done: int(job.Status.Succeeded)}
	pods, err := c.client.CoreV1().Pods(ns).List(ctx, metav1.ListOptions{LabelSelector: batchv1.JobNameLabel + "=" + name})
	if err != nil {
		return nil, err
	}
	for i := range pods.Items {
		p := &pods.Items[i]
		if p.Status.Phase == corev1.PodRunning || p.Status.Phase == corev1.PodPending {
			out.there++
		}
		switch {
		case p.Status.Phase != corev1.PodRunning:
		case unanswered(p):
			out.lost++
			out.trouble = "node " + p.Spec.NodeName + " of pod " + p.Name + " does not answer"
		default:
			out.atWork++
		}
		if why := podTrouble(p); why != "" && out.trouble == "" {
			out.trouble = why
		}
	}
	if out.trouble == "" && len(pods.Items) < groups {
		out.trouble = c.jobTrouble(ctx, ns, name)
	}
	for _, x := range job.Status.Conditions {
		if x.Status != corev1.ConditionTrue {
			continue
		}
		switch x.Type {
		case batchv1.JobComplete, batchv1.JobSuccessCriteriaMet:
			out.complete = true
		case batchv1.JobFailed, batchv1.JobFailureTarget:
			if out.failed = x.Message; out.trouble != "" {
				out.failed += ": " + out.trouble
			}
		}
	}
	return out, nil
}

// unanswered reports whether a pod is said to be at work that its node tells nothing of: the cluster
// then takes its word away that it is ready.
func unanswered(p *corev1.Pod) bool {
	return slices.ContainsFunc(p.Status.Conditions, func(c corev1.PodCondition) bool {
		return c.Type == corev1.PodReady && c.Status == corev1.ConditionFalse
	}) && !slices.ContainsFunc(p.Status.ContainerStatuses, func(s corev1.ContainerStatus) bool { return s.State.Running == nil })
}

// podTrouble says why a pod does not come up, or ended badly; empty: it does, or did not.
func podTrouble(p *corev1.Pod) string {
	for _, x := range p.Status.Conditions {
		if x.Type == corev1.PodScheduled && x.Status == corev1.ConditionFalse {
			says, do := noRoom(x.Message)
			return "pod " + p.Name + " finds no node: " + says + " " + do
		}
	}
	for _, s := range p.Status.ContainerStatuses {
		if w := s.State.Waiting; w != nil && w.Reason != "ContainerCreating" && w.Reason != "PodInitializing" {
			do := "" // a Secret that is missing comes with the next breath
			if strings.Contains(w.Reason, "Image") {
				do = "; see whether the image's name and tag are right, and whether the registry lets the nodes in"
			}
			return strings.TrimRight(fmt.Sprintf("pod %s does not start: %s: %s", p.Name, w.Reason, w.Message), ": ") + do
		}
		if t := s.State.Terminated; t != nil && t.ExitCode != 0 {
			says := strings.TrimSpace(t.Message)
			switch {
			case t.Reason == oomKilled:
				says = "it was killed for memory; ask for fewer jobs or a shorter span, or without a cluster"
			case says == "":
				says = t.Reason
			}
			return fmt.Sprintf("pod %s ended with exit code %d: %s", p.Name, t.ExitCode, says)
		}
	}
	return ""
}

// jobTrouble is what the newest warning of a Job says, as where a quota refuses its pods.
func (c *Cluster) jobTrouble(ctx context.Context, ns, name string) string {
	list, err := c.client.CoreV1().Events(ns).List(ctx, metav1.ListOptions{
		FieldSelector: "involvedObject.kind=Job,involvedObject.name=" + name,
	})
	if err != nil {
		return "" // without the right to read events it is not known
	}
	events := slices.DeleteFunc(list.Items, func(e corev1.Event) bool { return e.Type != corev1.EventTypeWarning })
	if len(events) == 0 {
		return ""
	}
	newest := slices.MaxFunc(events, func(a, b corev1.Event) int { return a.LastTimestamp.Compare(b.LastTimestamp.Time) })
	return "no pod is made: " + newest.Message
}

// dropShards takes a Job away, and with it its pods and its Secret.
func (c *Cluster) dropShards(ns, name string) error {
	ctx, done := context.WithTimeout(context.Background(), requestTime)
	defer done()
	all := metav1.DeletePropagationBackground
	err := c.client.BatchV1().Jobs(ns).Delete(ctx, name, metav1.DeleteOptions{PropagationPolicy: &all})
	if err != nil && !apierrors.IsNotFound(err) {
		return fmt.Errorf("the Job %s/%s could not be taken away, and ends by itself: %s", ns, name, words(err))
	}
	return nil
}

// ClearShards takes away Jobs of a piece of work that an earlier process left.
func (c *Cluster) ClearShards(ctx context.Context, namespace string, work uint64) error {
	ns := c.ShardsIn(namespace)
	list, err := c.client.BatchV1().Jobs(ns).List(ctx, metav1.ListOptions{LabelSelector: fmt.Sprintf("%s=%d", shardsLabel, work)})
	if err != nil {
		return c.refused(ns, err)
	}
	for i := range list.Items {
		if err := c.dropShards(ns, list.Items[i].Name); err != nil {
			return err
		}
	}
	return nil
}

func (s *Shards) secret(owner *metav1.OwnerReference) *corev1.Secret {
	out := &corev1.Secret{
		ObjectMeta: metav1.ObjectMeta{Name: s.Name, Labels: s.labels()},
		StringData: map[string]string{shardsSecret: s.Token},
	}
	if owner != nil {
		out.OwnerReferences = []metav1.OwnerReference{*owner}
	}
	return out
}

func (s *Shards) labels() map[string]string {
	return map[string]string{"app.kubernetes.io/name": "tachyphor", shardsLabel: fmt.Sprint(s.Work)}
}

// job is the Job as it is made.
func (s *Shards) job() *batchv1.Job {
	memory := resource.NewQuantity(int64(max(s.Memory, shardsLeast)), resource.BinarySI)
	const user = 65532
	asPod, asContainer := kit.Restricted(user)
	asPod.RunAsGroup, asContainer.ReadOnlyRootFilesystem = new(int64(user)), new(true)
	pod := corev1.PodSpec{
		RestartPolicy: corev1.RestartPolicyNever, AutomountServiceAccountToken: new(false), EnableServiceLinks: new(false),
		SecurityContext: asPod,
		Containers: []corev1.Container{{
			Name: "shards", Image: s.Image, Args: []string{"work"},
			Env: []corev1.EnvVar{
				{Name: ShardsAddress, Value: s.Address},
				{Name: ShardsToken, ValueFrom: &corev1.EnvVarSource{SecretKeyRef: &corev1.SecretKeySelector{
					LocalObjectReference: corev1.LocalObjectReference{Name: s.Name}, Key: shardsSecret,
				}}},
			},
			Resources: corev1.ResourceRequirements{
				Requests: corev1.ResourceList{corev1.ResourceCPU: resource.MustParse("1"), corev1.ResourceMemory: *memory},
				Limits:   corev1.ResourceList{corev1.ResourceMemory: *memory},
			},
			TerminationMessagePolicy: corev1.TerminationMessageFallbackToLogsOnError,
			SecurityContext:          asContainer,
		}},
	}
	return &batchv1.Job{
		ObjectMeta: metav1.ObjectMeta{Name: s.Name, Labels: s.labels()},
		Spec: batchv1.JobSpec{
			CompletionMode: new(batchv1.IndexedCompletion), Completions: new(int32(s.Groups)), Parallelism: new(int32(min(s.Pods, s.Groups))),
			BackoffLimitPerIndex: new(int32(shardsTries)), MaxFailedIndexes: new(int32(0)), PodReplacementPolicy: new(batchv1.Failed),
			ActiveDeadlineSeconds: new(int64(shardsLongest / time.Second)), TTLSecondsAfterFinished: new(int32(shardsStay / time.Second)),
			PodFailurePolicy: &batchv1.PodFailurePolicy{Rules: []batchv1.PodFailurePolicyRule{
				{Action: batchv1.PodFailurePolicyActionIgnore, OnPodConditions: []batchv1.PodFailurePolicyOnPodConditionsPattern{
					{Type: corev1.DisruptionTarget, Status: corev1.ConditionTrue},
				}},
				{Action: batchv1.PodFailurePolicyActionFailJob, OnExitCodes: &batchv1.PodFailurePolicyOnExitCodesRequirement{
					ContainerName: new("shards"), Operator: batchv1.PodFailurePolicyOnExitCodesOpIn, Values: []int32{ShardsRefused},
				}},
			}},
			Template: corev1.PodTemplateSpec{ObjectMeta: metav1.ObjectMeta{Labels: s.labels()}, Spec: pod},
		},
	}
}
