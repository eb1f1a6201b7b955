package document

import (
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/units"
)

func (c checker) scenario(s *ScenarioSpec) {
	if len(s.Templates) == 0 {
		c.at("spec.templates", "none", "a scenario needs at least one template")
	}
	seen := map[string]bool{}
	for i, t := range s.Templates {
		path := fmt.Sprintf("spec.templates[%d]", i)
		if seen[t.Template] {
			c.at(path+".template", strconv.Quote(t.Template), "the template is used already; name each once")
		}
		seen[t.Template] = true
		c.agents(path+".agents", t.Agents)
		c.away(path+".outOfService", t.OutOfService)
	}
	if s.AgentCeiling != nil {
		c.within("spec.agentCeiling", *s.AgentCeiling, 0, maxAgents)
	}
	for name, p := range s.Nodes.Pools {
		path := join("spec.nodes.pools", name)
		if p.Min != nil {
			c.within(path+".min", *p.Min, 0, maxNodesOf)
		}
		if p.Max != nil {
			c.within(path+".max", *p.Max, 0, maxNodesOf)
		}
		if p.Min != nil && p.Max != nil && *p.Min > *p.Max {
			c.at(path+".min", strconv.Itoa(*p.Min), "must not be above max "+strconv.Itoa(*p.Max))
		}
	}
	c.limits(s)
	c.shared(s)
	c.raises(s)
	c.events(s.Events)
	for i, r := range s.Caching {
		path := fmt.Sprintf("spec.caching[%d]", i)
		c.within(path+".copies", r.Copies, 1, 10_000)
		if r.Scope == ByBranch && r.Plan != Archive {
			c.at(path+".scope", string(r.Scope), "goes with plan: archive")
		}
		switch {
		case r.Plan == Baked:
			if r.Every != 0 && r.Every < units.Hour {
				c.at(path+".every", r.Every.String(), "expected at least 1h")
			}
		case (r.Save == SaveEvery) != (r.Every > 0):
			c.at(path+".every", r.Every.String(), "give every, as in 24h, together with save: every")
		}
	}
	if s.Nodes.Growth.Scan < units.Millisecond {
		c.at("spec.nodes.growth.scan", s.Nodes.Growth.Scan.String(), "expected at least 1ms")
	}
	c.chance("spec.nodes.growth.drainBelow", s.Nodes.Growth.DrainBelow)
	c.aims(s.Aims)
	for i, text := range s.Aims {
		if slices.Contains(s.Aims[:i], text) {
			c.at(fmt.Sprintf("spec.aims[%d]", i), strconv.Quote(clip(text)), "the aim is already in the list; name each once")
		}
	}
	r := s.Run
	if r.Span != 0 && !(r.Span >= units.Second && r.Span <= maxSpan) {
		c.at("spec.run.span", r.Span.String(), "expected 1s to 400d")
	}
	if r.Warmup > maxWarmup {
		c.at("spec.run.warmup", r.Warmup.String(), "expected at most 35d")
	}
	c.within("spec.run.repeats", r.Repeats, 1, maxRepeats)
	if r.Alike != nil {
		c.within("spec.run.alike", *r.Alike, 0, r.Repeats)
	}
}

// limits checks the quota, the pools' calendars and spare room.
func (c checker) limits(s *ScenarioSpec) {
	if s.Quota.Pods != nil {
		c.within("spec.quota.pods", *s.Quota.Pods, 0, maxAgents)
	}
	for name, p := range s.Nodes.Pools {
		for i, x := range p.Calendar {
			path := fmt.Sprintf("%s.calendar[%d].min", join("spec.nodes.pools", name), i)
			c.within(path, x.Min, 0, maxNodesOf)
			if p.Max != nil && x.Min > *p.Max {
				c.at(path, strconv.Itoa(x.Min), "must not be above max "+strconv.Itoa(*p.Max))
			}
		}
	}
	var names []string
	for _, t := range s.Templates {
		names = append(names, t.Template)
	}
	for name, n := range s.Nodes.Growth.SpareRoom {
		path := join("spec.nodes.growth.spareRoom", name)
		if !slices.Contains(names, name) {
			c.at(path, strconv.Quote(name), "the scenario uses no such template"+meant(name, names))
		}
		c.within(path, n, 0, maxAgents)
	}
}

func (c checker) agents(path string, a AgentNumbers) {
	numbers := func(path string, floor, spare int, ceiling *int) {
		c.within(path+".floor", floor, 0, maxAgents)
		c.within(path+".spare", spare, 0, maxAgents)
		if ceiling != nil {
			c.within(path+".ceiling", *ceiling, 0, maxAgents)
			if floor > *ceiling {
				c.at(path+".floor", strconv.Itoa(floor), "must not be above the ceiling of "+strconv.Itoa(*ceiling))
			}
		}
	}
	numbers(path, a.Floor, a.Spare, a.Ceiling)
	for i, p := range a.Calendar {
		floor, spare, ceiling := a.In(p)
		numbers(fmt.Sprintf("%s.calendar[%d]", path, i), floor, spare, ceiling)
	}
	c.within(path+".step", a.Step, 0, maxAgents)
	c.within(path+".mostJobs", a.MostJobs, 0, maxJobsOfAgent)
	if a.Reuse == Never && (a.MostJobs > 1 || a.MostAge > 0) {
		c.at(path+".reuse", string(a.Reuse), "an agent takes one job only; mostJobs and mostAge go with reuse: while-idle")
	}
	if a.MostAge > 0 && a.MostAge < units.Second {
		c.at(path+".mostAge", a.MostAge.String(), "expected at least 1s")
	}
	if a.Every == 0 && a.Step > 0 {
		c.at(path+".step", strconv.Itoa(a.Step), "a step is for each round, and with every: 0s there are no rounds; give every, "+
			"as in 5s, or leave step out")
	}
	if a.Every > 0 && a.Every < units.Millisecond {
		c.at(path+".every", a.Every.String(), "expected 0s, or at least 1ms")
	}
}
