package world

import (
	"sync"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

// Bound holds recorded jobs as they are bound to a workload's classes and laid after a warm-up, so
// that worlds which differ in their design alone do so once and keep them once. Nil holds nothing.
type Bound struct {
	mu     sync.Mutex
	spec   *document.WorkloadSpec
	jobs   *demand.Jobs
	bad    []table.BadRow
	warm   units.Duration
	period units.Duration
	warmed *demand.Jobs // of jobs; nil: none yet
}

// bind binds a recording to classes, where that was not done before.
func (b *Bound) bind(r *demand.Recording, spec *document.WorkloadSpec) (*demand.Jobs, []table.BadRow) {
	if b == nil {
		return r.Bind(spec)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.spec != spec {
		b.spec, b.warmed = spec, nil
		b.jobs, b.bad = r.Bind(spec)
	}
	return b.jobs, b.bad
}

// after lays jobs after a warm-up, where that was not done before.
func (b *Bound) after(jobs *demand.Jobs, warm, period units.Duration) *demand.Jobs {
	if b == nil {
		return jobs.WithWarmup(warm, period)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.jobs != jobs {
		return jobs.WithWarmup(warm, period)
	}
	if b.warmed == nil || b.warm != warm || b.period != period {
		b.warm, b.period, b.warmed = warm, period, jobs.WithWarmup(warm, period)
	}
	return b.warmed
}
