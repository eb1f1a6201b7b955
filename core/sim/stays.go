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
