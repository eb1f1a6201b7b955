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
		UpdateTime: c.Agents.Update.Dist(), AttachTime: c.Volumes.Attach.Dist(), DetachTime: c.Volumes.Detach.Dist(),
		AgentCeiling: -1, Quota: s.Quota, Growth: s.Nodes.Growth, Placement: s.Nodes.Placement,
		Fee: c.Fee, AgentFee: c.Agents.Fee, Waiting: s.Waiting, Workload: l,
	}
	if b := c.Scheduler.Backoff; b != nil {
		w.Backoff = *b
	}
	w.Preempts = c.Scheduler.Preemption
	if s.AgentCeiling != nil {
		w.AgentCeiling = *s.AgentCeiling
	}
	for _, t := range c.Agents.Tools {
		w.Tools = append(w.Tools, Tool{chance.Name(t.Name), t.Install.Dist(), t.Fails})
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
	for i := range c.Pools {
		p := &c.Pools[i]
		names = append(names, p.Name)
		t := fleet.TypeOf(c, p)
		pool := Pool{
			Site: fleet.SiteOf(c, p, a.w.Extended), Key: chance.Name(p.Name),
			Least: t.LeastCharge, Unpack: t.Unpack, ImageStore: t.ImageStore, CacheDisk: t.CacheDisk,
			Min: p.Min, Max: p.Max, Spot: p.Spot, BootTime: p.Boot.Dist(), BootFails: p.BootFails, NoCapacity: p.NoCapacity,
			BilledBy: t.BilledBy, GoingTime: p.Going.Dist(), NotReadyTime: p.NotReady.Dist(), SideBySide: p.BootsAtOnce, RetryAfter: p.RetryAfter, Pulls: p.Pulls,
		}
		for _, d := range c.DaemonSets {
			if d.Image != "" && d.On(p.Name) {
				pool.Daemons = append(pool.Daemons, int32(slices.IndexFunc(c.Images, func(i document.Image) bool { return i.Name == d.Image })))
			}
		}
		if o := p.Outages; o != nil {
			pool.Outage, pool.Short = o.Length.Dist(), o.Share
		}
		a.limits(&pool, *p, s.Nodes.Pools[p.Name])
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
		pool.Drains = append(pool.Drains, demand.Stretches(d, a.w.Start, a.w.Horizon(), a.w.Zone)...)
	}
	pool.Drains = demand.Together(pool.Drains)
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
	pool.MinSteps = []MinStep{{0, at(0)}}
	for _, t := range demand.Edges(windows, a.w.Start, a.w.Horizon(), a.w.Zone) {
		if m := at(t); m != pool.MinSteps[len(pool.MinSteps)-1].Min {
			pool.MinSteps = append(pool.MinSteps, MinStep{t, m})
		}
	}
	pool.Min = pool.MinSteps[0].Min
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
				n = int32(len(w.Layers))
				at[l.Name] = n
				w.Layers = append(w.Layers, l.Size)
			}
			if !slices.Contains(of, n) {
				of = append(of, n)
				size += l.Size
			}
		}
		w.LayersOf = append(w.LayersOf, of)
		w.MakeTimes, w.ImageKeys = append(w.MakeTimes, image.MakeTime.Dist()), append(w.ImageKeys, chance.Name(image.Name))
		image.Size = size
	}
}

// classes reads the workload's classes and the cache plans that they get.
func (a *assembly) classes(s *document.ScenarioSpec, l *document.WorkloadSpec) {
	var names []string
	for _, k := range l.Classes {
		names = append(names, k.Name)
		c := Class{
			Name: k.Name, Project: k.Project, Wants: k.Wants, Limit: k.Limit, Retries: k.Retries, GiveUp: k.GiveUpAfter, Priority: k.Priority,
			Work: k.Work.Dist(), Cores: k.Cores, Parallel: 1, Memory: k.Memory.Dist(), Disk: k.Disk.Dist(),
			Cold: k.Workspace.Cold.Dist(), RecordedCold: k.Workspace.Cold.Dist(), Archive: k.Workspace.Size.Dist(), Change: k.Workspace.ChangeRate, Partial: 0.5, Rule: -1, Scope: -1,
		}
		if k.Parallel != nil {
			c.Parallel = *k.Parallel
		}
		if k.Workspace.Partial != nil {
			c.Partial = *k.Workspace.Partial
		}
		a.w.Sharing = a.w.Sharing || k.Cores > 0
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
	if a.w.Log != nil {
		for i := range a.w.Log.List {
			a.w.Classes[a.w.Log.List[i].Class].Comes = true
		}
		return
	}
	for range l.Classes { // those that follow others, and those that follow them
		for i, k := range l.Classes {
			c := &a.w.Classes[i]
			c.Comes = k.Arrivals.Any()
			if k.Follows != nil {
				lead := slices.IndexFunc(a.w.Classes, func(x Class) bool { return x.Name == k.Follows.Class })
				c.Comes = lead >= 0 && a.w.Classes[lead].Comes
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
		t := Template{Agent: agent, Key: chance.Name(agent.Name), Numbers: use.Agents}
		t.Calendar = demand.NewCalendar(use.Agents, a.w.Start, a.w.Horizon(), a.w.Zone)
		for _, name := range agent.Images {
			n := slices.IndexFunc(a.w.Images, func(i document.Image) bool { return i.Name == name })
			if n < 0 {
				a.fault(a.in.Templates[at], "template.spec.containers", "image "+name,
					"cluster "+a.in.Cluster.Name+" does not know its size; add it to spec.images there")
				continue
			}
			t.ImageAt = append(t.ImageAt, int32(n))
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
			if a.w.SpareRoom == nil {
				a.w.SpareRoom = make([]int, len(a.w.Templates))
			}
			a.w.SpareRoom[t] = n
		}
	}
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
			a.fault(d, "metadata.annotations", "boot tool "+name, "cluster "+a.in.Cluster.Name+" does not know how long it takes to install; add it to spec.agents.tools there")
			continue
		}
		t.ToolAt = append(t.ToolAt, int32(n))
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
		a.fault(d, "template.spec.priorityClassName", t.Agent.Class, "cluster "+a.in.Cluster.Name+" does not know its value; add it to spec.priorityClasses there")
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
	table, _ := a.w.Stances()
	for i := range a.w.Templates {
		t := &a.w.Templates[i]
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
		d := a.in.Templates[slices.IndexFunc(a.in.Templates, func(d *document.Document) bool { return d.Name == t.Name })]
		path, found := "template.spec.containers", fmt.Sprintf("requests of %v CPU and %s in all", t.Request.CPU, t.Request.Memory.Short())
		switch {
		case v.By[fleet.NoPlace] > 0:
			path, found = "template.spec.topologySpreadConstraints", "spreading over a label that nodes have not"
		case v.By[fleet.NotBeside] > 0:
			path, found = "template.spec.affinity.podAffinity", "pods that it must be beside, whom no template makes, or a label that nodes have not"
		}
		a.fault(d, path, found,
			"fits no node of any pool of cluster "+a.in.Cluster.Name+" that may have nodes; of one empty node of each pool: "+v.Words(a.w.Extended))
	}
}

func (a *assembly) record() {
	if a.in.Jobless {
		a.w.Log = &demand.Jobs{}
		return
	}
	if a.in.Recording == nil {
		a.fault(a.in.Workload, "spec.jobs", "", "its recorded jobs are missing; put the workload again with their file beside it")
		return
	}
	jobs, bad := a.in.Recording.Bind(a.w.Workload)
	for _, b := range bad {
		a.fault(a.in.Workload, "spec.jobs", "recorded job on "+b.String(), "mend the row, or the workload's classes")
	}
	a.w.Log = jobs
	a.w.HeldCold = heldCold(a.in.Workload.Value.(*document.Workload).Spec.Jobs)
	if jobs != nil {
		a.w.Sharing = a.w.Sharing || slices.ContainsFunc(jobs.List, func(j demand.Job) bool { return j.Cores > 0 })
	}
}
