package document

import (
	"fmt"
	"slices"
	"strconv"

	"tachyphor/core/units"
)

func (c checker) workload(s *WorkloadSpec) {
	if len(s.Classes) == 0 {
		c.at("spec.classes", "none", "a workload needs at least one job class")
	}
	if s.Start.IsZero() {
		c.at("spec.start", "nothing", "expected a time such as 2026-09-14T00:00:00+02:00")
	}
	c.unique("spec.classes", len(s.Classes), func(i int) string { return s.Classes[i].Name })
	var names []string
	for _, k := range s.Classes {
		names = append(names, k.Name)
	}
	for i, k := range s.Classes {
		path := fmt.Sprintf("spec.classes[%d]", i)
		c.class(path, &k, s.Classes, names)
		c.times(path+".work", k.Work)
		if k.Work.IsZero() && s.Jobs == nil {
			c.at(path+".work", "nothing", "say how long a job works, as in {median: 8m, p95: 14m}")
		}
		if !(k.Cores >= 0 && k.Cores <= 10_000) {
			c.at(path+".cores", fmt.Sprint(k.Cores), "expected a number from 0 to 10000")
		}
		if e := k.Ended; e.Failed < 0 || e.Cut < 0 || e.Jobs < e.Failed+e.Cut {
			c.at(path+".ended", fmt.Sprintf("%d jobs, %d failed, %d cut short", e.Jobs, e.Failed, e.Cut), "expected parts of the jobs")
		}
		for name, x := range k.Speeds {
			c.speed(join(path+".speeds", name), x)
		}
		for j, h := range k.Arrivals.Hours {
			if !(h.PerHour >= 0 && h.PerHour <= 1e6) {
				c.at(fmt.Sprintf("%s.arrivals.hours[%d].perHour", path, j), fmt.Sprint(h.PerHour), "expected a number from 0 to 1000000")
			}
		}
		for j, b := range k.Arrivals.Bursts {
			c.within(fmt.Sprintf("%s.arrivals.bursts[%d].count", path, j), b.Count, 1, 1_000_000)
		}
		c.people(path, &k, s.Jobs != nil)
	}
	if s.Jobs != nil {
		for ours := range s.Jobs.Columns {
			if !slices.Contains(RecordedColumns(), ours) {
				c.at(join("spec.jobs.columns", ours), strconv.Quote(clip(ours)), "not a column of ours"+meant(ours, RecordedColumns()))
			}
		}
	}
	if s.Jobs != nil && s.Jobs.Times != nil && !(*s.Jobs.Times >= 0.01 && *s.Jobs.Times <= 100) {
		c.at("spec.jobs.times", fmt.Sprint(*s.Jobs.Times), "expected how often each job is there, 0.01 to 100")
	}
	if s.Jobs != nil && s.Jobs.Cold != nil {
		if !(*s.Jobs.Cold >= 0 && *s.Jobs.Cold <= 1) {
			c.at("spec.jobs.cold", fmt.Sprint(*s.Jobs.Cold), "expected a share from 0 to 1")
		} else if s.Jobs.Cache != RecordedMixed {
			c.at("spec.jobs.cold", fmt.Sprint(*s.Jobs.Cold), "a share of cold jobs goes with cache: mixed")
		}
	}
	if s.Jobs != nil && (s.Jobs.File == "" || len(s.Jobs.File) > 255) {
		c.at("spec.jobs.file", strconv.Quote(clip(s.Jobs.File)), "expected the name of a CSV file beside this document")
	}
}

// class checks what a job class may say beyond its work.
func (c checker) class(path string, k *JobClass, all []JobClass, names []string) {
	c.sizes(path+".memory", k.Memory)
	c.sizes(path+".disk", k.Disk)
	c.times(path+".workspace.cold", k.Workspace.Cold)
	c.sizes(path+".workspace.size", k.Workspace.Size)
	c.chance(path+".workspace.changeRate", k.Workspace.ChangeRate)
	c.chance(path+".workspace.leftovers.slower", k.Workspace.Leftovers.Slower)
	c.chance(path+".workspace.leftovers.fails", k.Workspace.Leftovers.Fails)
	for name, p := range map[string]*float64{".parallel": k.Parallel, ".trunkShare": k.TrunkShare, ".workspace.partial": k.Workspace.Partial} {
		if p != nil {
			c.chance(path+name, *p)
		}
	}
	if len(k.Network) > maxTraffic {
		c.at(path+".network", fmt.Sprint(len(k.Network), " entries"), fmt.Sprintf("expected at most %d", maxTraffic))
	}
	for i := range k.Network {
		x, at := &k.Network[i], fmt.Sprintf("%s.network[%d]", path, i)
		if x.Over == "" {
			c.at(at+".over", "no link", "name one of the cluster's other links")
		}
		c.sizes(at+".down", x.Down)
		c.sizes(at+".up", x.Up)
	}
	c.chance(path+".red", k.Red)
	if k.Builds != 0 && !(k.Builds >= 1 && k.Builds <= 1000) {
		c.at(path+".builds", fmt.Sprint(k.Builds), "expected how often a change request is built on average, 1 to 1000")
	}
	c.within(path+".priority", k.Priority, -1000, 1000)
	c.within(path+".retries", k.Retries, 0, 100)
	if k.Follows == nil {
		return
	}
	c.within(path+".follows.count", k.Follows.Count, 1, 1000)
	c.circle(path, k, all)
	if i := slices.Index(names, k.Follows.Class); i < 0 {
		c.at(path+".follows.class", strconv.Quote(k.Follows.Class), "no such class in this workload"+meant(k.Follows.Class, names))
	} else if names[i] == k.Name {
		c.at(path+".follows.class", strconv.Quote(k.Name), "a class cannot follow itself")
	}
	if k.Arrivals.Any() {
		c.at(path+".arrivals", "arrivals", "a class that follows another has no arrivals of its own")
	}
}

// maxTraffic is how many kinds of traffic a class may have.
const maxTraffic = 20

// people checks who submits jobs of a class.
func (c checker) people(path string, k *JobClass, recorded bool) {
	for i, p := range k.Arrivals.People {
		path := fmt.Sprintf("%s.arrivals.people[%d]", path, i)
		if recorded {
			c.at(path, "people", "recorded jobs came when they came; people go with made ones, without spec.jobs")
		}
		c.within(path+".count", p.Count, 1, mostPeople)
		if c.times(path+".think", p.Think) && p.Think.Dist().Mean() < float64(units.Second) {
			c.at(path+".think", "too little", "expected a second at least on average, as in {mean: 20m}")
		}
	}
}

// mostPeople is how many people a group may have.
const mostPeople = 100_000

// circle faults classes that follow each other round and round.
func (c checker) circle(path string, k *JobClass, all []JobClass) {
	at := k
	for range all {
		i := slices.IndexFunc(all, func(x JobClass) bool { return at.Follows != nil && x.Name == at.Follows.Class })
		if i < 0 {
			return
		}
		if at = &all[i]; at.Name == k.Name && at.Follows.Class != k.Name {
			c.at(path+".follows.class", strconv.Quote(k.Follows.Class), "the classes follow each other in a circle")
			return
		}
	}
}
