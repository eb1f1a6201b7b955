package kit

import (
	"strings"

	"tachyphor/core/document"
)

// Parts of what can be rendered.
const (
	PartTemplate = "template"
	PartPod      = "pod"
	PartKit      = "kit"
)

// Templates returns the templates as they are: manifests that the API server
// takes unchanged.
func Templates(docs []*document.Document) []Manifest {
	var out []Manifest
	for _, d := range docs {
		out = append(out, Manifest{"template-" + d.Name + ".yaml", PartTemplate, "the template " + d.Name, strings.TrimRight(d.Text, "\n") + "\n"})
	}
	return out
}

// Pods returns for each template a pod as it is made from it.
func Pods(docs []*document.Document) []Manifest {
	var out []Manifest
	for _, d := range docs {
		out = append(out, Manifest{"pod-" + d.Name + ".yaml", PartPod, "an agent of " + d.Name + ", as it is made (kubectl create -f)", d.Pod()})
	}
	return out
}

// Stream joins manifests into one stream, each under what it is for.
func Stream(list []Manifest) string {
	var b strings.Builder
	for i, m := range list {
		if i > 0 {
			b.WriteString("---\n")
		}
		b.WriteString("# " + m.File + ": " + m.For + ".\n" + m.Text)
	}
	return b.String()
}

// Kustomization lists manifests as kubectl's kustomization does. Pods made from a
// name with a random end cannot be applied, and are left out.
func Kustomization(list []Manifest) string {
	var b strings.Builder
	b.WriteString("# kubectl apply -k .\napiVersion: kustomize.config.k8s.io/v1beta1\nkind: Kustomization\nresources:\n")
	for _, m := range list {
		if m.Part != PartPod {
			b.WriteString("  - " + m.File + " # " + m.For + "\n")
		}
	}
	return b.String()
}
