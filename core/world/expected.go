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
	return open + min(all-open, float64(w.People())+float64(w.mostAgents())*float64(w.Plan.Span)/least)
}

// perSpan is about how many jobs a made workload has in the span, if nobody waits.
func (w *World) perSpan(spec *document.WorkloadSpec) float64 {
	jobs := 0.0
	for _, n := range demand.PerWeek(spec, nil) {
		jobs += n
	}
	return jobs * (float64(w.Plan.Span) / float64(units.Week))
}

// mostAgents is how many agents there can be at once, by the ceilings and by what goes on
// the pools' nodes.
func (w *World) mostAgents() int {
	most, ceilings := 0, 0
	for p := range w.Pools {
		room, on := &w.Pools[p].Room, 0 // agents of the smallest template on a node
		for t := range w.Templates {
			fits := room.Pods
			if cpu := w.Templates[t].Needs.CPU; cpu > 0 {
				fits = min(fits, int(room.CPU/cpu))
			}
			on = max(on, fits)
		}
		most += w.Pools[p].Max * on
	}
	for t := range w.Templates {
		if _, high := w.Templates[t].Ceilings(); high >= 0 && ceilings >= 0 {
			ceilings += high
		} else {
			ceilings = -1
		}
	}
	if ceilings >= 0 {
		most = min(most, ceilings)
	}
	for _, l := range w.Limits {
		if len(l.Templates) == len(w.Templates) {
			most = min(most, l.Agents)
		}
	}
	if w.AgentCeiling >= 0 {
		most = min(most, w.AgentCeiling)
	}
	return most
}
