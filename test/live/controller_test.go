package live

import (
	"context"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/kit"

	metav1 "k8s.io/apimachinery/pkg/apis/meta/v1"
)

// The controller that the kit writes is taken as it is: its pod comes with its requests, under the account that
// may make agents, with a volume that stays, at the address that agents are told.
func TestTheControllerItself(t *testing.T) {
	everywhere(t, func(t *testing.T, p *place) {
		docs, faults := document.Parse("", []byte(strings.Replace(p.facts.Text, "  controller: {inside:",
			"  controller: {pool: core, cpu: 500m, memory: 1Gi, image: images.brinewell.example/dispatch:3, volume: {size: 20GB, persistent: true}, inside:", 1)))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		list, err := kit.Kit(kit.Input{Templates: p.plan(t).Templates, Scenario: demoDocument(t, "scenarios/weekday-lean.yaml"), Cluster: docs[0]})
		if err != nil {
			t.Fatal(err)
		}
		p.apply(t, list)
		if !p.real {
			return // the stand-in has no controllers
		}
		ctx := context.Background()
		eventually(t, "the controller's pod", func() bool {
			pod, err := p.client.CoreV1().Pods(namespace).Get(ctx, "dispatch-0", metav1.GetOptions{})
			if err != nil {
				return false
			}
			c := pod.Spec.Containers[0]
			if pod.Spec.ServiceAccountName != kit.Account || c.Resources.Requests.Cpu().String() != "500m" || pod.Spec.NodeSelector["tier"] != "core" ||
				pod.Spec.Volumes[0].PersistentVolumeClaim == nil {
				t.Errorf("%+v", pod.Spec)
			}
			return true
		})
		service, err := p.client.CoreV1().Services(namespace).Get(ctx, "dispatch", metav1.GetOptions{})
		if err != nil || service.Spec.Ports[0].Port != 8080 {
			t.Errorf("%v %+v", err, service)
		}
		claim, err := p.client.CoreV1().PersistentVolumeClaims(namespace).Get(ctx, "state-dispatch-0", metav1.GetOptions{})
		if err != nil || claim.Spec.Resources.Requests.Storage().Value()>>20 != 20e9>>20+1 { // whole MiB
			t.Errorf("%v %+v", err, claim)
		}
		for kind, err := range map[string]error{
			"StatefulSet": p.client.AppsV1().StatefulSets(namespace).Delete(ctx, "dispatch", metav1.DeleteOptions{}),
			"Service":     p.client.CoreV1().Services(namespace).Delete(ctx, "dispatch", metav1.DeleteOptions{}),
		} {
			if err != nil {
				t.Errorf("%s: %v", kind, err)
			}
		}
	})
}
