package explore

import (
	"fmt"

	"tachyphor/core/document"
)

// A Move is a place that a knob moves.
type Move struct {
	Kind string `json:"kind" doc:"Kind of the document."`
	Name string `json:"name" doc:"Its name."`
	Path string `json:"path" doc:"JSON pointer of the field."`
}

// Changes are what makes a variant of the scenario, by document; of the scenario as it is, none.
func (a *Answer) Changes(n int) ([]document.Changes, error) {
	if n < 0 || n >= len(a.Variants) {
		return nil, fmt.Errorf("there is no variant %d; they are numbered 0 to %d", n, len(a.Variants)-1)
	}
	out := []document.Changes{}
	for k, x := range a.Variants[n].Has {
		if x < 0 {
			continue
		}
		for i, m := range a.Knobs[k].Moves {
			e := document.Edit{Op: "add", Path: m.Path, Value: a.Knobs[k].Gives[x][i]}
			out = joined(out, []document.Changes{{Kind: m.Kind, Name: m.Name, Edits: []document.Edit{e}}})
		}
	}
	return out, nil
}
