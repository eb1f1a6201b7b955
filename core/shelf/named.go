package shelf

import (
	"errors"
	"fmt"
	"slices"

	"tachyphor/core/document"
)

// ErrChanges says that changes cannot be made.
var ErrChanges = errors.New("changes cannot be made")

// A Need is a document that a scenario names, and where it does.
type Need struct {
	Name
	Path string // as in faults
}

// Needs lists what a scenario names: its cluster, its workload, and its templates in their
// order, and what they become.
func Needs(scenario *document.Document) []Need {
	spec := &scenario.Value.(*document.Scenario).Spec
	out := []Need{
		{Name{document.KindCluster, spec.Cluster}, "spec.cluster"},
		{Name{document.KindWorkload, spec.Workload}, "spec.workload"},
	}
	for i, t := range spec.Templates {
		out = append(out, Need{Name{document.KindPodTemplate, t.Template}, fmt.Sprintf("spec.templates[%d].template", i)})
	}
	for i, c := range spec.Changes {
		n := Need{Name{document.KindPodTemplate, c.Becomes}, fmt.Sprintf("spec.changes[%d].becomes", i)}
		if c.Becomes != "" && !slices.ContainsFunc(out, func(x Need) bool { return x.Name == n.Name }) {
			out = append(out, n)
		}
	}
	return out
}

// A Named is a scenario with the documents that it names; those that are not on the shelf
// are nil.
type Named struct {
	Scenario, Cluster, Workload *document.Document
	Templates                   []*document.Document // in the scenario's order
	Later                       []*document.Document // what templates become, each once, but for those that are among them
}

// Named finds what a scenario names, and what of it is missing.
func (s *Shelf) Named(scenario *document.Document) (n Named, missing []Need) {
	n.Scenario = scenario
	for _, need := range Needs(scenario) {
		d := s.Find(need.Kind, need.Name.Name)
		if d == nil {
			missing = append(missing, need)
		}
		switch need.Kind {
		case document.KindCluster:
			n.Cluster = d
		case document.KindWorkload:
			n.Workload = d
		default:
			if len(n.Templates) < len(scenario.Value.(*document.Scenario).Spec.Templates) {
				n.Templates = append(n.Templates, d)
			} else {
				n.Later = append(n.Later, d)
			}
		}
	}
	return n, missing
}

// All are the scenario and what it names, in order.
func (n Named) All() []*document.Document {
	return slices.Concat([]*document.Document{n.Scenario, n.Cluster, n.Workload}, n.Templates, n.Later)
}

// Template finds a template by name among those that the scenario names; nil: it names none so.
func (n Named) Template(name string) *document.Document {
	for _, d := range slices.Concat(n.Templates, n.Later) {
		if d != nil && d.Name == name {
			return d
		}
	}
	return nil
}

// With returns what is named with changes made in it; documents that none of them means are the
// same ones. A change that names another document than is there is a fault.
func (n Named) With(changes []document.Changes) (Named, document.Faults, error) {
	all := Of(n.All()...)
	all, faults, err := all.With(changes)
	if err != nil || len(faults) > 0 {
		return n, faults, err
	}
	n, faults = all.Whole()
	return n, faults, nil
}

// Whole is what the scenario on the shelf names, all of which was there before changes were made.
func (s *Shelf) Whole() (Named, document.Faults) {
	scenario := s.OfKind(document.KindScenario)[0]
	named, missing := s.Named(scenario)
	var faults document.Faults
	for _, m := range missing {
		faults = append(faults, scenario.Fault(m.Path, m.Name.Name,
			"a change cannot name another "+m.Kind+" than the scenario's own; store the scenario with it"))
	}
	return named, faults
}
