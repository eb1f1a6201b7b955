// Package review says what can be said of templates before anything is
// simulated: findings about their manifests, what an agent will be, and which
// jobs each one gets.
package review

import (
	"slices"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// A Severity says how much a finding matters.
type Severity string

// The severities, the gravest first.
const (
	WillNotWork Severity = "will-not-work"
	Risky       Severity = "risky"
	Wasteful    Severity = "wasteful"
	Advice      Severity = "advice"
)

// Severities lists them, the gravest first.
func Severities() []Severity { return []Severity{WillNotWork, Risky, Wasteful, Advice} }

// AtLeast reports whether s is as grave as t or graver.
func (s Severity) AtLeast(t Severity) bool {
	return slices.Index(Severities(), s) <= slices.Index(Severities(), t)
}

// Words writes it for people.
func (s Severity) Words() string { return strings.ReplaceAll(string(s), "-", " ") }

// A Finding is one thing that a rule has to say about a template.
type Finding struct {
	ID       string          `json:"id" doc:"Stable name of the rule."`
	Severity Severity        `json:"severity" enum:"will-not-work,risky,wasteful,advice" doc:"How much it matters."`
	Title    string          `json:"title" doc:"What it is about."`
	File     string          `json:"file,omitempty" doc:"File it stands in."`
	Line     int             `json:"line,omitempty" doc:"Line, from 1."`
	Column   int             `json:"column,omitempty" doc:"Column, from 1."`
	Path     string          `json:"path,omitempty" doc:"Field, as in template.spec.containers[0].image."`
	Scenario string          `json:"scenario,omitempty" doc:"The scenario in which it holds; absent: in any."`
	Says     string          `json:"says" doc:"What will happen, and why."`
	Do       string          `json:"do" doc:"What to do."`
	Fix      []document.Edit `json:"fix,omitempty" doc:"Changes of the template that mend it for certain, as a JSON Patch."`
}

// A Change is a template's newest revision, and when it took the place of one
// that was in use.
type Change struct {
	Revision int
	At       time.Time
}

// A Shelf is everything at hand that may bear on templates. Only what is there is
// looked at: a rule that needs a fact nobody gave says nothing.
type Shelf struct {
	Documents []*document.Document // of any kind
	Others    []document.Other
	PerWeek   map[string]map[string]float64 // jobs a week by workload and class
	Changes   map[string]Change             // by template
	Now       time.Time                     // zero: what depends on it is left out

	uses   map[string][]use // by template; made when first needed
	facts  *document.Document
	sorted bool
}

// A use is a scenario that uses a template.
type use struct {
	scenario *document.Document
	spec     *document.ScenarioSpec
	cluster  *document.ClusterSpec
	workload *document.WorkloadSpec
	numbers  document.AgentNumbers
	agents   []template.Agent // of the scenario's templates, in its order
	at       int              // which of them this is
	gets     []int            // the workload's classes that it gets
	could    []int            // those that it offers everything for
	unserved []unserved       // those that no template serves and this one comes nearest to
	partly   bool             // some of the scenario's templates are not on the shelf
	perWeek  map[string]float64
}

// unserved is a class that no template serves.
type unserved struct {
	class          int
	missing, meant []string
}

// Find returns the document of a kind and name, nil if it is not on the shelf.
func (s *Shelf) Find(kind, name string) *document.Document {
	i := slices.IndexFunc(s.Documents, func(d *document.Document) bool { return d.Kind == kind && d.Name == name })
	if i < 0 {
		return nil
	}
	return s.Documents[i]
}

// settle finds out which scenarios use which templates, once.
func (s *Shelf) settle() {
	if s.sorted {
		return
	}
	s.sorted, s.uses = true, map[string][]use{}
	agents := map[string]template.Agent{}
	clusters := 0
	for _, d := range s.Documents {
		switch d.Kind {
		case document.KindPodTemplate:
			if _, twice := agents[d.Name]; !twice {
				agents[d.Name], _ = template.Read(d)
			}
		case document.KindCluster:
			if clusters++; clusters == 1 {
				s.facts = d
			} else {
				s.facts = nil // which of them is meant, only a scenario can say
			}
		}
	}
	for _, d := range s.Documents {
		if d.Kind == document.KindScenario {
			s.use(d, agents)
		}
	}
}

// use notes a scenario's templates, with the classes that each gets.
func (s *Shelf) use(d *document.Document, agents map[string]template.Agent) {
	spec := &d.Value.(*document.Scenario).Spec
	base := use{scenario: d, spec: spec, perWeek: s.PerWeek[spec.Workload]}
	if c := s.Find(document.KindCluster, spec.Cluster); c != nil {
		base.cluster = &c.Value.(*document.Cluster).Spec
	}
	if l := s.Find(document.KindWorkload, spec.Workload); l != nil {
		base.workload = &l.Value.(*document.Workload).Spec
	}
	var offers [][]string
	for _, t := range spec.Templates {
		a, ok := agents[t.Template]
		if !ok {
			a = template.Agent{Name: t.Template}
			base.partly = true // what it offers is not known
		}
		base.agents, offers = append(base.agents, a), append(offers, a.Offers)
	}
	list := make([]use, len(spec.Templates))
	for i, t := range spec.Templates {
		list[i] = base
		list[i].numbers, list[i].at = t.Agents, i
	}
	if base.workload != nil {
		for k, class := range base.workload.Classes {
			m := demand.Matching(class.Wants, offers)
			if m.Template >= 0 {
				list[m.Template].gets = append(list[m.Template].gets, k)
			} else if m.Nearest >= 0 {
				list[m.Nearest].unserved = append(list[m.Nearest].unserved, unserved{k, m.Missing, m.Meant})
			}
			for i := range list {
				if demand.Serves(offers[i], class.Wants) {
					list[i].could = append(list[i].could, k)
				}
			}
		}
	}
	for i, t := range spec.Templates {
		s.uses[t.Template] = append(s.uses[t.Template], list[i])
	}
}

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
	onPurpose := strings.FieldsFunc(template.Annotated(x.p, accepted), func(r rune) bool { return r == ',' || r == ' ' })
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
// once; where none uses it, those of a lone workload that it offers everything
// for.
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
	for _, d := range x.shelf.Documents {
		if w, ok := d.Value.(*document.Workload); ok {
			for i := range w.Spec.Classes {
				if demand.Serves(x.agent.Offers, w.Spec.Classes[i].Wants) {
					add(&w.Spec.Classes[i])
				}
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

// A site is a pool that agents may go to as far as labels and taints decide.
type site struct {
	pool document.Pool
	kind document.NodeType
	room fleet.Room
	need fleet.Need
}

// sites returns the pools that may have nodes and whose nodes the template may go
// to, room aside.
func (x *subject) sites(all bool) []site {
	if x.facts == nil {
		return nil
	}
	var names []string
	for name := range x.agent.Extended {
		names = append(names, name)
	}
	slices.Sort(names)
	names = names[:min(len(names), fleet.MostExtended)]
	need := fleet.Need{Request: x.agent.Request}
	for i, name := range names {
		need.Extended[i] = x.agent.Extended[name]
	}
	var out []site
	for _, p := range x.facts.Pools {
		if p.Max == 0 {
			continue
		}
		if !all && (!x.agent.Where.Matches(fleet.Labels(p)) || !x.agent.Where.Tolerated(fleet.Taints(p))) {
			continue
		}
		i := slices.IndexFunc(x.facts.NodeTypes, func(t document.NodeType) bool { return t.Name == p.NodeType })
		t := x.facts.NodeTypes[i]
		out = append(out, site{p, t, fleet.Allocatable(t, p.Name, x.facts.DaemonSets, names), need})
	}
	return out
}

// price returns what a node of the site costs.
func (s site) price() units.Price {
	if s.pool.Spot != nil && s.kind.SpotPrice != nil {
		return *s.kind.SpotPrice
	}
	return s.kind.Price
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

// Lone returns the only document of a kind on the shelf, nil if there is none or
// several.
func (s *Shelf) Lone(kind string) *document.Document {
	var found *document.Document
	for _, d := range s.Documents {
		if d.Kind != kind {
			continue
		}
		if found != nil {
			return nil
		}
		found = d
	}
	return found
}
