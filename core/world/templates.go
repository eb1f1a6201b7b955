package world

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
)

// agents reads the scenario's templates.
func (a *assembly) agents(s *document.ScenarioSpec, c *document.ClusterSpec) {
	for i, use := range s.Templates {
		t := a.template(a.in.Templates[i], c)
		t.Numbers = use.Agents
		t.Calendar = demand.NewCalendar(use.Agents, a.w.Start, a.w.Horizon(), a.w.Zone)
		t.Away = a.w.awayOf(use.OutOfService)
		a.w.Templates = append(a.w.Templates, t)
	}
	a.changes(s.Changes, c)
	slices.Sort(a.w.Extended)
	if n := len(a.w.Extended); n > fleet.MostExtended {
		a.fault(a.in.Scenario, "spec.templates", strings.Join(a.w.Extended, ", "),
			fmt.Sprintf("the templates may ask for at most %d extended resources in all", fleet.MostExtended))
		a.w.Extended = a.w.Extended[:fleet.MostExtended]
	}
	for t := range a.w.Later {
		a.w.Later[t].Need(a.w.Extended)
	}
	for t := range a.w.Templates {
		a.w.Templates[t].Need(a.w.Extended)
		if n := s.Nodes.Growth.SpareRoom[a.w.Templates[t].Name]; n > 0 {
			if a.w.SpareRoom == nil {
				a.w.SpareRoom = make([]int, len(a.w.Templates))
			}
			a.w.SpareRoom[t] = n
		}
	}
}

// template reads a PodTemplate of the scenario.
func (a *assembly) template(d *document.Document, c *document.ClusterSpec) Template {
	agent, faults := template.Read(d)
	a.faults = append(a.faults, faults...)
	t := Template{Agent: agent, Key: chance.Name(agent.Name)}
	for _, name := range agent.Images {
		n := slices.IndexFunc(a.w.Images, func(i document.Image) bool { return i.Name == name })
		if n < 0 {
			a.fault(d, "template.spec.containers", "image "+name,
				"cluster "+a.in.Cluster.Name+" does not know its size; add it to spec.images there")
			continue
		}
		t.ImageAt = append(t.ImageAt, int32(n))
	}
	if at, _ := template.AgentContainer(d.Value.(*document.PodTemplate)); at >= 0 {
		image := d.Value.(*document.PodTemplate).Template.Spec.Containers[at].Image
		t.Own = max(0, slices.IndexFunc(t.ImageAt, func(i int32) bool { return a.w.Images[i].Name == image }))
	}
	a.boots(&t, d, c)
	for name := range agent.Extended {
		if !slices.Contains(a.w.Extended, name) {
			a.w.Extended = append(a.w.Extended, name)
		}
	}
	return t
}

// boots reads what a template's agents do when they boot, and the claims and the
// priority of their pods.
func (a *assembly) boots(t *Template, d *document.Document, c *document.ClusterSpec) {
	for i, n := range t.ImageAt {
		image := &a.w.Images[n]
		t.AsksAlways = t.AsksAlways || t.Always[i]
		t.MakesImage = t.MakesImage || !image.MakeTime.IsZero()
		t.UpdatesAgent = t.UpdatesAgent || image.Agent != "" && c.Agents.Version != "" && older(image.Agent, c.Agents.Version)
	}
	for _, name := range t.Tools {
		n := slices.IndexFunc(c.Agents.Tools, func(x document.Tool) bool { return x.Name == name })
		if n < 0 {
			a.fault(d, "metadata.annotations", "boot tool "+name,
				"cluster "+a.in.Cluster.Name+" does not know how long it takes to install; add it to spec.agents.tools there")
			continue
		}
		t.ToolAt = append(t.ToolAt, int32(n))
		if !slices.ContainsFunc(t.ImageAt, func(i int32) bool { return slices.Contains(a.w.Images[i].Tools, name) }) {
			t.Lacking = append(t.Lacking, int32(n))
		}
	}
	for _, name := range t.Agent.Claims {
		n := slices.IndexFunc(c.Claims, func(x document.Claim) bool { return x.Name == name })
		if n < 0 {
			a.fault(d, "template.spec.volumes", "claim "+name, "cluster "+a.in.Cluster.Name+" does not know it; add it to spec.claims there")
			continue
		}
		if c.Claims[n].Nodes == document.OneNode {
			t.ClaimAt = append(t.ClaimAt, int32(n))
		}
	}
	t.Rank = t.Agent.Priority
	if t.Agent.Class == "" {
		return
	}
	value, ok := c.PriorityClasses[t.Agent.Class]
	if !ok {
		a.fault(d, "template.spec.priorityClassName", t.Agent.Class,
			"cluster "+a.in.Cluster.Name+" does not know its value; add it to spec.priorityClasses there")
	}
	t.Rank = value
}

// older reports whether version a comes before b, number by number.
func older(a, b string) bool {
	x, y := strings.Split(a, "."), strings.Split(b, ".")
	for i := range min(len(x), len(y)) {
		m, err1 := strconv.Atoi(x[i])
		n, err2 := strconv.Atoi(y[i])
		if err1 != nil || err2 != nil {
			if x[i] != y[i] {
				return x[i] < y[i]
			}
			continue
		}
		if m != n {
			return m < n
		}
	}
	return len(x) < len(y)
}

// Need sets what one agent asks of a node; names number the extended resources.
func (t *Template) Need(names []string) {
	t.Needs = fleet.Need{Request: t.Request}
	for i, name := range names {
		t.Needs.Extended[i] = t.Agent.Extended[name]
	}
}

// fits faults templates whose agents could never run: for each pool, what keeps
// them off its empty nodes.
func (a *assembly) fits() {
	all := a.w.Full()
	table, _ := all.Stances()
	for i := range all.Templates {
		t := &all.Templates[i]
		v, ok := fleet.Verdict{Nodes: int32(len(a.w.Pools))}, false
		for p := range a.w.Pools {
			switch s := &table[i][p]; {
			case s.Tainted:
				v.Add(fleet.Tainted)
			case s.Unwanted:
				v.Add(fleet.Unwanted)
			case s.Short.Short():
				v.Lack(&s.Short)
			case s.NoPlace:
				v.Add(fleet.NoPlace)
			case s.NotNear:
				v.Add(fleet.NotBeside)
			default:
				ok = ok || a.w.Pools[p].Max > 0
			}
		}
		if ok {
			continue
		}
		path, found := "template.spec.containers", fmt.Sprintf("requests of %v CPU and %s in all", t.Request.CPU, t.Request.Memory.Short())
		switch {
		case v.By[fleet.NoPlace] > 0:
			path, found = "template.spec.topologySpreadConstraints", "spreading over a label that no node has"
		case v.By[fleet.NotBeside] > 0:
			path, found = "template.spec.affinity.podAffinity", "pods that it must be beside, whom no template makes, or a label that no node has"
		}
		a.fault(a.in.Template(t.Name), path, found,
			"fits no node of any pool of cluster "+a.in.Cluster.Name+" that may have nodes; of one empty node of each pool: "+v.Words(a.w.Extended))
	}
}
