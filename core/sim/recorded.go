package sim

import (
	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// A recorded job's time holds the cold work that what it found of its workspace had left
// it. That is taken out before the run's own caches decide what cold work it has: without
// a cache, a job that found none takes as long as it was recorded.

// recordedWork parts the recorded work of job j into its own and the cold work within
// it. Where the class's cold work is more than was recorded, all of it was cold; then
// the job has that much of cold work and no more, the share part of what is drawn.
func (e *engine) recordedWork(j int32) (own units.Duration, part float64) {
	job := &e.jobs.List[j]
	class := &e.w.Classes[job.Class]
	held := e.heldShare(j)
	if held == 0 || class.RecordedCold.Form == chance.Fixed && class.RecordedCold.A == 0 {
		return job.Work, 1
	}
	cold := e.drawFor(class.RecordedCold, chance.Cold, j)
	in := units.Duration(float64(cold) * held)
	if in <= job.Work {
		return job.Work - in, 1
	}
	return 0, float64(job.Work) / float64(in)
}

// heldShare is the share of its cold work that job j's recorded time holds.
func (e *engine) heldShare(j int32) float64 {
	job := &e.jobs.List[j]
	class := &e.w.Classes[job.Class]
	switch {
	case job.Work < 0 || job.Found == demand.FoundFresh:
		return 0
	case job.Found == demand.FoundNone:
		return 1
	case job.Found == demand.FoundStale:
		return 1 - class.Partial
	case e.root.For(chance.Recorded, job.Key, 0).Uniform() < e.w.HeldCold:
		return 1
	default:
		return 0
	}
}
