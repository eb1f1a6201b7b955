package fleet_test

import (
	"testing"

	"tachyphor/core/fleet"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// A verdict has the scheduler's words, and tells nodes that never take the pod from those
// that do not now.
func TestVerdict(t *testing.T) {
	small := fleet.Site{Room: fleet.Room{Request: template.Request{CPU: 1000, Memory: 8 << 30}, Pods: 10}}
	large := fleet.Site{Room: fleet.Room{Request: template.Request{CPU: 4000, Memory: 8 << 30}, Pods: 10}}
	tainted := large
	tainted.Taints = []corev1.Taint{{Key: "spot", Effect: corev1.TaintEffectNoSchedule}}
	need := fleet.Need{Request: template.Request{CPU: 2000, Memory: 1 << 30}}
	v := fleet.Verdict{Nodes: 3}
	for _, s := range []fleet.Site{small, large, tainted} {
		x := s.Stance(&template.Agent{}, &need)
		if !x.Takes() {
			v.Never++
		}
		switch {
		case x.Tainted:
			v.Add(fleet.Tainted)
		case x.Short.Short():
			v.Lack(&x.Short)
		default: // full of others
			v.Lack(&fleet.Shortfall{CPU: true, Pods: true})
		}
	}
	if got := v.Words(nil); got != "0/3 nodes are available: 1 Too many pods, 1 node(s) had untolerated taint(s), 2 Insufficient cpu." {
		t.Error(got)
	}
	if v.Never != 2 || v.Hopeless() {
		t.Errorf("%d never take it", v.Never)
	}
	v.Never = 3
	if !v.Hopeless() || (&fleet.Verdict{}).Hopeless() {
		t.Error("hopeless is when no node of some ever takes it")
	}
	if got := (fleet.Verdict{}).Words(nil); got != "0/0 nodes are available." {
		t.Error(got)
	}
}
