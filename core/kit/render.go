package kit

import (
	"cmp"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
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
		out = append(out, Manifest{
			"template-" + d.Name + ".yaml", PartTemplate, "the template " + d.Name,
			strings.TrimRight(d.Text, "\n") + "\n",
		})
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
		if m.Part != PartPod && strings.Contains("\n"+m.Text, "\nkind: ") { // of words alone kubectl makes nothing
			b.WriteString("  - " + m.File + " # " + m.For + "\n")
		}
	}
	return b.String()
}

// Rendered is what was rendered.
type Rendered struct {
	Items         []Manifest `json:"items" doc:"Manifests, in the order in which they are applied."`
	Stream        string     `json:"stream" doc:"All of them as one stream."`
	Kustomization string     `json:"kustomization" doc:"A kustomization.yaml that names their files."`
}

// together adds to templates those others that a scenario uses in their namespace: their
// bounds and rules hold for all of them, so that one kit covers them all.
func together(shelf *review.Shelf, docs []*document.Document, spec *document.ScenarioSpec) []*document.Document {
	out := slices.Clone(docs)
	namespaces := map[string]bool{}
	for _, d := range docs {
		namespaces[d.Value.(*document.PodTemplate).Namespace] = true
	}
	for _, use := range spec.Templates {
		d := shelf.Find(document.KindPodTemplate, use.Template)
		if d != nil && namespaces[d.Value.(*document.PodTemplate).Namespace] &&
			!slices.ContainsFunc(out, func(o *document.Document) bool { return o.Name == d.Name }) {
			out = append(out, d)
		}
	}
	// In the scenario's own order, whichever of them was named.
	at := func(d *document.Document) int {
		return slices.IndexFunc(spec.Templates, func(u document.TemplateUse) bool { return u.Template == d.Name })
	}
	slices.SortStableFunc(out, func(a, b *document.Document) int { return cmp.Compare(at(a), at(b)) })
	return out
}

// Render writes the parts that are wanted of templates on a shelf: the kit first,
// which the others need. With no parts named it is the kit and the templates; with
// no scenario named there is no quota.
func Render(shelf *review.Shelf, docs []*document.Document, scenario string, parts []string) (Rendered, error) {
	if len(parts) == 0 {
		parts = []string{PartKit, PartTemplate}
	}
	out := Rendered{Items: []Manifest{}}
	if slices.Contains(parts, PartKit) {
		in := Input{Templates: docs, Scenario: shelf.Find(document.KindScenario, scenario), Cluster: shelf.Lone(document.KindCluster)}
		if in.Scenario != nil {
			named, _ := shelf.Named(in.Scenario)
			in.Templates = together(shelf, docs, &in.Scenario.Value.(*document.Scenario).Spec)
			in.Cluster, in.Workload = named.Cluster, named.Workload
		}
		list, err := Kit(in)
		if err != nil {
			return out, err
		}
		out.Items = append(out.Items, list...)
	}
	if slices.Contains(parts, PartTemplate) {
		out.Items = append(out.Items, Templates(docs)...)
	}
	if slices.Contains(parts, PartPod) {
		out.Items = append(out.Items, Pods(docs)...)
	}
	out.Stream, out.Kustomization = Stream(out.Items), Kustomization(out.Items)
	return out, nil
}
