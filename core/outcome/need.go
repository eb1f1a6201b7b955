package outcome

import (
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// groupBytes is about what a group of jobs takes in the sample of a repeat.
const groupBytes = 3000

// SampleBytes is about what the sample of one repeat takes of memory.
func SampleBytes(w *sim.World) units.Bytes {
	return units.Bytes(groupBytes * (1 + len(w.Classes) + len(w.Templates)))
}

// Need is about how much memory Simulate takes at most, on so many workers: the runs that
// are under way, the first repeat's trace, and the samples.
func Need(w *sim.World, workers int) units.Bytes {
	runs := max(1, min(workers, w.Plan.Repeats))
	jobs := units.Bytes(w.ExpectedJobs())
	return jobs*(sim.RunBytes*units.Bytes(runs)+sim.TraceBytes) +
		units.Bytes(w.Plan.Repeats)*SampleBytes(w)
}
