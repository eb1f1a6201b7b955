package sim

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

// Assemble looks up everything a scenario names. The faults name what is
// missing or does not go together, all at once.
func Assemble(in Input) (*World, document.Faults) {
	s := &in.Scenario.Value.(*document.Scenario).Spec
	c := &in.Cluster.Value.(*document.Cluster).Spec
	l := &in.Workload.Value.(*document.Workload).Spec
	w := &World{
		Scenario: in.Scenario.Name, Currency: c.Currency, Start: l.Start.Time, Zone: l.Zone,
		Images: slices.Clone(c.Images), Links: c.Links, Store: c.Store, Volumes: c.Volumes, Claims: c.Claims, Rules: s.Caching,
		StartTime: c.Agents.Start.Dist(), JoinTime: c.Agents.Join.Dist(), WipeTime: c.Agents.Wipe.Dist(),
		update: c.Agents.Update.Dist(), attach: c.Volumes.Attach.Dist(), detach: c.Volumes.Detach.Dist(),
		AgentCeiling: -1, Quota: s.Quota, Growth: s.Nodes.Growth, Placement: s.Nodes.Placement,
		Fee: c.Fee, AgentFee: c.Agents.Fee, Waiting: s.Waiting, workload: l,
	}
	if b := c.Scheduler.Backoff; b != nil {
		w.backoff = *b
	}
	w.preempts = c.Scheduler.Preemption
	if s.AgentCeiling != nil {
		w.AgentCeiling = *s.AgentCeiling
	}
	for _, t := range c.Agents.Tools {
		w.tools = append(w.tools, tool{chance.Name(t.Name), t.Install.Dist(), t.Fails})
	}
	a := assembly{w: w, in: in}
	w.lay()
	a.classes(s, l)
	if l.Jobs != nil {
		a.record()
	}
	w.Notes = append(w.spanOf(&s.Run), w.warmUp()...)
	if w.Plan.Warmup >= w.Plan.Span {
		a.fault(in.Scenario, "spec.run.warmup", w.Plan.Warmup.String(), "must be shorter than the "+w.Plan.Span.String()+" that the log covers: of less than a day it is the first part")
	}
	a.agents(s, c)
	a.pools(s, c)
	a.speeds(l, c)
	w.missing = missing(in.Cluster, c, w.Pools)
	a.fits()
	a.coming(l)
	if len(a.faults) == 0 {
		w.plans()
		w.Notes = append(w.Notes, w.tails()...)
		if n := w.People(); n > 0 {
			w.Notes = append(w.Notes, fmt.Sprintf("People who submit their next job only when they have the result of the last: %s. A design that makes them wait is asked for less, so compare what a job costs and how many start beside the bill.", units.Count(int64(n))))
		}
		if w.ExpectedJobs() <= mostJobsEarlier {
			w.origin = &origin{in, w}
		}
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
			Name: p.Name, key: chance.Name(p.Name), Type: p.NodeType, Room: fleet.Allocatable(t, p.Name, c.DaemonSets, a.w.Extended),
			Price: t.Price, Least: t.LeastCharge, unpack: t.Unpack, imageStore: t.ImageStore, cacheDisk: t.CacheDisk,
			Min: p.Min, Max: p.Max, Spot: p.Spot, boot: p.Boot.Dist(), bootFails: p.BootFails, noCapacity: p.NoCapacity,
			billedBy: t.BilledBy, going: p.Going.Dist(), notReady: p.NotReady.Dist(), sideBySide: p.BootsAtOnce, retryAfter: p.RetryAfter, pulls: p.Pulls, labels: fleet.Labels(p), taints: fleet.Taints(p),
		}
		if p.Spot != nil {
			pool.Price = *t.SpotPrice
		}
		for _, d := range c.DaemonSets {
			if d.Image != "" && d.On(p.Name) {
				pool.daemons = append(pool.daemons, int32(slices.IndexFunc(c.Images, func(i document.Image) bool { return i.Name == d.Image })))
			}
		}
		if o := p.Outages; o != nil {
			pool.outage, pool.short = o.Length.Dist(), o.Share
		}
		a.limits(&pool, p, s.Nodes.Pools[p.Name])
		if pool.Room.CPU <= 0 || pool.Room.Memory <= 0 {
			a.fault(a.in.Cluster, fmt.Sprintf("spec.pools[%d].nodeType", i), t.Name, "the DaemonSets and what is reserved leave its nodes no CPU or memory for agents")
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

// limits sets what the scenario and the calendars say of a pool.
func (a *assembly) limits(pool *Pool, p document.Pool, l document.PoolLimits) {
	if l.Max != nil {
		pool.Max = *l.Max
	}
	if l.Min != nil {
		pool.Min = *l.Min
	}
	pool.Min = min(pool.Min, pool.Max)
	for _, d := range p.Drains {
		pool.drains = append(pool.drains, demand.Stretches(d, a.w.Start, a.w.horizon(), a.w.Zone)...)
	}
	pool.drains = demand.Together(pool.drains)
	if len(l.Calendar) == 0 {
		return
	}
	low := pool.Min
	at := func(t units.Duration) int {
		for _, c := range l.Calendar {
			z := c.Zone
			if z == (units.Zone{}) {
				z = a.w.Zone
			}
			if c.When.Covers(z.MinuteOfWeek(a.w.Start.Add(time.Duration(t)))) {
				return min(c.Min, pool.Max)
			}
		}
		return low
	}
	var windows []document.Window
	for _, c := range l.Calendar {
		windows = append(windows, document.Window{When: c.When, Zone: c.Zone})
	}
	pool.minSteps = []minStep{{0, at(0)}}
	for _, t := range demand.Edges(windows, a.w.Start, a.w.horizon(), a.w.Zone) {
		if m := at(t); m != pool.minSteps[len(pool.minSteps)-1].min {
			pool.minSteps = append(pool.minSteps, minStep{t, m})
		}
	}
	pool.Min = pool.minSteps[0].min
}

// lay numbers the images' layers; an image without any is one of its own.
func (w *World) lay() {
	at := map[string]int32{}
	for i := range w.Images {
		image := &w.Images[i]
		layers := image.Layers
		if len(layers) == 0 {
			layers = []document.Layer{{Name: "\x00" + strconv.Itoa(i), Size: image.Size}}
		}
		var of []int32
		var size units.Bytes
		for _, l := range layers {
			n, known := at[l.Name]
			if !known {
				n = int32(len(w.layers))
				at[l.Name] = n
				w.layers = append(w.layers, l.Size)
			}
			if !slices.Contains(of, n) {
				of = append(of, n)
				size += l.Size
			}
		}
		w.layersOf = append(w.layersOf, of)
		w.making, w.imageKeys = append(w.making, image.MakeTime.Dist()), append(w.imageKeys, chance.Name(image.Name))
		image.Size = size
	}
}

// classes reads the workload's classes and the cache plans that they get.
func (a *assembly) classes(s *document.ScenarioSpec, l *document.WorkloadSpec) {
	var names []string
	for _, k := range l.Classes {
		names = append(names, k.Name)
		c := Class{
			Name: k.Name, Project: k.Project, Wants: k.Wants, Limit: k.Limit, Retries: k.Retries, GiveUp: k.GiveUpAfter, priority: k.Priority,
			work: k.Work.Dist(), cores: k.Cores, parallel: 1, memory: k.Memory.Dist(), disk: k.Disk.Dist(),
			cold: k.Workspace.Cold.Dist(), recorded: k.Workspace.Cold.Dist(), archive: k.Workspace.Size.Dist(), change: k.Workspace.ChangeRate, partial: 0.5, rule: -1, scope: -1,
		}
		if k.Parallel != nil {
			c.parallel = *k.Parallel
		}
		if k.Workspace.Partial != nil {
			c.partial = *k.Workspace.Partial
		}
		a.w.sharing = a.w.sharing || k.Cores > 0
		a.w.Classes = append(a.w.Classes, c)
	}
	for i, r := range s.Caching {
		for j, name := range r.Classes {
			if !slices.Contains(names, name) {
				a.fault(a.in.Scenario, fmt.Sprintf("spec.caching[%d].classes[%d]", i, j), name, "the workload has no such class; it has "+strings.Join(names, ", "))
			}
		}
	}
}

// heldCold is the share of recorded jobs whose times hold their cold work.
func heldCold(r *document.Recorded) float64 {
	switch {
	case r.Cache == document.RecordedWarm:
		return 0
	case r.Cache != document.RecordedMixed:
		return 1
	case r.Cold != nil:
		return *r.Cold
	}
	return 0.5
}

// coming notes which classes may have jobs.
func (a *assembly) coming(l *document.WorkloadSpec) {
	if a.w.recorded != nil {
		for i := range a.w.recorded.List {
			a.w.Classes[a.w.recorded.List[i].Class].comes = true
		}
		return
	}
	for range l.Classes { // those that follow others, and those that follow them
		for i, k := range l.Classes {
			c := &a.w.Classes[i]
			c.comes = k.Arrivals.Any()
			if k.Follows != nil {
				lead := slices.IndexFunc(a.w.Classes, func(x Class) bool { return x.Name == k.Follows.Class })
				c.comes = lead >= 0 && a.w.Classes[lead].comes
			}
		}
	}
}

// agents reads the scenario's templates.
func (a *assembly) agents(s *document.ScenarioSpec, c *document.ClusterSpec) {
	for i, use := range s.Templates {
		at := slices.IndexFunc(a.in.Templates, func(d *document.Document) bool { return d.Name == use.Template })
		path := fmt.Sprintf("spec.templates[%d].template", i)
		if at < 0 {
			a.fault(a.in.Scenario, path, use.Template, "there is no PodTemplate of that name; put it first")
			continue
		}
		agent, faults := template.Read(a.in.Templates[at])
		a.faults = append(a.faults, faults...)
		t := Template{Agent: agent, key: chance.Name(agent.Name), Numbers: use.Agents}
		t.calendar = demand.NewCalendar(use.Agents, a.w.Start, a.w.horizon(), a.w.Zone)
		for _, name := range agent.Images {
			n := slices.IndexFunc(a.w.Images, func(i document.Image) bool { return i.Name == name })
			if n < 0 {
				a.fault(a.in.Templates[at], "template.spec.containers", "image "+name,
					"cluster "+a.in.Cluster.Name+" does not know its size; add it to spec.images there")
				continue
			}
			t.images = append(t.images, int32(n))
		}
		a.boots(&t, a.in.Templates[at], c)
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
		if n := s.Nodes.Growth.SpareRoom[a.w.Templates[t].Name]; n > 0 {
			if a.w.spareRoom == nil {
				a.w.spareRoom = make([]int, len(a.w.Templates))
			}
			a.w.spareRoom[t] = n
		}
	}
}

// boots reads what a template's agents do when they boot, and the claims and the
// priority of their pods.
func (a *assembly) boots(t *Template, d *document.Document, c *document.ClusterSpec) {
	for i, n := range t.images {
		image := &a.w.Images[n]
		t.asks = t.asks || t.Always[i]
		t.makes = t.makes || !image.MakeTime.IsZero()
		t.updates = t.updates || image.Agent != "" && c.Agents.Version != "" && older(image.Agent, c.Agents.Version)
	}
	for _, name := range t.Tools {
		n := slices.IndexFunc(c.Agents.Tools, func(x document.Tool) bool { return x.Name == name })
		if n < 0 {
			a.fault(d, "metadata.annotations", "boot tool "+name, "cluster "+a.in.Cluster.Name+" does not know how long it takes to install; add it to spec.agents.tools there")
			continue
		}
		t.tools = append(t.tools, int32(n))
	}
	for _, name := range t.Agent.Claims {
		n := slices.IndexFunc(c.Claims, func(x document.Claim) bool { return x.Name == name })
		if n < 0 {
			a.fault(d, "template.spec.volumes", "claim "+name, "cluster "+a.in.Cluster.Name+" does not know it; add it to spec.claims there")
			continue
		}
		if c.Claims[n].Nodes == document.OneNode {
			t.claims = append(t.claims, int32(n))
		}
	}
	t.priority = t.Agent.Priority
	if t.Agent.Class == "" {
		return
	}
	value, ok := c.PriorityClasses[t.Agent.Class]
	if !ok {
		a.fault(d, "template.spec.priorityClassName", t.Agent.Class, "cluster "+a.in.Cluster.Name+" does not know its value; add it to spec.priorityClasses there")
	}
	t.priority = value
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
			case table[i][p].noPlace:
				v.NoPlace++
			case table[i][p].notNear:
				v.Beside++
			default:
				ok = ok || pool.Max > 0
			}
		}
		if ok {
			continue
		}
		d := a.in.Templates[slices.IndexFunc(a.in.Templates, func(d *document.Document) bool { return d.Name == t.Name })]
		path, found := "template.spec.containers", fmt.Sprintf("requests of %v CPU and %s in all", t.Request.CPU, t.Request.Memory.Short())
		switch {
		case v.NoPlace > 0:
			path, found = "template.spec.topologySpreadConstraints", "spreading over a label that nodes have not"
		case v.Beside > 0:
			path, found = "template.spec.affinity.podAffinity", "pods that it must be beside, whom no template makes, or a label that nodes have not"
		}
		a.fault(d, path, found,
			"fits no node of any pool of cluster "+a.in.Cluster.Name+" that may have nodes; of one empty node of each pool: "+v.Words(a.w.Extended))
	}
}

func (a *assembly) record() {
	if a.in.Jobless {
		a.w.recorded = &demand.Jobs{}
		return
	}
	if a.in.Recording == nil {
		a.fault(a.in.Workload, "spec.jobs", "", "its recorded jobs are missing; put the workload again with their file beside it")
		return
	}
	jobs, bad := a.in.Recording.Bind(a.w.workload)
	for _, b := range bad {
		a.fault(a.in.Workload, "spec.jobs", "recorded job on "+b.String(), "mend the row, or the workload's classes")
	}
	a.w.recorded = jobs
	a.w.heldCold = heldCold(a.in.Workload.Value.(*document.Workload).Spec.Jobs)
	if jobs != nil {
		a.w.sharing = a.w.sharing || slices.ContainsFunc(jobs.List, func(j demand.Job) bool { return j.Cores > 0 })
	}
}
