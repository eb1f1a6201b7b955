package explore

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/shelf"
)

// nameMost is how long a name of a document may be.
const nameMost = 63

// BetterName is what what is recommended of a scenario is called where nobody says otherwise.
func BetterName(scenario string) string {
	const end = "-better"
	return strings.TrimRight(scenario[:min(len(scenario), nameMost-len(end))], "-.") + end
}

// Own writes what changes make of a scenario as one of its own, a stream of documents: the scenario
// under another name, and with it those that it uses and that are changed too, under names of their
// own, so that whatever else uses them stays as it is. Comments and layout stay.
func Own(in shelf.Named, changes []document.Changes, name string) (string, error) {
	edits := map[*document.Document][]document.Edit{}
	for _, d := range in.All() {
		for _, c := range changes {
			if c.Kind == d.Kind && c.Name == d.Name {
				edits[d] = append(edits[d], c.Edits...)
			}
		}
	}
	called := func(name string) document.Edit {
		return document.Edit{Op: "replace", Path: "/metadata/name", Value: name}
	}
	own := func(d *document.Document) string {
		out := d.Name + "-" + name
		return strings.TrimRight(out[:min(len(out), nameMost)], "-.")
	}
	var texts []string
	write := func(d *document.Document, edits []document.Edit) error {
		text, err := document.Apply(d.Text, edits)
		if err != nil {
			return fmt.Errorf("%s %s: %w", d.Kind, d.Name, err)
		}
		texts = append(texts, strings.TrimRight(text, "\n")+"\n")
		return nil
	}
	scenario := append([]document.Edit{called(name)}, edits[in.Scenario]...)
	for _, x := range []struct {
		d  *document.Document
		at string
	}{{in.Cluster, "/spec/cluster"}, {in.Workload, "/spec/workload"}} {
		if len(edits[x.d]) == 0 {
			continue
		}
		scenario = append(scenario, document.Edit{Op: "replace", Path: x.at, Value: own(x.d)})
		if err := write(x.d, append(edits[x.d], called(own(x.d)))); err != nil {
			return "", err
		}
	}
	room := in.Scenario.Value.(*document.Scenario).Spec.Nodes.Growth.SpareRoom
	for i, d := range in.Templates {
		if len(edits[d]) == 0 {
			continue
		}
		scenario = append(scenario, document.Edit{Op: "replace", Path: fmt.Sprintf("/spec/templates/%d/template", i), Value: own(d)})
		for k, x := range in.Scenario.Value.(*document.Scenario).Spec.Limits {
			if at := slices.Index(x.Templates, d.Name); at >= 0 {
				scenario = append(scenario, document.Edit{Op: "replace", Path: fmt.Sprintf("/spec/limits/%d/templates/%d", k, at), Value: own(d)})
			}
		}
		for k, x := range in.Scenario.Value.(*document.Scenario).Spec.Changes {
			if x.Template == d.Name {
				scenario = append(scenario, document.Edit{Op: "replace", Path: fmt.Sprintf("/spec/changes/%d/template", k), Value: own(d)})
			}
		}
		if n, ok := room[d.Name]; ok {
			at := "/spec/nodes/growth/spareRoom"
			scenario = append(scenario, document.Edit{Op: "remove", Path: at + document.Pointer(d.Name)},
				document.Edit{Op: "add", Path: at + document.Pointer(own(d)), Value: n})
		}
		if err := write(d, append(edits[d], called(own(d)))); err != nil {
			return "", err
		}
	}
	if err := write(in.Scenario, scenario); err != nil {
		return "", err
	}
	return strings.Join(texts, "---\n"), nil
}
