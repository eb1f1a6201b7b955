package kube

import (
	"errors"

	"tachyphor/core/document"
	"tachyphor/core/kit"
	"tachyphor/core/review"
)

// PlanFor puts together what a connection is tested for: templates on a shelf, and
// their access kit under a scenario. With none named it is the first that uses
// all of them.
func PlanFor(shelf *review.Shelf, docs []*document.Document, scenario string) (Plan, error) {
	p := Plan{Templates: docs}
	if scenario == "" {
		if s := shelf.UserOf(docs); s != nil {
			scenario = s.Name
		}
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
		named, _ := shelf.Named(s)
		cluster = named.Cluster
	}
	if cluster != nil {
		p.Controller = cluster.Value.(*document.Cluster).Spec.Controller.Inside
		p.Store = cluster.Value.(*document.Cluster).Spec.Store.Address
	}
	return p, nil
}
