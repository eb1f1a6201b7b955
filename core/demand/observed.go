package demand

import "tachyphor/core/units"

// An Observed is how a recorded job fared in life.
type Observed struct {
	Waited units.Duration // from its submission to its start; below 0 where the log does not say
	Took   units.Duration // from its start to its end; below 0 likewise
	Phases *PhaseTimes    // what it waited for; nil likewise
}

// Observed tells how recorded jobs fared, by their ids: those of which the log says when they
// started. Times are good to a few milliseconds an hour.
func (r *Recording) Observed() map[string]Observed {
	out := map[string]Observed{}
	r.rows.each(func(w *row) {
		if w.waited >= 0 {
			out[w.id] = Observed{seconds(w.waited), seconds(w.took), w.phases}
		}
	})
	return out
}

func seconds(s float32) units.Duration {
	if s < 0 {
		return -1
	}
	return units.Duration(float64(s) * float64(units.Second))
}
