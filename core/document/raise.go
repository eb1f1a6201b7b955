package document

import (
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/units"
)

// Raise is a change by hand at a moment: of a template's numbers, which hold from then on whatever the
// calendar says, or of what its agents are made of.
type Raise struct {
	At       units.Instant `json:"at" doc:"When it is made, RFC 3339."`
	Template string        `json:"template" doc:"Template whose numbers change."`
	Floor    *int          `json:"floor,omitempty" doc:"Fewest agents from then on; absent: as before."`
	Ceiling  *int          `json:"ceiling,omitempty" doc:"Most agents from then on; absent: as before."`
	Spare    *int          `json:"spare,omitempty" doc:"Idle agents kept ready from then on; absent: as before."`
	Becomes  string        `json:"becomes,omitempty" doc:"PodTemplate that its agents are made of from then on, as when a changed one is rolled out: another image, other boot tools, other requests. Those that are there go on as they are."`
	Recycle  Recycle       `json:"recycle,omitempty" doc:"With becomes, which agents of before go then. none: those that are there stay until they go by themselves; idle: idle ones go at once; all: those at work too, when their job is done."`
}

// Recycle says which agents of before a changed template takes away.
type Recycle string

// The ways to recycle.
const (
	RecycleNone Recycle = "none"
	RecycleIdle Recycle = "idle"
	RecycleAll  Recycle = "all"
)

// Values lists what a document may say.
func (Recycle) Values() []string {
	return []string{string(RecycleNone), string(RecycleIdle), string(RecycleAll)}
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
		if x.Floor == nil && x.Ceiling == nil && x.Spare == nil && x.Becomes == "" {
			c.at(path, "no number", "say floor, ceiling or spare, or what it becomes")
		}
		if x.Becomes == "" && x.Recycle != "" && x.Recycle != RecycleNone {
			c.at(path+".recycle", string(x.Recycle), "goes with becomes")
		}
		if _, ok := s.Nodes.Growth.SpareRoom[x.Template]; ok && x.Becomes != "" {
			c.at(path+".becomes", strconv.Quote(x.Becomes), "room is kept free for agents of "+x.Template+" as it is; leave it out of spareRoom")
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
