package world

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/demand"
	"tachyphor/core/document"
)

// classes reads the workload's classes and the cache plans that they get.
func (a *assembly) classes(s *document.ScenarioSpec, l *document.WorkloadSpec) {
	var names []string
	tools := a.in.Cluster.Value.(*document.Cluster).Spec.Agents.Tools
	for _, k := range l.Classes {
		names = append(names, k.Name)
		c := Class{
			Name: k.Name, Project: k.Project, Wants: k.Wants, Limit: k.Limit, Retries: k.Retries, GiveUp: k.GiveUpAfter, Priority: k.Priority,
			Work: k.Work.Dist(), Cores: k.Cores, Parallel: 1, Memory: k.Memory.Dist(), Disk: k.Disk.Dist(),
			Cold: k.Workspace.Cold.Dist(), RecordedCold: k.Workspace.Cold.Dist(), Archive: k.Workspace.Size.Dist(),
			Change: k.Workspace.ChangeRate, Partial: 0.5, Rule: -1, Scope: -1, Leftovers: k.Workspace.Leftovers, Red: k.Red, Builds: max(1, k.Builds),
		}
		for _, name := range k.Tools {
			if n := slices.IndexFunc(tools, func(x document.Tool) bool { return x.Name == name }); n >= 0 {
				c.Tools = append(c.Tools, int32(n))
			}
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
	for i, text := range s.Aims {
		x, err := aim.Parse(text) // a document whose aims do not read is none
		if err == nil && x.Class != "" && !slices.Contains(names, x.Class) {
			a.fault(a.in.Scenario, fmt.Sprintf("spec.aims[%d]", i), text, "the workload has no class "+x.Class+"; it has "+strings.Join(names, ", "))
		}
		a.w.Aims = append(a.w.Aims, x)
	}
	for i, r := range s.Caching {
		for j, name := range r.Classes {
			if !slices.Contains(names, name) {
				a.fault(a.in.Scenario, fmt.Sprintf("spec.caching[%d].classes[%d]", i, j), name,
					"the workload has no such class; it has "+strings.Join(names, ", "))
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
				lead := a.w.ClassNamed(k.Follows.Class)
				c.Comes = lead >= 0 && a.w.Classes[lead].Comes
			}
		}
	}
}

// record binds the recorded jobs to the classes.
func (a *assembly) record() {
	if a.in.Jobless {
		a.w.Log = &demand.Jobs{}
		return
	}
	if a.in.Recording == nil {
		a.fault(a.in.Workload, "spec.jobs", "", "its recorded jobs are missing; put the workload again with their file beside it")
		return
	}
	jobs, bad := a.in.Bound.bind(a.in.Recording, a.w.Workload)
	for _, b := range bad {
		a.fault(a.in.Workload, "spec.jobs", "recorded job on "+b.String(), "mend the row, or the workload's classes")
	}
	if times := a.w.Workload.Jobs.Times; times != nil && jobs != nil {
		if float64(len(jobs.List)) > demand.MaxJobs / *times {
			a.fault(a.in.Workload, "spec.jobs.times", fmt.Sprint(*times), fmt.Sprintf("more than %d jobs; take fewer", demand.MaxJobs))
			return
		}
		jobs = jobs.Times(*times)
	}
	a.w.Log = jobs
	a.w.HeldCold = heldCold(a.in.Workload.Value.(*document.Workload).Spec.Jobs)
	if jobs != nil {
		a.w.Sharing = a.w.Sharing || slices.ContainsFunc(jobs.List, func(j demand.Job) bool { return j.Cores > 0 })
	}
}
