package learn_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/learn"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
)

// manifest is an object of a kind with one container that requests something.
func manifest(kind, name, requests, more string) string {
	pod := fmt.Sprintf("{containers: [{name: agent, image: 'images.brinewell.example/%s:1', resources: {requests: {%s}}}]%s}", name[:min(len(name), 20)], requests, more)
	switch kind {
	case "Pod":
		return fmt.Sprintf("apiVersion: v1\nkind: Pod\nmetadata: {name: %s}\nspec: %s\n", name, pod)
	case "Deployment":
		return fmt.Sprintf("apiVersion: apps/v1\nkind: Deployment\nmetadata: {name: %s}\nspec: {selector: {}, template: {spec: %s}}\n", name, pod)
	}
	return fmt.Sprintf("apiVersion: v1\nkind: PodTemplate\nmetadata: {name: %s, annotations: {tachyphor/offers: 'linux, go'}}\ntemplate: {spec: %s}\n", name, pod)
}

const begunWorkload = `apiVersion: tachyphor/v1
kind: Workload
metadata: {name: berth}
spec:
  start: 2026-09-14T00:00:00+02:00
  zone: Europe/Oslo
  classes:
  - {name: a, wants: [linux, go], work: 60s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 4}]}}
  - {name: b, wants: [linux, rust], work: 60s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 4}]}}
`

// Whatever manifests somebody has, what is put together for them is put together whole: nodes hold the agents, every
// pool that is asked for is there, every image is known; and what nobody takes is told.
func TestBeginWithWhatIsThere(t *testing.T) {
	workload, faults := document.Parse("", []byte(begunWorkload))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	var forty []string
	for i := range 40 {
		forty = append(forty, manifest("Pod", fmt.Sprintf("agent-%d", i), "cpu: 1, memory: 1Gi", ""))
	}
	cases := map[string]struct {
		text      string
		node      string
		unmatched int
		says      string // in the cluster
	}{
		"a deployment":      {manifest("Deployment", "one", "cpu: 3, memory: 9Gi", ""), "", 0, "cpu: 8"},
		"says what it does": {manifest("PodTemplate", "one", "cpu: 500m, memory: 512Mi", ""), "", 1, "cpu: 4"},
		"asks for nothing":  {manifest("Pod", "one", "", ""), "", 0, "cpu: 4"},
		"much memory":       {manifest("Pod", "one", "cpu: 1, memory: 100Gi", ""), "", 0, "memory: 256Gi"},
		"larger than any":   {manifest("Pod", "one", "cpu: 150, memory: 1Ti", ""), "", 0, "cpu: 384"},
		"cards": {
			manifest("Pod", "one", "cpu: 1, memory: 1Gi, brinewell.example/card: 2", ""), "", 0, `"brinewell.example/card": 4`,
		},
		"nodes of two kinds": {
			manifest("Pod", "one", "cpu: 1", ", nodeSelector: {tier: builds, 'a/b': 'yes'}") + "---\n" + manifest("Pod", "two", "cpu: 1", ", nodeSelector: {tier: night}"), "", 0,
			"agents-2",
		},
		"a name of 63 letters": {manifest("Pod", strings.Repeat("n", 63), "cpu: 1", ""), "", 0, "cpu: 4"},
		"forty":                {strings.Join(forty, "---\n"), "", 0, "agent-39"},
		"a node that is named": {manifest("Pod", "one", "cpu: 3, memory: 9Gi", ""), "16,64Gi,0.75", 0, "price: 0.75/h"},
		"beside other objects": {"kind: ConfigMap\napiVersion: v1\nmetadata: {name: x}\n---\n" + manifest("Pod", "one", "cpu: 1", ""), "", 0, "cpu: 4"},
	}
	for name, c := range cases {
		t.Run(name, func(t *testing.T) {
			begun, err := begin(workload[0], c.text, c.node)
			if err != nil {
				t.Fatal(err)
			}
			docs, faults := document.Parse("", []byte(begun.Text))
			if len(faults) > 0 {
				t.Fatal(faults)
			}
			all := shelf.Of(append(docs, workload[0])...)
			named, missing := all.Named(all.Find(document.KindScenario, begun.Scenario))
			if len(missing) > 0 {
				t.Fatal(missing)
			}
			if _, faults := world.Assemble(world.Input{Named: named, Jobless: true}); len(faults) > 0 {
				t.Errorf("%v\n%s", faults, begun.Text)
			}
			if len(begun.Unmatched) != c.unmatched || !strings.Contains(begun.Text, c.says) {
				t.Errorf("unmatched %q, lacks %q:\n%s", begun.Unmatched, c.says, begun.Text)
			}
		})
	}
	for text, why := range map[string]string{
		"kind: ConfigMap\napiVersion: v1\nmetadata: {name: x}\n": "no pod template",
		manifest("Pod", "one", "cpu: 30", ""):                    "name a larger node",
	} {
		if _, err := begin(workload[0], text, "4,16Gi,0.2"); err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%.40q: %v, want %s", text, err, why)
		}
	}
}

func begin(workload *document.Document, text, node string) (*learn.Beginning, error) {
	var templates []*document.Document
	for _, d := range document.Read("", []byte(text)).Documents {
		if d.Kind == document.KindPodTemplate {
			templates = append(templates, d)
		}
	}
	var n *learn.Node
	if node != "" {
		parsed, err := learn.ParseNode(node, "EUR")
		if err != nil {
			return nil, err
		}
		n = &parsed
	}
	return learn.BeginWith("berth", &workload.Value.(*document.Workload).Spec, templates, n, "", "")
}
