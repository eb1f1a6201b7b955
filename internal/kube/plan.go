package kube

import (
	"errors"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
)

// PlanFor puts together what a connection is tested for: templates on a shelf, and
// their access kit under a scenario. With none named it is the first that uses the
// first template.
func PlanFor(shelf *review.Shelf, docs []*document.Document, scenario string) (Plan, error) {
	p := Plan{Templates: docs}
	if scenario == "" {
		if uses := shelf.Portray(docs[0]).Gets; len(uses) > 0 {
			scenario = uses[0].Scenario
		}
	} else if shelf.Find(document.KindScenario, scenario) == nil {
		return p, errors.New("there is no scenario " + scenario)
	}
	r, err := kit.Render(shelf, docs, scenario, []string{kit.PartKit})
	if err != nil {
		return p, err
	}
	p.Kit = r.Items
	cluster := shelf.Lone(document.KindCluster)
	if s := shelf.Find(document.KindScenario, scenario); s != nil {
		cluster = shelf.Find(document.KindCluster, s.Value.(*document.Scenario).Spec.Cluster)
	}
	if cluster != nil {
		p.Controller = cluster.Value.(*document.Cluster).Spec.Controller.Inside
	}
	return p, nil
}
