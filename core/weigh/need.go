package weigh

import (
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// Need is about how much memory Weigh takes at most, on so many workers: that of a
// simulation, the samples of every plan and repeat, and the builds that are followed.
func (q Question) Need(workers int) units.Bytes {
	w := *q.World
	plans, _ := plansOf(&w)
	n, repeats, weeks := len(plans)+1, w.Plan.Repeats, w.AlikeRuns()
	jobs := units.Bytes(w.ExpectedJobs())
	w.Plan.Repeats = max(repeats, workers) // plans run beside each other, too
	follow := units.Bytes(followed(repeats, int(jobs), n)) * jobs * units.Bytes(n+1)
	return outcome.Need(&w, workers) + 4*follow + units.Bytes(n*(2*repeats+weeks))*outcome.SampleBytes(&w) + jobs*sim.TraceBytes
}
