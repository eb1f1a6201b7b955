package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Shortest is the least that the first attempt at a job asks of its template's agents, in any
// run of a world with the same jobs and draws: in any design of agents, nodes and caches.
type Shortest struct {
	Template int            // index into the world's templates; −1: none takes it
	Keeps    units.Duration // how long it keeps an agent at the least
}

// ShortestOf returns it for each job of a repeat. The job does its own work and no cold work, on the
// fastest nodes there are, alone on them; one whose agent may be ended for memory or disk works up to
// the drawn point of its work at which that may be. Spot nodes that are taken back and pods that push
// others off their nodes are not looked at.
func ShortestOf(w *world.World, jobs *demand.Jobs, repeat int) []Shortest {
	e := &engine{w: w, jobs: jobs, root: chance.Root(w.Plan.Seed, repeat)}
	matches := w.Match(jobs.Wants)
	out := make([]Shortest, len(jobs.List))
	for j := range jobs.List {
		job := &jobs.List[j]
		class := &w.Classes[job.Class]
		s := &out[j]
		if s.Template = matches[job.Wants].Template; s.Template < 0 {
			continue
		}
		if s.Keeps = job.Work; job.Work < 0 {
			s.Keeps = e.drawFor(class.Work, chance.Work, int32(j))
		} else {
			s.Keeps, _ = e.recordedWork(int32(j))
		}
		s.Keeps = at(s.Keeps, class.Fastest())
		t := &w.Templates[s.Template]
		memory := peakOf(e.root, jobs, j, 0, jobs.Memory, class.Memory, chance.Memory)
		disk := peakOf(e.root, jobs, j, 0, jobs.Disk, class.Disk, chance.Disk)
		if memory > t.Request.Memory || t.Limit.Disk > 0 && disk > t.Limit.Disk {
			s.Keeps = units.Duration(e.root.For(chance.Peak, job.Key, 0).Uniform() * float64(s.Keeps))
		}
		if class.Limit > 0 {
			s.Keeps = min(s.Keeps, class.Limit)
		}
	}
	return out
}
