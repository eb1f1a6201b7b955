package kit_test

import (
	"strings"
	"testing"

	"tachyphor/core/kit"

	appsv1 "k8s.io/api/apps/v1"
	corev1 "k8s.io/api/core/v1"
)

// Pods that hold images go to the nodes of the pools that are meant, tolerate their taints, ask for what the
// simulation takes for them, and say nothing of images that are part of what nodes boot from.
func TestKitHoldsImages(t *testing.T) {
	in := demoInput(t)
	say := func(prepull string) ([]kit.Manifest, error) {
		in.Scenario = changed(t, demoInput(t).Scenario, "    placement: pack", "    placement: pack\n    prepull: ["+prepull+"]")
		return kit.Kit(in)
	}
	list, err := say("{pools: [burst-spot]}, {images: ['images.brinewell.example/agents/steady:2026.9']}, {by: node-image}")
	if err != nil {
		t.Fatal(err)
	}
	sets := into[appsv1.DaemonSet](t, list, "DaemonSet")
	if len(sets) != 2 || sets[0].Namespace != "slipway-images" || sets[0].Name == sets[1].Name {
		t.Fatalf("%+v", sets)
	}
	one, all := sets[0].Spec.Template.Spec, sets[1].Spec.Template.Spec
	if len(one.Containers) != 4 || len(all.Containers) != 1 || all.Containers[0].Image != "images.brinewell.example/agents/steady:2026.9" {
		t.Errorf("%+v", one.Containers)
	}
	terms := one.Affinity.NodeAffinity.RequiredDuringSchedulingIgnoredDuringExecution.NodeSelectorTerms
	if len(terms) != 1 || terms[0].MatchExpressions[0].Key != "tier" || terms[0].MatchExpressions[0].Values[0] != "spot" || all.Affinity != nil {
		t.Errorf("%+v", terms)
	}
	for _, spec := range []corev1.PodSpec{one, all} {
		if len(spec.Tolerations) != 1 || spec.Tolerations[0].Key != "brinewell.example/spot" {
			t.Errorf("%+v", spec.Tolerations)
		}
	}
	text := ""
	for _, m := range list {
		if m.File == "images.yaml" {
			text = m.Text
		}
	}
	if !strings.Contains(text, "# What nodes boot from is to have these images") {
		t.Error(text)
	}
	if spaces := into[corev1.Namespace](t, list, "Namespace"); len(spaces) != 2 || spaces[1].Labels["pod-security.kubernetes.io/enforce"] != "restricted" {
		t.Errorf("%+v", spaces)
	}
	if _, err := say("{pools: [nowhere]}"); err == nil || !strings.Contains(err.Error(), "pool nowhere is not known") {
		t.Error(err)
	}
	in.Cluster = changed(t, in.Cluster, "      labels: {tier: burst}\n", "")
	if _, err := say("{pools: [burst]}"); err == nil || !strings.Contains(err.Error(), "have no label") {
		t.Error(err)
	}
}

// For a controller that does not live in the cluster the kit says in steps what it needs, and makes no token.
func TestKitForAControllerOutside(t *testing.T) {
	in := demoInput(t)
	in.Cluster = changed(t, in.Cluster, `inside: "http://dispatch.slipway.svc:8080"`, `inside: "https://dispatch.brinewell.example"`)
	list, err := kit.Kit(in)
	if err != nil {
		t.Fatal(err)
	}
	text := ""
	for _, m := range list {
		if m.File == "outside.yaml" {
			text = m.Text
		}
	}
	for _, want := range []string{"tachyphor outside slipway --lasts 8h", "create token agent-maker", "--lasting", "--end", "preflight compile-wide"} {
		if !strings.Contains(text, want) {
			t.Errorf("nothing says %s:\n%s", want, text)
		}
	}
	if strings.Contains(kit.Kustomization(list), "outside.yaml") {
		t.Error("words are applied")
	}
	if inside, err := kit.Kit(demoInput(t)); err != nil || strings.Contains(kit.Stream(inside), "tachyphor outside") {
		t.Error("told of one that lives in the cluster", err)
	}
}
