package review

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// A Portrait says in plain words what an agent of a template will be.
type Portrait struct {
	Name      string   `json:"name" doc:"Name of the template."`
	Namespace string   `json:"namespace" doc:"Namespace of its pods; empty: wherever they are made."`
	Container string   `json:"container" doc:"Container that runs jobs; empty when it cannot be told."`
	Image     string   `json:"image" doc:"Image of that container."`
	Offers    []string `json:"offers" doc:"Words it offers."`
	CPU       string   `json:"cpu" doc:"CPU that one agent requests."`
	Memory    string   `json:"memory" doc:"Memory that one agent requests."`
	Disk      string   `json:"disk" doc:"Ephemeral storage that one agent requests."`
	Limit     string   `json:"limit" doc:"Memory that the agent's container may have; empty: all of the node's."`
	Pull      string   `json:"pull" doc:"What a node without its images has to pull; empty when it is not known."`
	Currency  string   `json:"currency" doc:"Currency of prices."`
	Places    []Place  `json:"places" doc:"Where agents fit, pool by pool; empty when no cluster is known."`
	Gets      []Work   `json:"gets" doc:"Job classes that it gets, by scenario."`
	May       []string `json:"may" doc:"What its jobs may do beyond their own container."`
	Secrets   []string `json:"secrets" doc:"Secrets that it needs."`
	request   template.Request
}

// Number is what templates are sorted by: cpu in millicores, memory in bytes, hour what an hour of an agent costs where it
// costs least. ok is false where there is none, as of one that fits nowhere or reserves nothing.
func (p *Portrait) Number(by string) (x float64, ok bool) {
	switch by {
	case "cpu":
		return float64(p.request.CPU), true
	case "memory":
		return float64(p.request.Memory), true
	case "hour":
		for _, at := range p.Places {
			if at.Agents > 0 && at.perHour > 0 && (!ok || at.perHour < x) {
				x, ok = at.perHour, true
			}
		}
	}
	return x, ok
}

// A Place is a pool with how agents go on its nodes.
type Place struct {
	Pool     string  `json:"pool" doc:"Name of the pool."`
	NodeType string  `json:"nodeType" doc:"Type of its nodes."`
	Agents   int     `json:"agents" doc:"Agents that go on one empty node; 0: none."`
	Binds    string  `json:"binds" doc:"What keeps more from it: cpu, memory, disk, pods, or a reason in words."`
	LeftCPU  string  `json:"leftCpu" doc:"CPU that is left over on a full node."`
	LeftMem  string  `json:"leftMemory" doc:"Memory that is left over on a full node."`
	Hourly   string  `json:"hourly" doc:"What an agent costs an hour on a full node; empty for one that reserves nothing."`
	perHour  float64 // the same as a number
}

// Work is the job classes that a template gets in a scenario.
type Work struct {
	Scenario string   `json:"scenario" doc:"Name of the scenario."`
	Classes  []string `json:"classes" doc:"Classes whose jobs come to it."`
	PerWeek  float64  `json:"perWeek" doc:"Jobs a week; 0 where it is not known."`
}

// Portray says what an agent of a template will be.
func (s *Shelf) Portray(d *document.Document) Portrait {
	x := s.subject(d)
	a := x.agent
	out := Portrait{
		Name: d.Name, Namespace: x.p.Namespace, Offers: a.Offers, CPU: a.Request.CPU.String(), Memory: a.Request.Memory.Short(),
		Disk:   a.Request.Disk.Short(),
		Places: x.places(), Gets: []Work{}, May: x.may(), Secrets: []string{}, request: a.Request,
	}
	if out.Offers == nil {
		out.Offers = []string{}
	}
	if x.c != nil {
		out.Container, out.Image = x.c.Name, x.c.Image
	}
	if a.Limit.Memory > 0 {
		out.Limit = a.Limit.Memory.Short()
	}
	if x.facts != nil {
		out.Currency = x.facts.Currency
		total, known := units.Bytes(0), true
		for _, name := range a.Images {
			i := x.image(name)
			known = known && i != nil
			if i != nil {
				total += sizeOf(i)
			}
		}
		if known {
			out.Pull = total.Short()
		}
	}
	for i := range x.uses {
		u := &x.uses[i]
		w := Work{Scenario: u.scenario.Name, Classes: []string{}}
		for _, k := range u.gets {
			name := u.workload.Classes[k].Name
			w.Classes, w.PerWeek = append(w.Classes, name), w.PerWeek+u.perWeek[name]
		}
		out.Gets = append(out.Gets, w)
	}
	for _, n := range Secrets(x.spec) {
		what := n.Name
		if len(n.Keys) > 0 {
			what += " (" + strings.Join(n.Keys, ", ") + ")"
		}
		if n.Pull {
			what += " for pulling images"
		}
		out.Secrets = append(out.Secrets, what)
	}
	return out
}

// places says for every pool how agents go on its nodes.
func (x *subject) places() []Place {
	out := []Place{}
	names := fleet.ExtendedNames(x.agent)
	for _, s := range x.sites(true) {
		f := s.FitOn(x.agent, names)
		p := Place{Pool: s.Name, NodeType: s.Type, Agents: f.Agents, Binds: f.Binds, perHour: f.PerHour}
		if f.Agents == 0 {
			p.Binds = listed(f.Why)
		} else {
			p.LeftCPU, p.LeftMem = f.Left.CPU.String(), f.Left.Memory.Short()
		}
		if f.PerHour > 0 {
			p.Hourly = fmt.Sprintf("%.3f", f.PerHour)
		}
		out = append(out, p)
	}
	return out
}

// may lists what jobs of the template may do beyond their own container.
func (x *subject) may() []string {
	out := []string{}
	if a := x.spec.AutomountServiceAccountToken; a == nil || *a {
		name := x.spec.ServiceAccountName
		if name == "" {
			name = "default"
		}
		out = append(out, "speak to the cluster as service account "+name)
	}
	root, privileged := false, false
	if s := x.spec.SecurityContext; s != nil && s.RunAsUser != nil {
		root = *s.RunAsUser == 0
	}
	x.each(func(c *corev1.Container, _ string, _ []any) {
		if s := c.SecurityContext; s != nil {
			root = root || s.RunAsUser != nil && *s.RunAsUser == 0
			privileged = privileged || s.Privileged != nil && *s.Privileged
		}
	})
	if root {
		out = append(out, "work as root in their container")
	}
	if privileged {
		out = append(out, "do anything to their node")
	}
	for _, v := range x.spec.Volumes {
		if v.HostPath != nil {
			out = append(out, "use the node's own "+v.HostPath.Path)
		}
	}
	if x.spec.HostNetwork {
		out = append(out, "use the node's own network")
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Offers are the words that an agent of a template offers.
func (s *Shelf) Offers(d *document.Document) []string { return s.subject(d).agent.Offers }

// Tools lists the tools that are worth asking an agent for: those that its image is
// said to have, and those that the jobs need that come to it.
func (s *Shelf) Tools(d *document.Document) []string {
	x := s.subject(d)
	var out []string
	if x.c != nil {
		if i := x.image(x.c.Image); i != nil {
			out = append(out, i.Tools...)
		}
	}
	for _, k := range x.classes() {
		out = append(out, k.Tools...)
	}
	slices.Sort(out)
	return slices.Compact(out)
}
