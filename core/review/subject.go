package review

import (
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"

	corev1 "k8s.io/api/core/v1"
)

// subject is a template under review.
type subject struct {
	d     *document.Document
	p     *document.PodTemplate
	spec  *corev1.PodSpec
	agent template.Agent
	at    int               // of the agent's container; −1 when it cannot be told
	c     *corev1.Container // that container, or nil
	path  string            // of that container
	ptr   []any             // to that container
	shelf *Shelf
	uses  []use
	facts *document.ClusterSpec // of the cluster that is meant; nil when unclear
	found []Finding
	rule  *Rule
}

func (s *Shelf) subject(d *document.Document) *subject {
	s.settle()
	p := d.Value.(*document.PodTemplate)
	x := &subject{d: d, p: p, spec: &p.Template.Spec, shelf: s, uses: s.uses[d.Name]}
	x.agent, _ = template.Read(d)
	if x.at, _ = template.AgentContainer(p); x.at >= 0 {
		x.c = &x.spec.Containers[x.at]
		x.path, x.ptr = index("template.spec.containers", x.at), []any{"template", "spec", "containers", x.at}
	}
	if s.facts != nil {
		x.facts = &s.facts.Value.(*document.Cluster).Spec
	}
	for _, u := range x.uses {
		if u.cluster != nil {
			x.facts = u.cluster
			break
		}
	}
	return x
}

// accepted is the annotation in which a template names rules that it breaks on
// purpose.
const accepted = "tachyphor/accepted"

// Check returns what the rules say of a template, the gravest first, then by
// place.
func (s *Shelf) Check(d *document.Document) []Finding {
	x := s.subject(d)
	onPurpose := template.Words(template.Annotated(x.p, accepted))
	for i := range rules {
		if x.rule = &rules[i]; !slices.Contains(onPurpose, x.rule.ID) {
			x.rule.find(x)
		}
	}
	slices.SortStableFunc(x.found, func(a, b Finding) int {
		if a.Severity != b.Severity {
			return slices.Index(Severities(), a.Severity) - slices.Index(Severities(), b.Severity)
		}
		return a.Line - b.Line
	})
	return x.found
}

// say adds a finding at a field of the template.
func (x *subject) say(path, says, do string, fix ...document.Edit) {
	line, column, at := x.d.Place(path)
	x.found = append(x.found, Finding{
		ID: x.rule.ID, Severity: x.rule.Severity, Title: x.rule.Title, File: x.d.File, Line: line, Column: column, Path: at,
		Says: says, Do: do, Fix: fix,
	})
}

// in names the scenario that the last finding holds in.
func (x *subject) in(u *use) { x.found[len(x.found)-1].Scenario = u.scenario.Name }

// elsewhere moves the last finding to another object, which it is about.
func (x *subject) elsewhere(o document.Other) {
	f := &x.found[len(x.found)-1]
	f.Line, f.Column = o.Place()
	f.File, f.Path, f.Fix = o.File, o.String(), nil
}

// classes returns the job classes that the template gets in any scenario, each
// once; where none uses it, those of any workload that it offers everything for.
func (x *subject) classes() []*document.JobClass {
	var out []*document.JobClass
	add := func(k *document.JobClass) {
		if !slices.ContainsFunc(out, func(o *document.JobClass) bool { return o.Name == k.Name }) {
			out = append(out, k)
		}
	}
	for _, u := range x.uses {
		for _, k := range u.gets {
			add(&u.workload.Classes[k])
		}
	}
	if len(x.uses) > 0 {
		return out
	}
	for _, d := range x.shelf.OfKind(document.KindWorkload) {
		w := d.Value.(*document.Workload)
		for i := range w.Spec.Classes {
			if offerOf(&x.agent).Serves(w.Spec.Classes[i].Wants) {
				add(&w.Spec.Classes[i])
			}
		}
	}
	return out
}

// image returns what the cluster knows of an image, nil if nothing.
func (x *subject) image(name string) *document.Image {
	if x.facts == nil {
		return nil
	}
	i := slices.IndexFunc(x.facts.Images, func(i document.Image) bool { return i.Name == name })
	if i < 0 {
		return nil
	}
	return &x.facts.Images[i]
}

// A site is a pool that agents may go to, and what one of them asks of a node there.
type site struct {
	fleet.Site
	pool document.Pool
	need fleet.Need
}

// sites returns the pools that may have nodes and whose labels and taints let the
// template's agents in; with all, the others too.
func (x *subject) sites(all bool) []site {
	if x.facts == nil {
		return nil
	}
	names := fleet.ExtendedNames(x.agent)
	var out []site
	for _, s := range fleet.Sites(x.facts, names) {
		if all || s.Open(x.agent) {
			i := slices.IndexFunc(x.facts.Pools, func(p document.Pool) bool { return p.Name == s.Name })
			out = append(out, site{s, x.facts.Pools[i], s.Need(x.agent, names)})
		}
	}
	return out
}

// each calls f for every container, with its path and pointer.
func (x *subject) each(f func(c *corev1.Container, path string, ptr []any)) {
	for i := range x.spec.InitContainers {
		f(&x.spec.InitContainers[i], index("template.spec.initContainers", i), []any{"template", "spec", "initContainers", i})
	}
	for i := range x.spec.Containers {
		f(&x.spec.Containers[i], index("template.spec.containers", i), []any{"template", "spec", "containers", i})
	}
}
