package review

import (
	"fmt"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// A ClassMatch says which template the jobs of a class get.
type ClassMatch struct {
	Class   string   `json:"class" doc:"Name of the class."`
	Wants   []string `json:"wants" doc:"Words that its jobs want."`
	PerWeek float64  `json:"perWeek,omitempty" doc:"Jobs a week; absent where it is not known."`
	// Templates are those that offer everything, in the order of preference: the
	// first gets the jobs.
	Templates []string `json:"templates" doc:"Templates that offer everything, in the order of preference; the first gets the jobs."`
	Nearest   string   `json:"nearest,omitempty" doc:"Where none does: the template that comes nearest."`
	Missing   []string `json:"missing,omitempty" doc:"Words that it lacks; none where the class wants nothing and all templates take only jobs that name something they offer."`
	Slips     []Slip   `json:"slips,omitempty" doc:"Missing words that are like a word it offers."`
}

// A Slip is a word that differs from another by a few letters.
type Slip struct {
	Word    string `json:"word" doc:"Word that is wanted."`
	Meant   string `json:"meant" doc:"Word that is offered."`
	Letters int    `json:"letters" doc:"Letters to change."`
}

// A Misfit is work that a template takes and another one should.
type Misfit struct {
	Class    string `json:"class" doc:"Name of the class."`
	Template string `json:"template" doc:"Template that gets its jobs."`
	Better   string `json:"better" doc:"Template that should; empty where the class should go elsewhere altogether."`
	Why      string `json:"why" doc:"Why."`
}

// Matches are a workload held against a scenario's templates.
type Matches struct {
	Scenario string       `json:"scenario" doc:"Name of the scenario."`
	Workload string       `json:"workload" doc:"Name of the workload."`
	Classes  []ClassMatch `json:"classes" doc:"Which template each class gets, those that get none first."`
	Misfits  []Misfit     `json:"misfits" doc:"Work that a template takes and should not."`
	Idle     []string     `json:"idle" doc:"Templates that get no class at all."`
}

// Match holds a workload against a scenario's templates. workload may be another
// than the scenario's own. Everything the scenario names should be on the shelf;
// a template that is not offers nothing.
func (s *Shelf) Match(workload, scenario *document.Document) Matches {
	shelf := &Shelf{PerWeek: s.PerWeek}
	spec := scenario.Value.(*document.Scenario).Spec
	spec.Workload = workload.Name
	shown := *scenario
	shown.Value = &document.Scenario{Metadata: scenario.Value.(*document.Scenario).Metadata, Spec: spec}
	for _, d := range s.All() {
		if d.Kind != document.KindScenario {
			shelf.Put(d)
		}
	}
	shelf.Put(&shown)
	shelf.Replace(workload)
	shelf.settle()
	out := Matches{Scenario: scenario.Name, Workload: workload.Name, Classes: []ClassMatch{}, Misfits: []Misfit{}, Idle: []string{}}
	if len(spec.Templates) == 0 {
		return out
	}
	var uses []use
	var offers []demand.Offer
	for _, t := range spec.Templates {
		u := shelf.uses[t.Template][0]
		uses, offers = append(uses, u), append(offers, offerOf(&u.agents[u.at]))
	}
	for k, class := range uses[0].workload.Classes {
		m := ClassMatch{Class: class.Name, Wants: class.Wants, PerWeek: uses[0].perWeek[class.Name], Templates: []string{}}
		var all []int
		for i := range offers {
			if offers[i].Serves(class.Wants) {
				all, m.Templates = append(all, i), append(m.Templates, spec.Templates[i].Template)
			}
		}
		if len(all) == 0 {
			got := demand.Matching(class.Wants, offers)
			m.Nearest, m.Missing = spec.Templates[got.Nearest].Template, got.Missing
			for i, word := range got.Missing {
				if got.Meant[i] != "" {
					m.Slips = append(m.Slips, Slip{word, got.Meant[i], table.Letters(word, got.Meant[i])})
				}
			}
		} else {
			out.Misfits = append(out.Misfits, shelf.misfits(uses, all, k)...)
		}
		out.Classes = append(out.Classes, m)
	}
	slices.SortStableFunc(out.Classes, func(a, b ClassMatch) int { return min(len(a.Templates), 1) - min(len(b.Templates), 1) })
	for _, u := range uses {
		if len(u.gets) == 0 {
			out.Idle = append(out.Idle, u.agents[u.at].Name)
		}
	}
	return out
}

// offerOf is which jobs a template takes.
func offerOf(a *template.Agent) demand.Offer { return demand.Offer{Words: a.Offers, Named: a.Named} }

// misfits says why a class should not go to the template that gets it: another
// that fits closer costs less, or the jobs cannot do their work there.
func (s *Shelf) misfits(uses []use, all []int, class int) []Misfit {
	u := &uses[all[0]]
	k := &u.workload.Classes[class]
	mine := u.agents[u.at]
	var out []Misfit
	if d := s.Find(document.KindPodTemplate, mine.Name); d != nil {
		x := s.subject(d)
		if have, known := x.tools(); known {
			if missing := lacking(k.Tools, have); len(missing) > 0 {
				out = append(out, Misfit{k.Name, mine.Name, "", "its image has not " + listed(missing) + ", which these jobs need: they will fail"})
			}
		}
	}
	if !k.Memory.IsZero() && mine.Limit.Memory > 0 {
		if half := units.Bytes(k.Memory.Dist().Quantile(0.5)); half > mine.Limit.Memory {
			out = append(out, Misfit{
				k.Name, mine.Name, "",
				fmt.Sprintf("half of these jobs need more than %s of memory, and the agent may have %s: they will be killed", half.Short(),
					mine.Limit.Memory.Short()),
			})
		}
	}
	cost, ok := s.hourly(u, mine.Name)
	if !ok {
		return out
	}
	for _, i := range all[1:] {
		other := uses[i].agents[i]
		price, ok := s.hourly(u, other.Name)
		if !ok || price.perHour >= cost.perHour*0.7 || len(other.Offers) >= len(mine.Offers) {
			continue
		}
		if !k.Memory.IsZero() && other.Limit.Memory > 0 && units.Bytes(k.Memory.Dist().Quantile(0.95)) > other.Limit.Memory {
			continue // it is larger for a reason
		}
		if k.Cores > other.Request.CPU.Cores()*1.5 {
			continue
		}
		return append(out, Misfit{
			k.Name, mine.Name, other.Name,
			fmt.Sprintf("%s offers all it wants with %d words to spare and not %d, for %.0f %% of the price; list it first",
				other.Name, len(other.Offers)-len(k.Wants), len(mine.Offers)-len(k.Wants), 100*price.perHour/cost.perHour),
		})
	}
	return out
}

// hourly returns the least that an hour of a template's agent costs in a
// scenario's cluster.
func (s *Shelf) hourly(u *use, name string) (Place, bool) {
	d := s.Find(document.KindPodTemplate, name)
	if d == nil || u.cluster == nil {
		return Place{}, false
	}
	x := s.subject(d)
	x.facts = u.cluster
	best, ok := Place{}, false
	for _, p := range x.places() {
		if p.Agents > 0 && (!ok || p.perHour < best.perHour) {
			best, ok = p, true
		}
	}
	return best, ok
}
