package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// groupBytes is about what a group of jobs takes in the sample of a repeat, but for its
// delays and lead times.
const groupBytes = 3000

// SampleBytes is about what the sample of one repeat takes of memory.
func SampleBytes(w *world.World) units.Bytes {
	groups, jobs := len(groupsOf(w)), int(w.ExpectedJobs())
	kept := min(2*8*groups*cells(w), 3*2*8*jobs) // a job is in three groups at most
	return units.Bytes(groupBytes*groups + kept)
}

// Need is about how much memory Simulate takes at most, on so many workers: the runs that
// are under way, the first repeat's trace, and the samples.
func Need(w *world.World, workers int) units.Bytes {
	runs := max(1, min(workers, w.Plan.Repeats+w.AlikeRuns()))
	jobs := units.Bytes(w.ExpectedJobs())
	return jobs*(sim.RunBytes*units.Bytes(runs)+sim.TraceBytes) +
		units.Bytes(w.Plan.Repeats+w.AlikeRuns())*SampleBytes(w)
}
