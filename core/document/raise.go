package document

import (
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/units"
)

// Raise is a change of a template's numbers by hand, at a moment: they hold from then on, whatever the
// calendar says.
type Raise struct {
	At       units.Instant `json:"at" doc:"When it is made, RFC 3339."`
	Template string        `json:"template" doc:"Template whose numbers change."`
	Floor    *int          `json:"floor,omitempty" doc:"Fewest agents from then on; absent: as before."`
	Ceiling  *int          `json:"ceiling,omitempty" doc:"Most agents from then on; absent: as before."`
	Spare    *int          `json:"spare,omitempty" doc:"Idle agents kept ready from then on; absent: as before."`
}

// maxRaises is how many changes by hand there may be.
const maxRaises = 100

// raises checks the changes by hand.
func (c checker) raises(s *ScenarioSpec) {
	if len(s.Changes) > maxRaises {
		c.at("spec.changes", fmt.Sprint(len(s.Changes), " changes"), fmt.Sprintf("expected at most %d", maxRaises))
		return
	}
	for i := range s.Changes {
		x, path := &s.Changes[i], fmt.Sprintf("spec.changes[%d]", i)
		if x.At.IsZero() {
			c.at(path+".at", "no moment", "say when, as in 2026-09-16T12:00:00+02:00")
		}
		if !slices.ContainsFunc(s.Templates, func(u TemplateUse) bool { return u.Template == x.Template }) {
			c.at(path+".template", strconv.Quote(x.Template), "expected a template of the scenario")
		}
		if x.Floor == nil && x.Ceiling == nil && x.Spare == nil {
			c.at(path, "no number", "say floor, ceiling or spare")
		}
		for name, n := range map[string]*int{"floor": x.Floor, "ceiling": x.Ceiling, "spare": x.Spare} {
			if n != nil {
				c.within(path+"."+name, *n, 0, maxAgents)
			}
		}
		if x.Floor != nil && x.Ceiling != nil && *x.Floor > *x.Ceiling {
			c.at(path+".floor", strconv.Itoa(*x.Floor), "must not be above the ceiling "+strconv.Itoa(*x.Ceiling))
		}
	}
}
