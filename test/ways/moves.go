package ways

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"time"

	"tachyphor/internal/kube"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// A Move is what a cluster tells of a pod at a moment: how it stands, or what is said of it.
type Move struct {
	At    time.Duration `json:"at"` // since the pod was asked for, ns
	Pod   *corev1.Pod   `json:"pod,omitempty"`
	Event *corev1.Event `json:"event,omitempty"`
}

// Trimmed is a pod without what explains nothing.
func Trimmed(p *corev1.Pod) *corev1.Pod {
	out := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{
		Name: p.Name, Namespace: p.Namespace, CreationTimestamp: p.CreationTimestamp, DeletionTimestamp: p.DeletionTimestamp,
		DeletionGracePeriodSeconds: p.DeletionGracePeriodSeconds,
	}}
	out.Spec.NodeName, out.Spec.RestartPolicy, out.Spec.TerminationGracePeriodSeconds = p.Spec.NodeName, p.Spec.RestartPolicy, p.Spec.TerminationGracePeriodSeconds
	containers := func(list []corev1.Container) (out []corev1.Container) {
		for _, c := range list {
			out = append(out, corev1.Container{Name: c.Name, Image: c.Image, Command: c.Command, Resources: c.Resources})
		}
		return out
	}
	out.Spec.InitContainers, out.Spec.Containers = containers(p.Spec.InitContainers), containers(p.Spec.Containers)
	states := func(list []corev1.ContainerStatus) (out []corev1.ContainerStatus) {
		for _, s := range list {
			x := corev1.ContainerStatus{
				Name: s.Name, Image: s.Image, State: *s.State.DeepCopy(), LastTerminationState: *s.LastTerminationState.DeepCopy(), RestartCount: s.RestartCount,
			}
			for _, t := range []*corev1.ContainerStateTerminated{x.State.Terminated, x.LastTerminationState.Terminated} {
				if t != nil {
					t.ContainerID = ""
				}
			}
			out = append(out, x)
		}
		return out
	}
	out.Status.Phase, out.Status.Reason, out.Status.Message = p.Status.Phase, p.Status.Reason, p.Status.Message
	for _, c := range p.Status.Conditions {
		out.Status.Conditions = append(out.Status.Conditions, corev1.PodCondition{
			Type: c.Type, Status: c.Status, Reason: c.Reason, Message: c.Message, LastTransitionTime: c.LastTransitionTime,
		})
	}
	out.Status.InitContainerStatuses, out.Status.ContainerStatuses = states(p.Status.InitContainerStatuses), states(p.Status.ContainerStatuses)
	return out
}

// Said is an event without what explains nothing.
func Said(e *corev1.Event) *corev1.Event {
	return &corev1.Event{
		ObjectMeta:     metav1.ObjectMeta{Name: e.Name, Namespace: e.Namespace},
		InvolvedObject: corev1.ObjectReference{Kind: e.InvolvedObject.Kind, Name: e.InvolvedObject.Name, Namespace: e.InvolvedObject.Namespace},
		Reason:         e.Reason, Message: e.Message, Type: e.Type, Count: e.Count, FirstTimestamp: e.FirstTimestamp, LastTimestamp: e.LastTimestamp,
		EventTime: e.EventTime,
	}
}

// Holds reports whether what happened is explained as the way says: from the pod as it was last, and
// all that was said of it.
func (w *Way) Holds(moves []Move, last *corev1.Pod) error {
	var events []corev1.Event
	var end time.Time
	for _, m := range moves {
		if m.Event != nil {
			events = append(events, *m.Event)
		}
	}
	end = last.CreationTimestamp.Add(moves[len(moves)-1].At + time.Duration(w.After)*time.Second)
	r := kube.Why(last, events, nil, end)
	if !strings.Contains(r.Says, w.Says) || !strings.Contains(r.Do, w.Do) || (r.Do == "") != (w.Do == "") || r.Worked != w.Worked {
		return fmt.Errorf("%s: says %q, do %q, worked %v; expected %q, %q, %v", w.Name, r.Says, r.Do, r.Worked, w.Says, w.Do, w.Worked)
	}
	return nil
}

// Write keeps moves in a file, a line each; states that tell nothing new are left out.
func Write(file string, moves []Move) error {
	var b bytes.Buffer
	var before *corev1.Pod
	for _, m := range moves {
		if m.Pod != nil && before != nil && reflect.DeepEqual(m.Pod, before) {
			continue
		}
		if m.Pod != nil {
			before = m.Pod
		}
		line, err := json.Marshal(m)
		if err != nil {
			return err
		}
		b.Write(append(line, '\n'))
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}

// Read reads what Write wrote.
func Read(file string) (moves []Move, last *corev1.Pod, err error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, err
	}
	lines := bufio.NewScanner(bytes.NewReader(b))
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		var m Move
		if err := json.Unmarshal(lines.Bytes(), &m); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", file, err)
		}
		if moves = append(moves, m); m.Pod != nil {
			last = m.Pod
		}
	}
	if last == nil {
		return nil, nil, errors.New(file + ": no pod")
	}
	return moves, last, lines.Err()
}
