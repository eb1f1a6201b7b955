package template

import (
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"

	corev1 "k8s.io/api/core/v1"
	"k8s.io/apimachinery/pkg/api/resource"
)

func box(cpu, memory string) corev1.Container {
	list := corev1.ResourceList{}
	if cpu != "" {
		list["cpu"] = resource.MustParse(cpu)
	}
	if memory != "" {
		list["memory"] = resource.MustParse(memory)
	}
	return corev1.Container{Resources: corev1.ResourceRequirements{Requests: list}}
}

func sidecar(cpu, memory string) corev1.Container {
	c, always := box(cpu, memory), corev1.ContainerRestartPolicyAlways
	c.RestartPolicy = &always
	return c
}

// The sums were read off a real scheduler.
func TestEffectiveRequest(t *testing.T) {
	one := box("500m", "256Mi")
	for _, c := range []struct {
		name string
		spec corev1.PodSpec
		want Request
	}{
		{"two containers add", corev1.PodSpec{Containers: []corev1.Container{one, box("250m", "256Mi")}}, Request{750, 512 << 20}},
		{"init containers take their largest", corev1.PodSpec{Containers: []corev1.Container{one}, InitContainers: []corev1.Container{box("1", "128Mi"), box("200m", "600Mi")}}, Request{1000, 600 << 20}},
		{"sidecar before an init adds to both", corev1.PodSpec{Containers: []corev1.Container{one}, InitContainers: []corev1.Container{sidecar("100m", "64Mi"), box("1", "128Mi")}}, Request{1100, 320 << 20}},
		{"sidecar after an init adds to containers", corev1.PodSpec{Containers: []corev1.Container{one}, InitContainers: []corev1.Container{box("1", "128Mi"), sidecar("100m", "64Mi")}}, Request{1000, 320 << 20}},
		{"overhead comes on top", corev1.PodSpec{Containers: []corev1.Container{one}, InitContainers: []corev1.Container{box("1", "")}, Overhead: box("50m", "32Mi").Resources.Requests}, Request{1050, 288 << 20}},
		{"a thousandth of a byte is a byte", corev1.PodSpec{Containers: []corev1.Container{box("0.1m", "1500m")}}, Request{1, 2}},
		{"nothing asked, nothing charged", corev1.PodSpec{Containers: []corev1.Container{box("", "")}}, Request{}},
	} {
		if got := Effective(&c.spec, Request{}); got != c.want {
			t.Errorf("%s: %+v, want %+v", c.name, got, c.want)
		}
	}
	if got := Effective(&corev1.PodSpec{Containers: []corev1.Container{box("", "1Gi")}}, Request{scoringCPU, scoringMemory}); got != (Request{100, 1 << 30}) {
		t.Errorf("for scoring: %+v", got)
	}
}

const manifest = `apiVersion: v1
kind: PodTemplate
metadata:
  name: t
  annotations: {tachyphor/offers: "go, linux linux"ANN}
template:
  spec:
    containers:
      - {name: main, image: a}
      - {name: side, image: b}
      - {name: more, image: a}
`

func TestReadFindsTheAgent(t *testing.T) {
	read := func(text string) (Agent, document.Faults) {
		docs, faults := document.Parse("t.yaml", []byte(text))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		return Read(docs[0])
	}
	a, faults := read(strings.Replace(manifest, "ANN", ", tachyphor/agent-container: side", 1))
	if len(faults) > 0 || a.Container != "side" || !slices.Equal(a.Offers, []string{"go", "linux"}) || !slices.Equal(a.Images, []string{"a", "b"}) {
		t.Errorf("agent %+v, faults %v", a, faults)
	}
	for ann, want := range map[string]string{"": "cannot tell which", ", tachyphor/agent-container: x": "no container of that name"} {
		if _, faults := read(strings.Replace(manifest, "ANN", ann, 1)); len(faults) != 1 || !strings.Contains(faults[0].String(), want) || faults[0].Line == 0 {
			t.Errorf("with %q: faults %v", ann, faults)
		}
	}
	if _, faults := read(strings.Replace(strings.Replace(manifest, "go, linux linux", "", 1), "ANN", "", 1)); len(faults) != 2 {
		t.Errorf("no offers: %v", faults)
	}
}
