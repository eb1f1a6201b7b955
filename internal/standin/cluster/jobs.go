package cluster

import (
	"fmt"
	"slices"
	"strconv"
	"time"

	batchv1 "k8s.io/api/batch/v1"
	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// jobs make the pods of Indexed Jobs and count how they end, as far as shards need it: a pod an
// index, so many at once, again where one fails or is lost.
type jobs struct {
	c     *Cluster
	state map[string]*jobState // by UID
}

// jobState is what is remembered of one Job.
type jobState struct {
	done   map[int]bool
	failed map[int]int     // pods that failed, by index
	seen   map[string]bool // pods that were counted
	refuse time.Time       // until then no pod is tried again
}

const (
	jobsLook   = 100 * time.Millisecond
	jobsRefuse = time.Second
)

func (j *jobs) run() {
	for {
		select {
		case <-j.c.running.Done():
			return
		case <-time.After(jobsLook):
		}
		all, _ := j.c.objects.list(jobsOf, "")
		for _, o := range all {
			job := into[batchv1.Job](o)
			if !slices.ContainsFunc(job.Status.Conditions, func(x batchv1.JobCondition) bool { return x.Status == corev1.ConditionTrue }) {
				j.look(&job)
			}
		}
	}
}

// indexOf is the index that a pod is for.
func indexOf(p *corev1.Pod) int {
	n, err := strconv.Atoi(p.Annotations[batchv1.JobCompletionIndexAnnotation])
	if err != nil {
		return -1
	}
	return n
}

// look takes a Job one step on.
func (j *jobs) look(job *batchv1.Job) {
	s := j.state[string(job.UID)]
	if s == nil {
		s = &jobState{done: map[int]bool{}, failed: map[int]int{}, seen: map[string]bool{}}
		j.state[string(job.UID)] = s
	}
	active := map[int]bool{}
	fatal := ""
	all, _ := j.c.objects.list(pods, job.Namespace)
	for _, o := range all {
		p := into[corev1.Pod](o)
		if !slices.ContainsFunc(p.OwnerReferences, func(r metav1.OwnerReference) bool { return r.UID == job.UID }) {
			continue
		}
		switch i := indexOf(&p); {
		case p.Status.Phase == corev1.PodSucceeded:
			s.done[i] = true
		case p.Status.Phase != corev1.PodFailed:
			active[i] = true // one that is going, too: another comes once it is gone
		case !s.seen[string(p.UID)]:
			s.seen[string(p.UID)] = true
			s.failed[i]++
			if code, fails := failsJob(job, &p); fails {
				fatal = fmt.Sprintf("Container for pod %s/%s failed with exit code %d matching FailJob rule", p.Namespace, p.Name, code)
			}
		}
	}
	n := int(*job.Spec.Completions)
	limit := int(*job.Spec.BackoffLimitPerIndex)
	over, given := 0, 0
	for i := range n {
		switch {
		case s.done[i]:
			over++
		case s.failed[i] > limit:
			over, given = over+1, given+1
		case fatal == "" && !active[i] && len(active) < int(*job.Spec.Parallelism) && time.Now().After(s.refuse):
			if err := j.make(job, i); err != nil {
				s.refuse = time.Now().Add(jobsRefuse)
				j.warn(job, "Error creating: "+err.Error())
				continue
			}
			active[i] = true
		}
	}
	j.c.objects.edit(jobsOf, job.Namespace+"/"+job.Name, func(o object) bool {
		now := into[batchv1.Job](o)
		now.Status.Active, now.Status.Succeeded, now.Status.Failed = int32(len(active)), int32(len(s.done)), int32(len(s.seen))
		end := func(kind batchv1.JobConditionType, says string) {
			now.Status.Conditions = append(now.Status.Conditions, batchv1.JobCondition{Type: kind, Status: corev1.ConditionTrue, Message: says})
		}
		switch {
		case fatal != "":
			end(batchv1.JobFailed, fatal)
		case given > 0 && (over == n || job.Spec.MaxFailedIndexes != nil && given > int(*job.Spec.MaxFailedIndexes)):
			end(batchv1.JobFailed, "Job has failed indexes")
		case over == n:
			end(batchv1.JobComplete, "")
		}
		before := fmt.Sprint(o["status"])
		o["status"] = encode(now.Status)
		return fmt.Sprint(o["status"]) != before
	})
}

// failsJob reports whether a pod ended with what the Job's policy says ends it all.
func failsJob(job *batchv1.Job, p *corev1.Pod) (int32, bool) {
	if job.Spec.PodFailurePolicy == nil {
		return 0, false
	}
	for _, s := range p.Status.ContainerStatuses {
		for _, r := range job.Spec.PodFailurePolicy.Rules {
			if t := s.State.Terminated; t != nil && r.Action == batchv1.PodFailurePolicyActionFailJob && r.OnExitCodes != nil &&
				slices.Contains(r.OnExitCodes.Values, t.ExitCode) {
				return t.ExitCode, true
			}
		}
	}
	return 0, false
}

// make makes the pod of an index.
func (j *jobs) make(job *batchv1.Job, i int) error {
	p := corev1.Pod{ObjectMeta: *job.Spec.Template.ObjectMeta.DeepCopy(), Spec: *job.Spec.Template.Spec.DeepCopy()}
	p.Name, p.Namespace = fmt.Sprintf("%s-%d-%s", job.Name, i, random(3)[:5]), job.Namespace
	if p.Labels == nil {
		p.Labels = map[string]string{}
	}
	p.Labels[batchv1.JobNameLabel], p.Annotations = job.Name, map[string]string{batchv1.JobCompletionIndexAnnotation: strconv.Itoa(i)}
	p.OwnerReferences = []metav1.OwnerReference{{APIVersion: "batch/v1", Kind: "Job", Name: job.Name, UID: job.UID}}
	for k := range p.Spec.Containers {
		p.Spec.Containers[k].Env = append(p.Spec.Containers[k].Env, corev1.EnvVar{Name: "JOB_COMPLETION_INDEX", Value: strconv.Itoa(i)})
	}
	o, err := j.c.admit(pods, encode(p))
	if err != nil {
		return err
	}
	o["kind"], o["apiVersion"] = "Pod", "v1"
	j.c.objects.put(pods, o)
	if _, there := j.c.objects.get(jobsOf, job.Namespace+"/"+job.Name); !there { // it went meanwhile
		j.c.dropOwned(job.Namespace, string(job.UID))
	}
	j.c.kubelet.wake()
	return nil
}

func (j *jobs) warn(job *batchv1.Job, message string) {
	now := time.Now().UTC().Format(time.RFC3339)
	name := job.Name + ".refused"
	j.c.objects.put(events, object{
		"apiVersion": "v1", "kind": "Event", "metadata": object{"name": name, "namespace": job.Namespace},
		"involvedObject": object{"kind": "Job", "namespace": job.Namespace, "name": job.Name, "uid": string(job.UID)},
		"reason":         "FailedCreate", "message": message, "type": corev1.EventTypeWarning, "count": 1, "firstTimestamp": now, "lastTimestamp": now,
	})
}

// dropOwned takes away what belongs to an object that is gone.
func (c *Cluster) dropOwned(namespace, uid string) {
	for _, r := range []apiResource{pods, secrets} {
		all, _ := c.objects.list(r, namespace)
		for _, o := range all {
			if !slices.ContainsFunc(into[metav1.PartialObjectMetadata](o).OwnerReferences, func(x metav1.OwnerReference) bool { return string(x.UID) == uid }) {
				continue
			}
			if r == pods && text(o, "spec", "nodeName") != "" {
				c.kubelet.end(keyOf(o))
			} else {
				c.objects.remove(r, keyOf(o))
			}
		}
	}
}
