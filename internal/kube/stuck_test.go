package kube

import (
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"tachyphor/wire"

	corev1 "k8s.io/api/core/v1"
	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
	"k8s.io/client-go/kubernetes/fake"
)

// rehearsed is a rehearsal whose pod was just asked for.
func rehearsed() *rehearsal {
	return &rehearsal{
		Cluster: &Cluster{client: fake.NewClientset()}, namespace: "slipway", container: "agent",
		patience: Patience{}.filled(), began: time.Now(), tell: func(wire.Rehearsal) {},
		out: &wire.Rehearsal{Template: "compile-wide"}, pod: &corev1.Pod{},
	}
}

func container(state corev1.ContainerState) *corev1.Pod {
	p := &corev1.Pod{ObjectMeta: metav1.ObjectMeta{Name: "x", Namespace: "slipway"}}
	p.Status.ContainerStatuses = []corev1.ContainerStatus{{Name: "agent", Image: "wide:1", State: state}}
	return p
}

func waits(reason, message string) *corev1.Pod {
	return container(corev1.ContainerState{Waiting: &corev1.ContainerStateWaiting{Reason: reason, Message: message}})
}

func ends(code int32, reason, message string) *corev1.Pod {
	return container(corev1.ContainerState{Terminated: &corev1.ContainerStateTerminated{ExitCode: code, Reason: reason, Message: message}})
}

// What a pod's state says of why it does not come up, and what to do about it.
func TestWhatStates(t *testing.T) {
	for name, c := range map[string]struct {
		pods     []*corev1.Pod
		own      bool
		says, do string // parts of them; empty: nothing yet
	}{
		"a first failed pull": {[]*corev1.Pod{waits("ErrImagePull", "timeout")}, false, "", ""},
		"a second": {
			[]*corev1.Pod{waits("ErrImagePull", ""), waits("ContainerCreating", ""), waits("ErrImagePull", "")},
			false, "", "",
		},
		"backing off": {
			[]*corev1.Pod{waits("ErrImagePull", ""), waits("ImagePullBackOff", "not found")},
			false,
			"cannot be pulled: not found", "name and tag",
		},
		"a registry that says no": {[]*corev1.Pod{waits("ImagePullBackOff", "401 Unauthorized")}, false, "wide:1", "imagePullSecrets"},
		"a wrong name":            {[]*corev1.Pod{waits("InvalidImageName", "")}, false, "cannot be pulled", "pull policy"},
		"a missing key": {
			[]*corev1.Pod{waits("CreateContainerConfigError", "key token")},
			false, "cannot be made: key token",
			"preflight compile-wide",
		},
		"a wrong directory":     {[]*corev1.Pod{waits("RunContainerError", "")}, false, "cannot be started", "mounts"},
		"killed for memory":     {[]*corev1.Pod{ends(137, "OOMKilled", "")}, false, "above its limit", "Raise the limit"},
		"its own command ends":  {[]*corev1.Pod{ends(0, "Completed", "")}, true, "ended by itself at once", "Leave command out"},
		"it worked":             {[]*corev1.Pod{ends(0, "Completed", "")}, false, "did its job", ""},
		"no such command":       {[]*corev1.Pod{ends(127, "", "sh: x")}, false, "status 127", "Mend command"},
		"another status":        {[]*corev1.Pod{ends(3, "Error", "oh")}, false, "status 3: Error oh", "below"},
		"only the first counts": {[]*corev1.Pod{waits("InvalidImageName", ""), ends(3, "Error", "")}, false, "cannot be pulled", ""},
		"a pod without a container": {
			[]*corev1.Pod{{Status: corev1.PodStatus{Phase: corev1.PodFailed, Reason: "Evicted", Message: "disk"}}},
			false, "Evicted disk", "events",
		},
	} {
		r := rehearsed()
		r.own = c.own
		for _, p := range c.pods {
			r.look(p, false)
		}
		if (r.out.Says == "") != (c.says == "") || !strings.Contains(r.out.Says, c.says) || !strings.Contains(r.out.Do, c.do) {
			t.Errorf("%s: %q, %q", name, r.out.Says, r.out.Do)
		}
	}
	r := rehearsed()
	if r.look(&corev1.Pod{}, true); !strings.Contains(r.out.Says, "took the pod away") {
		t.Errorf("%q", r.out.Says)
	}
}

// What takes too long is told when its time is over, and not before.
func TestWhatTakesTooLong(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		after := func(r *rehearsal, d time.Duration) string {
			time.Sleep(d)
			r.wait()
			return r.out.Says
		}
		r := rehearsed()
		if says := after(r, unplaceable); says != "" {
			t.Errorf("in time: %q", says)
		}
		if says := after(r, time.Second); !strings.Contains(says, "no scheduler looks at it") {
			t.Errorf("nobody looks: %q", says)
		}
		r = rehearsed()
		time.Sleep(2 * time.Minute)
		r.hear(&corev1.Event{Reason: "FailedScheduling", Message: "0/3 nodes are available: 3 Insufficient cpu.", Type: corev1.EventTypeWarning})
		if says := after(r, 2*time.Minute); says != "" { // a node may boot
			t.Errorf("since it is known that there is no room: %q", says)
		}
		if says := after(r, 2*time.Minute); !strings.Contains(says, "enough CPU left") || len(r.out.Events) != 1 ||
			r.out.Events[0].At != int64(2*time.Minute) {
			t.Errorf("no room: %q, %+v", says, r.out.Events)
		}
		r = rehearsed()
		mount := &corev1.Event{Reason: "FailedMount", Message: "no such claim"}
		if r.hear(mount); r.out.Says != "" {
			t.Errorf("a mount that fails at first: %q", r.out.Says)
		}
		r.hear(&corev1.Event{Reason: "Pulling", Message: "it was there at last"})
		if says := after(r, 61*time.Second); says != "" {
			t.Errorf("a mount that failed at first, and a long pull: %q", says)
		}
		r.hear(mount)
		if says := after(r, time.Second); !strings.Contains(says, "no such claim") {
			t.Errorf("a mount that fails: %q", says)
		}
	})
}

// The scheduler's refusal in a sentence.
func TestNoRoom(t *testing.T) {
	for said, want := range map[string]string{
		"0/2 nodes are available: 1 Insufficient cpu, 1 Insufficient memory.": "enough CPU or memory left",
		"0/2 nodes are available: 2 node(s) had untolerated taint(s).":        "a taint that it does not tolerate",
		"0/2 nodes are available: 2 node(s) didn't match node selector.":      "the labels that it wants",
		"0/0 nodes are available.":                                            "No node takes it",
	} {
		if says, do := noRoom(said); !strings.Contains(says, want) || !strings.Contains(says, said) || do == "" {
			t.Errorf("%q: %q, %q", said, says, do)
		}
	}
}
