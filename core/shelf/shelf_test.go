package shelf_test

import (
	"errors"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/shelf"
)

const few = `
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: lean}
spec: {cluster: north, workload: week, templates: [{template: a, agents: {ceiling: 3}}, {template: b}]}
---
apiVersion: v1
kind: PodTemplate
metadata: {name: a, annotations: {tachyphor/offers: x}}
template: {spec: {containers: [{name: agent, image: i, resources: {requests: {cpu: "1", memory: 1Gi}}}]}}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: other}
spec: {cluster: north, workload: week, templates: [{template: a}]}
`

func documents(t *testing.T) []*document.Document {
	t.Helper()
	docs, faults := document.Parse("few.yaml", []byte(few))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs
}

func TestFindsByKindAndName(t *testing.T) {
	docs := documents(t)
	s := shelf.Of(docs...)
	if s.Find(document.KindScenario, "other") != docs[2] || s.Find(document.KindPodTemplate, "other") != nil ||
		(&shelf.Shelf{}).Find("Scenario", "lean") != nil {
		t.Error("found what is not meant")
	}
	if s.Lone(document.KindPodTemplate) != docs[1] || s.Lone(document.KindScenario) != nil || s.Lone(document.KindCluster) != nil {
		t.Error("which is the only one?")
	}
	if again := documents(t)[0]; s.Put(again) != docs[0] || len(s.All()) != 3 {
		t.Error("two of one name")
	}
	if u := s.UserOf(docs[1:2]); u != docs[0] {
		t.Errorf("used by %v", u)
	}
	if u := s.UserOf([]*document.Document{docs[1], {Kind: document.KindPodTemplate, Name: "c"}}); u != nil {
		t.Errorf("used by %v", u)
	}
}

func TestNamesWhatIsMissing(t *testing.T) {
	docs := documents(t)
	s := shelf.Of(docs...)
	n, missing := s.Named(docs[0])
	if n.Scenario != docs[0] || n.Cluster != nil || n.Workload != nil || len(n.Templates) != 2 || n.Templates[0] != docs[1] ||
		n.Templates[1] != nil {
		t.Errorf("%+v", n)
	}
	var paths []string
	for _, m := range missing {
		paths = append(paths, m.Kind+" "+m.Name.Name+" "+m.Path)
	}
	if len(paths) != 3 || paths[0] != "Cluster north spec.cluster" || paths[2] != "PodTemplate b spec.templates[1].template" {
		t.Error(paths)
	}
}

// Changes are made one after the other, in copies; what they do not mean is shared.
func TestChanges(t *testing.T) {
	docs := documents(t)
	s := shelf.Of(docs...)
	to := func(path string, value any) []document.Changes {
		return []document.Changes{{Kind: "Scenario", Name: "lean", Edits: []document.Edit{{Op: "replace", Path: path, Value: value}}}}
	}
	c, faults, err := s.With(append(to("/spec/templates/0/agents/ceiling", 9), to("/spec/templates/0/agents/spare", 2)...))
	if err != nil || len(faults) > 0 {
		t.Fatal(faults, err)
	}
	a := c.Find("Scenario", "lean").Value.(*document.Scenario).Spec.Templates[0].Agents
	if *a.Ceiling != 9 || a.Spare != 2 || *docs[0].Value.(*document.Scenario).Spec.Templates[0].Agents.Ceiling != 3 ||
		c.All()[1] != docs[1] || s.All()[0] != docs[0] {
		t.Errorf("%+v", a)
	}
	if _, faults, err := s.With(to("/spec/templates/0/agents/ceiling", "many")); err != nil || len(faults) != 1 ||
		faults[0].Path != "spec.templates[0].agents.ceiling" {
		t.Error(faults, err)
	}
	if _, _, err := s.With(to("/spec/templates/7/agents/ceiling", 1)); !errors.Is(err, shelf.ErrChanges) {
		t.Error(err)
	}
	if _, _, err := s.With([]document.Changes{{Kind: "Cluster", Name: "north"}}); !errors.Is(err, shelf.ErrChanges) {
		t.Error(err)
	}
}
