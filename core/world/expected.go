package world

import (
	"math"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// ExpectedJobs is about how many jobs a repeat has.
func (w *World) ExpectedJobs() float64 {
	if w.Log != nil {
		return float64(len(w.Log.List))
	}
	all := w.perSpan(w.Workload)
	if w.People() == 0 {
		return all
	}
	alone := *w.Workload // jobs that come by themselves
	alone.Classes = slices.Clone(alone.Classes)
	least := math.Inf(1) // of work, on average
	for i := range alone.Classes {
		alone.Classes[i].Arrivals.People = nil
		least = min(least, max(float64(units.Second), w.Classes[i].Work.Mean()))
	}
	open := w.perSpan(&alone)
	_, most := w.MostAgents()
	return open + min(all-open, float64(w.People())+float64(most)*float64(w.Plan.Span)/least)
}

// perSpan is about how many jobs a made workload has in the span, if nobody waits.
func (w *World) perSpan(spec *document.WorkloadSpec) float64 {
	jobs := 0.0
	for _, n := range demand.PerWeek(spec, nil) {
		jobs += n
	}
	return jobs * (float64(w.Plan.Span) / float64(units.Week))
}
