package kube

import (
	"fmt"
	"testing"
	"time"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/apimachinery/pkg/types"
)

// crowd is a watcher over so many agents: of ten one waits, one starts, the others work.
func crowd(n int, now func() time.Time) *Watcher {
	w := &Watcher{
		cluster: &Cluster{Context: "north"}, namespace: "slipway", now: now, pods: map[types.UID]*watchedPod{}, words: map[types.UID][]corev1.Event{},
		nodes: map[string]*corev1.Node{}, away: map[string]failure{},
	}
	for i := range n {
		w.takePod(agentPod(i, now()), false)
	}
	return w
}

func agentPod(i int, now time.Time) *corev1.Pod {
	at := metav1.NewTime(now.Add(-time.Duration(60+i%300) * time.Second).Truncate(time.Second))
	p := &corev1.Pod{
		ObjectMeta: metav1.ObjectMeta{Name: fmt.Sprintf("compile-wide-%04d", i), Namespace: "slipway", UID: types.UID(fmt.Sprint("u", i)), CreationTimestamp: at},
		Spec:       corev1.PodSpec{Containers: []corev1.Container{{Name: "agent", Image: "wide:1"}}},
	}
	if i%10 == 0 {
		p.Status.Phase = corev1.PodPending
		return p
	}
	p.Spec.NodeName = fmt.Sprintf("burst-%02d", i%40)
	p.Status.Conditions = []corev1.PodCondition{{Type: corev1.PodScheduled, Status: corev1.ConditionTrue, LastTransitionTime: metav1.NewTime(at.Add(2 * time.Second))}}
	if i%10 == 1 {
		return p
	}
	p.Status.Phase = corev1.PodRunning
	p.Status.ContainerStatuses = []corev1.ContainerStatus{{
		Name: "agent", State: corev1.ContainerState{Running: &corev1.ContainerStateRunning{StartedAt: metav1.NewTime(at.Add(20 * time.Second))}},
	}}
	return p
}

// Counts are of all agents, whatever is listed; those that went are shown for a while, and then forgotten.
func TestWatcherCounts(t *testing.T) {
	clock := time.Date(2026, 11, 29, 10, 0, 0, 0, time.UTC)
	w := crowd(2000, func() time.Time { return clock })
	now := w.Now(50)
	if now.Agents != 2000 || now.Waiting != 200 || now.Starting != 200 || now.Working != 1600 || now.On != 36 || len(now.List) != 50 {
		t.Errorf("%d agents, %d wait, %d start, %d work, on %d nodes, %d listed", now.Agents, now.Waiting, now.Starting, now.Working, now.On, len(now.List))
	}
	for _, a := range now.List[1:] {
		if a.Phase == "work" {
			t.Fatalf("%+v is told before others that wait", a)
		}
	}
	if now.Stuck == 0 || !now.List[0].Stuck {
		t.Errorf("nobody who waits for five minutes is stuck: %+v", now.List[0])
	}
	w.takePod(agentPod(5, clock), true)
	w.takePod(&corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: "log-tail", OwnerReferences: []metav1.OwnerReference{{Kind: "DaemonSet"}}}}, false)
	clock = clock.Add(10 * time.Second)
	if now := w.Now(3000); now.Agents != 1999 || len(now.List) != 2000 || now.List[1999].Phase != "gone" {
		t.Errorf("%d agents, %d listed, the last %+v", now.Agents, len(now.List), now.List[len(now.List)-1])
	}
	clock = clock.Add(time.Minute)
	if now := w.Now(3000); len(now.List) != 1999 || len(w.pods) != 1999 {
		t.Errorf("%d listed, %d kept", len(now.List), len(w.pods))
	}
	for n := range 200 {
		w.takeEvent(&corev1.Event{ObjectMeta: metav1.ObjectMeta{UID: types.UID(fmt.Sprint("e", n))}, InvolvedObject: corev1.ObjectReference{Kind: "Pod", UID: "u7"}}, false)
	}
	if n := len(w.words["u7"]); n != mostWords {
		t.Errorf("%d events of one pod are kept", n)
	}
}

func BenchmarkWatchTwoThousand(b *testing.B) {
	clock := time.Date(2026, 11, 29, 10, 0, 0, 0, time.UTC)
	w := crowd(2000, func() time.Time { return clock })
	for b.Loop() {
		clock = clock.Add(time.Second)
		w.Now(50)
	}
}

// How many there are is noted every ten seconds while the cluster answers, of the last six hours alone.
func TestWatcherNotes(t *testing.T) {
	at := time.Unix(1_790_000_000, 0)
	w := crowd(20, func() time.Time { return at })
	for range 10 { // two seconds apart
		w.note()
		at = at.Add(pingEvery)
	}
	if n := w.Now(0).Before; len(n) != 2 || n[0].Agents != 20 || n[0].Waiting != 2 || n[1].At.Sub(n[0].At) != noteEvery {
		t.Fatalf("%+v", n)
	}
	w.away["pods"] = failure{since: at, says: "refused"}
	at = at.Add(time.Minute)
	if w.note(); len(w.noted) != 2 {
		t.Error("noted what nobody could see")
	}
	delete(w.away, "pods")
	for range mostNoted + 50 {
		at = at.Add(noteEvery)
		w.note()
	}
	if n := w.Now(0).Before; len(n) != mostNoted || !n[len(n)-1].At.Equal(at) {
		t.Errorf("%d are kept, the last of %s", len(n), n[len(n)-1].At)
	}
}
