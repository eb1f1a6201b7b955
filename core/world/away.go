package world

import (
	"cmp"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// awayOf lays out when a template is out of service; what overlaps or touches is one, with the reasons
// of the first that has one.
func (w *World) awayOf(list []document.Away) []Away {
	var all []Away
	for i := range list {
		for _, s := range w.stretchesOf(&list[i]) {
			all = append(all, Away{s, list[i].Reason})
		}
	}
	slices.SortStableFunc(all, func(a, b Away) int { return cmp.Compare(a.From, b.From) })
	var out []Away
	for _, a := range all {
		if n := len(out); n > 0 && a.From <= out[n-1].To {
			out[n-1].To, out[n-1].Reason = max(out[n-1].To, a.To), cmp.Or(out[n-1].Reason, a.Reason)
			continue
		}
		out = append(out, a)
	}
	return out
}

// stretchesOf lays a part of the week, or what is once, out over simulated time.
func (w *World) stretchesOf(x *document.Away) []demand.Stretch {
	if x.From.IsZero() {
		return demand.Stretches(document.Window{When: x.When, Zone: x.Zone}, w.Start, w.Horizon(), w.Zone)
	}
	from, to := max(0, units.Duration(x.From.Sub(w.Start))), min(w.Horizon(), units.Duration(x.To.Sub(w.Start)))
	if from >= to {
		return nil
	}
	return []demand.Stretch{{From: from, To: to}}
}
