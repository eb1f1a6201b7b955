package sim

import (
	"tachyphor/core/demand"
	"tachyphor/core/units"
)

// TraceBytes and RunBytes are what a job takes of memory in a trace, and in a run of
// which it is a part until that has been measured; both as found on runs of 50,000 to
// 10^6 jobs, rounded up.
const (
	TraceBytes units.Bytes = 250
	RunBytes   units.Bytes = 900
)

// ExpectedJobs is about how many jobs a repeat has.
func (w *World) ExpectedJobs() float64 {
	if w.recorded != nil {
		return float64(len(w.recorded.List))
	}
	jobs := 0.0
	for _, n := range demand.PerWeek(w.workload, nil) {
		jobs += n
	}
	return jobs * (float64(w.Plan.Span) / float64(units.Week))
}
