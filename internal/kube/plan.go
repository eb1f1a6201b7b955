package kube

import (
	"errors"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
)

// usesAll is the first scenario that uses all of the templates; empty when there is none.
func usesAll(shelf *review.Shelf, docs []*document.Document) string {
	for _, d := range shelf.Documents {
		s, ok := d.Value.(*document.Scenario)
		if ok && !slices.ContainsFunc(docs, func(t *document.Document) bool {
			return !slices.ContainsFunc(s.Spec.Templates, func(u document.TemplateUse) bool { return u.Template == t.Name })
		}) {
			return d.Name
		}
	}
	return ""
}

// PlanFor puts together what a connection is tested for: templates on a shelf, and
// their access kit under a scenario. With none named it is the first that uses
// all of them.
func PlanFor(shelf *review.Shelf, docs []*document.Document, scenario string) (Plan, error) {
	p := Plan{Templates: docs}
	if scenario == "" {
		scenario = usesAll(shelf, docs)
	} else if shelf.Find(document.KindScenario, scenario) == nil {
		return p, errors.New("there is no scenario " + scenario)
	}
	r, err := kit.Render(shelf, docs, scenario, []string{kit.PartKit})
	if err != nil {
		return p, err
	}
	p.Kit, p.Scenario = r.Items, scenario
	cluster := shelf.Lone(document.KindCluster)
	if s := shelf.Find(document.KindScenario, scenario); s != nil {
		cluster = shelf.Find(document.KindCluster, s.Value.(*document.Scenario).Spec.Cluster)
	}
	if cluster != nil {
		p.Controller = cluster.Value.(*document.Cluster).Spec.Controller.Inside
	}
	return p, nil
}
