// Package sim is the engine: outcome = simulate(design, facts, demand, seed).
//
// It is a state machine with one loop over a queue of events. Each mechanism is
// a file: the controller (controller.go), placing pods (placement.go), node
// pools (pools.go), images (images.go), links (link.go), agents (agents.go).
// Observation (observe.go, ledger.go) listens and never steers. A run depends on
// nothing but its World, seed and repeat; it reads no clock and starts nothing.
package sim

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"

	corev1 "k8s.io/api/core/v1"
)

// Input is what a scenario needs to be simulated. Recording is nil for a
// workload that is made.
type Input struct {
	Scenario, Cluster, Workload *document.Document
	Templates                   []*document.Document
	Recording                   *demand.Recording
}

// A World is a scenario with everything looked up and counted out, ready to
// run. It is not changed by running and may be shared by runs in parallel.
type World struct {
	Scenario     string
	Currency     string
	Start        time.Time // of simulated time
	Zone         units.Zone
	Templates    []Template
	Classes      []Class
	Pools        []Pool
	Images       []document.Image
	Extended     []string // names of the extended resources that templates ask for
	Registry     document.Link
	StartTime    chance.Dist // containers' start, ns
	JoinTime     chance.Dist // ns
	WipeTime     chance.Dist // ns
	AgentCeiling int         // < 0: none
	Growth       document.Growth
	Placement    document.Placement
	Fee, Waiting units.Price
	Plan         document.RunPlan

	workload *document.WorkloadSpec
	recorded *demand.Jobs // nil when made
}

// A Template is a pod template with its agents' numbers.
type Template struct {
	template.Agent
	Numbers  document.AgentNumbers
	calendar demand.Calendar
	need     fleet.Need
	images   []int32 // indices into World.Images
}

// A Class is a job class as the engine needs it.
type Class struct {
	Name  string
	Wants []string
	work  chance.Dist // ns
}

// A Pool is a node pool under the scenario's limits.
type Pool struct {
	Name     string
	Type     string
	Room     fleet.Room // of an empty node
	Price    units.Price
	Min, Max int
	boot     chance.Dist // ns
	unpack   units.Rate  // 0: at once
	labels   map[string]string
	taints   []corev1.Taint
}

// Assemble looks up everything a scenario names. The faults name what is
// missing or does not go together, all at once.
func Assemble(in Input) (*World, document.Faults) {
	s := &in.Scenario.Value.(*document.Scenario).Spec
	c := &in.Cluster.Value.(*document.Cluster).Spec
	l := &in.Workload.Value.(*document.Workload).Spec
	w := &World{
		Scenario: in.Scenario.Name, Currency: c.Currency, Start: l.Start.Time, Zone: l.Zone,
		Images: c.Images, Registry: c.Links.Registry, Growth: s.Nodes.Growth, Placement: s.Nodes.Placement,
		StartTime: c.Agents.Start.Dist(), JoinTime: c.Agents.Join.Dist(), WipeTime: c.Agents.Wipe.Dist(),
		AgentCeiling: -1, Fee: c.Fee, Waiting: s.Waiting, Plan: s.Run, workload: l,
	}
	if s.AgentCeiling != nil {
		w.AgentCeiling = *s.AgentCeiling
	}
	for _, k := range l.Classes {
		w.Classes = append(w.Classes, Class{k.Name, k.Wants, k.Work.Dist()})
	}
	a := assembly{w: w, in: in}
	a.agents(s)
	a.pools(s, c)
	a.fits()
	if l.Jobs != nil {
		a.record()
	}
	return w, a.faults
}

type assembly struct {
	w      *World
	in     Input
	faults document.Faults
}

func (a *assembly) fault(d *document.Document, path, found, expected string) {
	a.faults = append(a.faults, d.Fault(path, found, expected))
}

func (a *assembly) pools(s *document.ScenarioSpec, c *document.ClusterSpec) {
	var names []string
	for i, p := range c.Pools {
		names = append(names, p.Name)
		t := c.NodeTypes[slices.IndexFunc(c.NodeTypes, func(t document.NodeType) bool { return t.Name == p.NodeType })]
		pool := Pool{
			Name: p.Name, Type: p.NodeType, Room: fleet.Allocatable(t, a.w.Extended), Price: t.Price, unpack: t.Unpack,
			Min: p.Min, Max: p.Max, boot: p.Boot.Dist(), labels: fleet.Labels(p), taints: fleet.Taints(p),
		}
		if limits, ok := s.Nodes.Pools[p.Name]; ok {
			if limits.Max != nil {
				pool.Max = *limits.Max
			}
			if limits.Min != nil {
				pool.Min = *limits.Min
			}
			pool.Min = min(pool.Min, pool.Max)
		}
		if pool.Room.Pods < 1 {
			a.fault(a.in.Cluster, fmt.Sprintf("spec.pools[%d].nodeType", i), t.Name, "its nodes have no room for any agent; lower reserved.pods or raise pods")
		}
		a.w.Pools = append(a.w.Pools, pool)
	}
	for name := range s.Nodes.Pools {
		if !slices.Contains(names, name) {
			a.fault(a.in.Scenario, "spec.nodes.pools."+name, "", "the cluster has no such pool; it has "+strings.Join(names, ", "))
		}
	}
	slices.SortFunc(a.faults, func(x, y document.Fault) int { return strings.Compare(x.Path, y.Path) })
}

// agents reads the scenario's templates.
func (a *assembly) agents(s *document.ScenarioSpec) {
	for i, use := range s.Templates {
		at := slices.IndexFunc(a.in.Templates, func(d *document.Document) bool { return d.Name == use.Template })
		path := fmt.Sprintf("spec.templates[%d].template", i)
		if at < 0 {
			a.fault(a.in.Scenario, path, use.Template, "there is no PodTemplate of that name; put it first")
			continue
		}
		agent, faults := template.Read(a.in.Templates[at])
		a.faults = append(a.faults, faults...)
		t := Template{Agent: agent, Numbers: use.Agents}
		t.calendar = demand.NewCalendar(use.Agents, a.w.Start, a.w.Plan.Span, a.w.Zone)
		for _, name := range agent.Images {
			n := slices.IndexFunc(a.w.Images, func(i document.Image) bool { return i.Name == name })
			if n < 0 {
				a.fault(a.in.Templates[at], "template.spec.containers", "image "+name,
					"cluster "+a.in.Cluster.Name+" does not know its size; add it to spec.images there")
				continue
			}
			t.images = append(t.images, int32(n))
		}
		a.w.Templates = append(a.w.Templates, t)
		for name := range agent.Extended {
			if !slices.Contains(a.w.Extended, name) {
				a.w.Extended = append(a.w.Extended, name)
			}
		}
	}
	slices.Sort(a.w.Extended)
	if n := len(a.w.Extended); n > fleet.MostExtended {
		a.fault(a.in.Scenario, "spec.templates", strings.Join(a.w.Extended, ", "), fmt.Sprintf("the templates may ask for at most %d extended resources in all", fleet.MostExtended))
		a.w.Extended = a.w.Extended[:fleet.MostExtended]
	}
	for t := range a.w.Templates {
		a.w.Templates[t].Need(a.w.Extended)
	}
}

// Need sets what one agent asks of a node; names number the extended resources.
func (t *Template) Need(names []string) {
	t.need = fleet.Need{Request: t.Request}
	for i, name := range names {
		t.need.Extended[i] = t.Agent.Extended[name]
	}
}

// fits faults templates whose agents could never run: for each pool, what keeps
// them off its empty nodes.
func (a *assembly) fits() {
	table, _ := sites(a.w)
	for i := range a.w.Templates {
		t := &a.w.Templates[i]
		v, ok := Verdict{Nodes: int32(len(a.w.Pools))}, false
		for p := range a.w.Pools {
			pool := &a.w.Pools[p]
			short := pool.Room.Lacks(&t.need)
			switch {
			case table[i][p].tainted:
				v.Taints++
			case table[i][p].unwanted:
				v.Affinity++
			case short.Short():
				v.count(&short)
			default:
				ok = ok || pool.Max > 0
			}
		}
		if ok {
			continue
		}
		d := a.in.Templates[slices.IndexFunc(a.in.Templates, func(d *document.Document) bool { return d.Name == t.Name })]
		a.fault(d, "template.spec.containers",
			fmt.Sprintf("requests of %v CPU and %s in all", t.Request.CPU, t.Request.Memory.Short()),
			"fits no node of any pool of cluster "+a.in.Cluster.Name+" that may have nodes; of one empty node of each pool: "+v.Words(a.w.Extended))
	}
}

func (a *assembly) record() {
	if a.in.Recording == nil {
		a.fault(a.in.Workload, "spec.jobs", "", "its recorded jobs are missing; put the workload again with the CSV file beside it")
		return
	}
	jobs, bad := a.in.Recording.Bind(a.w.workload)
	for _, b := range bad {
		a.fault(a.in.Workload, "spec.jobs", "recorded job on "+b.String(), "mend the row, or the workload's classes")
	}
	a.w.recorded = jobs
}

// Jobs returns the jobs of one repeat: the recorded ones, which are the same in
// every repeat, or ones drawn for it.
func (w *World) Jobs(seed uint64, repeat int) (*demand.Jobs, error) {
	if w.recorded != nil {
		return w.recorded, nil
	}
	return demand.Make(w.workload, w.Plan.Span, chance.Root(seed, repeat))
}

// Match says which template each of the given sets of wants gets.
func (w *World) Match(wants [][]string) []demand.Match {
	offers := make([][]string, len(w.Templates))
	for i, t := range w.Templates {
		offers[i] = t.Offers
	}
	out := make([]demand.Match, len(wants))
	for i := range wants {
		out[i] = demand.Matching(wants[i], offers)
	}
	return out
}
