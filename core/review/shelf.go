// Package review says what can be said of templates before anything is
// simulated: findings about their manifests, what an agent will be, and which
// jobs each one gets.
package review

import (
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/shelf"
	"tachyphor/core/template"
)

// A Change is a template's newest revision, and when it took the place of one
// that was in use.
type Change struct {
	Revision int
	At       time.Time
}

// A Shelf is everything at hand that may bear on templates. Only what is there is
// looked at: a rule that needs a fact nobody gave says nothing.
type Shelf struct {
	shelf.Shelf
	Others  []document.Other
	PerWeek map[string]map[string]float64 // jobs a week by workload and class
	Changes map[string]Change             // by template
	Now     time.Time                     // zero: what depends on it is left out

	uses    map[string][]use   // by template; made when first needed
	facts   *document.Document // the only cluster, if there is one
	settled bool
}

// A use is a scenario that uses a template.
type use struct {
	scenario *document.Document
	spec     *document.ScenarioSpec
	cluster  *document.ClusterSpec
	workload *document.WorkloadSpec
	numbers  document.AgentNumbers
	agents   []template.Agent // of the scenario's templates, in its order
	at       int              // which of them this is
	gets     []int            // the workload's classes that it gets
	could    []int            // those that it offers everything for
	unserved []unserved       // those that no template serves and this one comes nearest to
	partly   bool             // some of the scenario's templates are not on the shelf
	perWeek  map[string]float64
}

// unserved is a class that no template serves.
type unserved struct {
	class          int
	missing, meant []string
}

// settle finds out which scenarios use which templates, once.
func (s *Shelf) settle() {
	if s.settled {
		return
	}
	s.settled, s.uses = true, map[string][]use{}
	s.facts = s.Lone(document.KindCluster) // which of several is meant, only a scenario can say
	agents := map[string]template.Agent{}
	for _, d := range s.OfKind(document.KindPodTemplate) {
		agents[d.Name], _ = template.Read(d)
	}
	for _, d := range s.OfKind(document.KindScenario) {
		s.use(d, agents)
	}
}

// use notes a scenario's templates, with the classes that each gets.
func (s *Shelf) use(d *document.Document, agents map[string]template.Agent) {
	spec := &d.Value.(*document.Scenario).Spec
	base := use{scenario: d, spec: spec, perWeek: s.PerWeek[spec.Workload]}
	named, _ := s.Named(d)
	if c := named.Cluster; c != nil {
		base.cluster = &c.Value.(*document.Cluster).Spec
	}
	if l := named.Workload; l != nil {
		base.workload = &l.Value.(*document.Workload).Spec
	}
	var offers []demand.Offer
	for _, t := range spec.Templates {
		a, ok := agents[t.Template]
		if !ok {
			a = template.Agent{Name: t.Template}
			base.partly = true // what it offers is not known
		}
		base.agents, offers = append(base.agents, a), append(offers, offerOf(&a))
	}
	list := make([]use, len(spec.Templates))
	for i, t := range spec.Templates {
		list[i] = base
		list[i].numbers, list[i].at = t.Agents, i
	}
	if base.workload != nil {
		for k, class := range base.workload.Classes {
			m := demand.Matching(class.Wants, offers)
			if m.Template >= 0 {
				list[m.Template].gets = append(list[m.Template].gets, k)
			} else if m.Nearest >= 0 {
				list[m.Nearest].unserved = append(list[m.Nearest].unserved, unserved{k, m.Missing, m.Meant})
			}
			for i := range list {
				if offers[i].Serves(class.Wants) {
					list[i].could = append(list[i].could, k)
				}
			}
		}
	}
	for i, t := range spec.Templates {
		s.uses[t.Template] = append(s.uses[t.Template], list[i])
	}
}
