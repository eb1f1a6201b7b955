package document

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/units"
)

// Limits on what may be simulated.
const (
	maxAgents  = 100_000
	maxNodesOf = 10_000 // in one pool
	maxSpan    = 400 * units.Day
	maxRepeats = 1000
)

// kind checks the values of one document.
func (c checker) kind(value any) {
	switch v := value.(type) {
	case *PodTemplate:
		c.podTemplate(v)
	case *Cluster:
		c.cluster(&v.Spec)
	case *Workload:
		c.workload(&v.Spec)
	case *Scenario:
		c.scenario(&v.Spec)
	}
}

// unique faults the second use of a name in a list.
func (c checker) unique(path string, n int, name func(int) string) {
	seen := map[string]int{}
	for i := range n {
		if first, twice := seen[name(i)]; twice {
			c.at(fmt.Sprintf("%s[%d].name", path, i), strconv.Quote(name(i)), fmt.Sprintf("the name stands at %s[%d] already; names must differ", path, first))
			continue
		}
		seen[name(i)] = i
	}
}

// within faults a whole number out of range.
func (c checker) within(path string, n, lo, hi int) {
	if n < lo || n > hi {
		c.at(path, strconv.Itoa(n), fmt.Sprintf("expected a whole number from %d to %d", lo, hi))
	}
}

func (c checker) times(path string, t Times) {
	forms := 0
	for _, given := range []bool{t.Fixed != nil, t.Median != nil || t.P95 != nil, t.Mean != nil || t.Shape != nil, t.Min != nil || t.Max != nil, len(t.Samples) > 0} {
		if given {
			forms++
		}
	}
	const write = "write one of {fixed: 40s}, {median: 42s, p95: 110s}, {mean: 5m}, {mean: 5m, shape: 3}, {min: 1s, max: 4s}, {samples: [..]}"
	switch {
	case forms > 1:
		c.at(path, "more than one form", write)
	case (t.Median == nil) != (t.P95 == nil), (t.Min == nil) != (t.Max == nil), t.Shape != nil && t.Mean == nil:
		c.at(path, "half of a form", write)
	case t.Median != nil && !(0 < *t.Median && *t.Median <= *t.P95):
		c.at(path, fmt.Sprintf("median %v, p95 %v", *t.Median, *t.P95), "expected 0 < median ≤ p95")
	case t.Min != nil && *t.Min > *t.Max:
		c.at(path, fmt.Sprintf("min %v, max %v", *t.Min, *t.Max), "expected min ≤ max")
	case t.Shape != nil && !(*t.Shape >= 0.05 && *t.Shape <= 1000):
		c.at(path+".shape", fmt.Sprint(*t.Shape), "expected a number from 0.05 to 1000")
	case len(t.Samples) > 10_000:
		c.at(path+".samples", fmt.Sprint(len(t.Samples), " values"), "expected at most 10000")
	}
}

func (c checker) podTemplate(p *PodTemplate) {
	spec := p.Template.Spec
	if len(spec.Containers) == 0 {
		c.at("template.spec.containers", "none", "a template needs at least one container, its agent")
	}
	c.unique("template.spec.containers", len(spec.Containers), func(i int) string { return spec.Containers[i].Name })
	for i, k := range spec.Containers {
		path := fmt.Sprintf("template.spec.containers[%d]", i)
		for r, q := range k.Resources.Requests {
			if q.Sign() < 0 {
				c.at(path+".resources.requests."+string(r), q.String(), "must not be negative")
			}
			if limit, ok := k.Resources.Limits[r]; ok && limit.Cmp(q) < 0 {
				c.at(path+".resources.limits."+string(r), limit.String(), "must not be below the request of "+q.String())
			}
		}
		if k.Image == "" {
			c.at(path+".image", "none", "a container needs an image")
		}
	}
}

func (c checker) cluster(s *ClusterSpec) {
	if len(s.NodeTypes) == 0 {
		c.at("spec.nodeTypes", "none", "a cluster needs at least one node type")
	}
	if len(s.Pools) == 0 {
		c.at("spec.pools", "none", "a cluster needs at least one pool")
	}
	c.unique("spec.nodeTypes", len(s.NodeTypes), func(i int) string { return s.NodeTypes[i].Name })
	c.unique("spec.pools", len(s.Pools), func(i int) string { return s.Pools[i].Name })
	c.unique("spec.images", len(s.Images), func(i int) string { return s.Images[i].Name })
	var types []string
	for i, n := range s.NodeTypes {
		path := fmt.Sprintf("spec.nodeTypes[%d]", i)
		types = append(types, n.Name)
		if n.CPU <= n.Reserved.CPU {
			c.at(path+".reserved.cpu", n.Reserved.CPU.String(), "must leave something of the node's "+n.CPU.String())
		}
		if n.Memory <= n.Reserved.Memory {
			c.at(path+".reserved.memory", n.Reserved.Memory.String(), "must leave something of the node's "+n.Memory.String())
		}
		if n.Disk > 0 && n.Disk <= n.Reserved.Disk {
			c.at(path+".reserved.disk", n.Reserved.Disk.String(), "must leave something of the node's "+n.Disk.String())
		}
		for name, count := range n.Extended {
			if !strings.Contains(name, "/") {
				c.at(join(path+".extended", name), name, "an extended resource has a domain, as in example.org/card")
			}
			c.within(join(path+".extended", name), count, 0, 1_000_000)
		}
		c.within(path+".pods", n.Pods, 1, 10_000)
		c.within(path+".reserved.pods", n.Reserved.Pods, 0, n.Pods)
	}
	for i, p := range s.Pools {
		path := fmt.Sprintf("spec.pools[%d]", i)
		if !slices.Contains(types, p.NodeType) {
			c.at(path+".nodeType", strconv.Quote(p.NodeType), "no such node type in this cluster"+meant(p.NodeType, types))
		}
		c.within(path+".max", p.Max, 0, maxNodesOf)
		c.within(path+".min", p.Min, 0, p.Max)
		c.times(path+".boot", p.Boot)
	}
	c.times("spec.agents.start", s.Agents.Start)
	c.times("spec.agents.join", s.Agents.Join)
	c.times("spec.agents.wipe", s.Agents.Wipe)
}

func (c checker) workload(s *WorkloadSpec) {
	if len(s.Classes) == 0 {
		c.at("spec.classes", "none", "a workload needs at least one job class")
	}
	if s.Start.IsZero() {
		c.at("spec.start", "nothing", "expected a time such as 2026-09-14T00:00:00+02:00")
	}
	c.unique("spec.classes", len(s.Classes), func(i int) string { return s.Classes[i].Name })
	for i, k := range s.Classes {
		path := fmt.Sprintf("spec.classes[%d]", i)
		c.times(path+".work", k.Work)
		if k.Work.IsZero() && s.Jobs == nil {
			c.at(path+".work", "nothing", "say how long a job works, as in {median: 8m, p95: 14m}")
		}
		if !(k.Cores >= 0 && k.Cores <= 10_000) {
			c.at(path+".cores", fmt.Sprint(k.Cores), "expected a number from 0 to 10000")
		}
		for j, h := range k.Arrivals.Hours {
			if !(h.PerHour >= 0 && h.PerHour <= 1e6) {
				c.at(fmt.Sprintf("%s.arrivals.hours[%d].perHour", path, j), fmt.Sprint(h.PerHour), "expected a number from 0 to 1000000")
			}
		}
		for j, b := range k.Arrivals.Bursts {
			c.within(fmt.Sprintf("%s.arrivals.bursts[%d].count", path, j), b.Count, 1, 1_000_000)
		}
	}
	if s.Jobs != nil && (s.Jobs.File == "" || len(s.Jobs.File) > 255) {
		c.at("spec.jobs.file", strconv.Quote(clip(s.Jobs.File)), "expected the name of a CSV file beside this document")
	}
}

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
	if s.Nodes.Growth.Scan < units.Millisecond {
		c.at("spec.nodes.growth.scan", s.Nodes.Growth.Scan.String(), "expected at least 1ms")
	}
	r := s.Run
	if !(r.Span >= units.Second && r.Span <= maxSpan) {
		c.at("spec.run.span", r.Span.String(), "expected 1s to 400d")
	}
	if r.Warmup >= r.Span {
		c.at("spec.run.warmup", r.Warmup.String(), "must be shorter than the span of "+r.Span.String())
	}
	c.within("spec.run.repeats", r.Repeats, 1, maxRepeats)
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
	if a.Every == 0 && a.Step > 0 {
		c.at(path+".step", strconv.Itoa(a.Step), "a step is for each round, and with every: 0s there are no rounds; give every, as in 5s, or leave step out")
	}
	if a.Every > 0 && a.Every < units.Millisecond {
		c.at(path+".every", a.Every.String(), "expected 0s, or at least 1ms")
	}
}

// In returns the numbers that hold in a period of the calendar.
func (a AgentNumbers) In(p AgentPeriod) (floor, spare int, ceiling *int) {
	floor, spare, ceiling = a.Floor, a.Spare, a.Ceiling
	if p.Floor != nil {
		floor = *p.Floor
	}
	if p.Spare != nil {
		spare = *p.Spare
	}
	if p.Ceiling != nil {
		ceiling = p.Ceiling
	}
	return floor, spare, ceiling
}
