package weigh

import "tachyphor/core/document"

// Edits are the changes that give a scenario a plan's rules, with no more in them than
// the plan needs.
func (p Plan) Edits() []document.Edit {
	rules := []any{}
	for _, r := range p.Rules {
		m := map[string]any{"plan": string(r.Plan)}
		if len(r.Classes) > 0 {
			m["classes"] = r.Classes
		}
		if r.Scope == document.ByClass {
			m["scope"] = string(r.Scope)
		}
		switch r.Plan {
		case document.Archive:
			m["save"], m["savedBy"] = string(r.Save), string(r.SavedBy)
			if r.Save == document.SaveEvery {
				m["every"] = r.Every.String()
			}
			if r.Expires > 0 {
				m["expires"] = r.Expires.String()
			}
		case document.Volume:
			m["copies"], m["size"] = r.Copies, r.Size.String()
		case document.Baked:
			if r.Every > 0 {
				m["every"] = r.Every.String()
			}
		}
		rules = append(rules, m)
	}
	return []document.Edit{{Op: "add", Path: document.Pointer("spec", "caching"), Value: rules}}
}
