package world

import "tachyphor/core/demand"

// Records is what was assumed of recorded work times.
type Records struct {
	Jobs    int     // recorded with a time, of classes that have cold work
	Told    int     // of those, that say themselves what they found
	Share   float64 // of the others, whose times are taken to hold their cold work
	TooCold int     // whose time is less than the cold work that it is to hold, on average
}

// Records says what is assumed of the recorded times of a world; nothing of made jobs.
func (w *World) Records() (r Records) {
	if w.Log == nil {
		return r
	}
	r.Share = w.HeldCold
	for i := range w.Log.List {
		job := &w.Log.List[i]
		class := &w.Classes[job.Class]
		if job.Work < 0 || class.RecordedCold.Mean() == 0 {
			continue
		}
		r.Jobs++
		if job.Found != demand.AsTold {
			r.Told++
		}
		if held := w.HeldMean(job); held > 0 && held > float64(job.Work) {
			r.TooCold++
		}
	}
	return r
}

// heldMean is the cold work that a recorded time is taken to hold, on average, ns.
func (w *World) HeldMean(job *demand.Job) float64 {
	class := &w.Classes[job.Class]
	mean := class.RecordedCold.Mean()
	switch {
	case job.Work < 0 || job.Found == demand.FoundFresh:
		return 0
	case job.Found == demand.FoundNone:
		return mean
	case job.Found == demand.FoundStale:
		return mean * (1 - class.Partial)
	default:
		return mean * w.HeldCold
	}
}
