package demand

import (
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// PerWeek returns how many jobs of each class a workload has a week, on average:
// counted in its recording, or from its classes' arrivals; people are counted as if their
// jobs took nothing but their work. It is nil when neither says.
func PerWeek(spec *document.WorkloadSpec, r *Recording) map[string]float64 {
	if spec.Jobs != nil {
		return r.perWeek(spec)
	}
	out := make(map[string]float64, len(spec.Classes))
	for _, k := range spec.Classes {
		n := 0.0
		for minute := range 7 * 24 * 60 {
			for _, h := range k.Arrivals.Hours {
				if h.When.Covers(minute) {
					n += h.PerHour / 60
					break
				}
			}
		}
		for _, b := range k.Arrivals.Bursts {
			for day := range 7 {
				if _, on := b.When.On(day); on {
					n += float64(b.Count)
				}
			}
		}
		for _, p := range k.Arrivals.People {
			n += askedBy(&p, &k)
		}
		out[k.Name] = n
	}
	for range spec.Classes { // those that follow others, and those that follow them
		for _, k := range spec.Classes {
			if k.Follows != nil {
				out[k.Name] = out[k.Follows.Class] * float64(k.Follows.Count)
			}
		}
	}
	return out
}

// askedBy is how many jobs people submit a week who never wait.
func askedBy(p *document.People, k *document.JobClass) float64 {
	there := units.WeekMinutes
	if p.When != nil {
		there = 0
		for minute := range units.WeekMinutes {
			if p.When.Covers(minute) {
				there++
			}
		}
	}
	turn := max(float64(leastThought), p.Think.Dist().Mean()) + k.Work.Dist().Mean()
	return float64(p.Count) * float64(there) * float64(units.Minute) / turn
}

// perWeek counts recorded jobs; a log of less than a day says nothing of a week.
func (r *Recording) perWeek(spec *document.WorkloadSpec) map[string]float64 {
	if r == nil || r.Len() == 0 {
		return nil
	}
	start := spec.Start.Time
	first, last := r.rows.at(0).since(start), r.rows.at(0).since(start)
	out := map[string]float64{}
	r.rows.each(func(w *row) {
		out[w.class]++
		at := w.since(start)
		first, last = min(first, at), max(last, at)
	})
	span := last - min(first, 0)
	if first > 0 {
		span = last // the workload's start is when watching began
	}
	if span < units.Day {
		return nil
	}
	for class := range out {
		out[class] *= float64(units.Week) / float64(max(span, units.Week-units.Day))
	}
	return out
}
