package sim

import "tachyphor/core/units"

// EachStay calls f for each of job j's stays, in order.
func (t *Trace) EachStay(j int, f func(Stay)) {
	from := t.From(j)
	for i := t.Records[j].first; i >= 0; i = t.spans.at(i).next {
		s := t.spans.at(i)
		to := units.Duration(s.endCause >> 8)
		f(Stay{from, to, Cause(s.endCause & 0xff), s.by})
		from = to
	}
}

// Over is when a job's own part was over, before its agent was wiped; below 0 if it did not end.
func (t *Trace) Over(j int) units.Duration {
	end := t.Records[j].Ended
	if end < 0 {
		return end
	}
	t.EachStay(j, func(s Stay) {
		if s.Cause.Phase() == Wipe && s.To == t.Records[j].Ended {
			end = min(end, s.From)
		}
	})
	return end
}
