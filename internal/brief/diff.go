package brief

import (
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/shelf"
	"tachyphor/core/weigh"

	"github.com/pmezard/go-difflib/difflib"
)

// Changed is what changes make of documents, as a unified diff.
func Changed(named shelf.Named, changes []document.Changes) (string, error) {
	var diffs []string
	for _, c := range changes {
		for _, d := range named.All() {
			if d.Kind != c.Kind || d.Name != c.Name {
				continue
			}
			diff, err := edited(d, c.Edits)
			if err != nil {
				return "", err
			}
			diffs = append(diffs, diff)
		}
	}
	return strings.Join(diffs, ""), nil
}

// ChangedTo is what the plan to have changes in the scenario.
func ChangedTo(o *weigh.Weighing, scenario *document.Document) (string, error) {
	for _, p := range o.Plans {
		if p.Key == o.Best && len(p.Edits) > 0 {
			return edited(scenario, p.Edits)
		}
	}
	return "", nil
}

func edited(d *document.Document, edits []document.Edit) (string, error) {
	text, err := document.Apply(d.Text, edits)
	if err != nil || text == d.Text {
		return "", err
	}
	return difflib.GetUnifiedDiffString(difflib.UnifiedDiff{
		A: difflib.SplitLines(d.Text), B: difflib.SplitLines(text), Context: 3, FromFile: d.Kind + " " + d.Name, ToFile: "changed",
	})
}
