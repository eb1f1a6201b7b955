package document

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/units"
)

// A Shared is a ceiling over several templates together, as the seats of one licence are.
type Shared struct {
	Name      string      `json:"name,omitempty" doc:"What it is called; absent: its templates."`
	Templates []string    `json:"templates" doc:"Templates of the scenario whose agents count together."`
	Agents    int         `json:"agents" doc:"Most agents of them together: how many seats there are."`
	Seat      units.Price `json:"seat,omitempty" doc:"Price of each seat for the time, used or not."`
}

// Called is what a limit is called.
func (s *Shared) Called() string { return cmp.Or(s.Name, strings.Join(s.Templates, " and ")) }

// maxShared is how many limits over several templates there may be.
const maxShared = 20

// shared checks the limits over several templates.
func (c checker) shared(s *ScenarioSpec) {
	if len(s.Limits) > maxShared {
		c.at("spec.limits", fmt.Sprint(len(s.Limits), " limits"), fmt.Sprintf("expected at most %d", maxShared))
		return
	}
	names := map[string]bool{}
	for i := range s.Limits {
		x, path := &s.Limits[i], fmt.Sprintf("spec.limits[%d]", i)
		if c.within(path+".agents", x.Agents, 0, maxAgents); len(x.Templates) == 0 {
			c.at(path+".templates", "none", "name the templates whose agents count together")
			continue
		}
		for k, t := range x.Templates {
			at := fmt.Sprintf("%s.templates[%d]", path, k)
			if slices.Contains(x.Templates[:k], t) {
				c.at(at, strconv.Quote(t), "the template is named already; name each once")
			} else if !slices.ContainsFunc(s.Templates, func(u TemplateUse) bool { return u.Template == t }) {
				c.at(at, strconv.Quote(t), "expected a template of the scenario")
			}
		}
		if names[x.Called()] {
			c.at(path+".name", strconv.Quote(x.Called()), "another limit is called so; give it a name of its own")
		}
		names[x.Called()] = true
	}
}
