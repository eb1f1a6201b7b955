package backtest

import (
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/world"
)

// A Split says what facts were learned on and what the score is of: a forecast is not to be
// scored on what it was made from.
type Split struct {
	From     time.Time `json:"from" doc:"The score is of jobs that came from here on."`
	Learned  time.Time `json:"learned,omitzero" doc:"When the newest measured fact of the cluster was measured; absent: none was."`
	Overlaps bool      `json:"overlaps" doc:"Facts may have been learned on jobs that are scored."`
	Says     string    `json:"says" doc:"The same in words."`
}

// splitOf works out where the score begins: as is asked, else when the newest fact that was
// measured before the last job was.
func splitOf(c *document.ClusterSpec, w *world.World, asked time.Time) Split {
	first := w.Start.Add(time.Duration(w.Plan.Warmup))
	last := w.Start.Add(time.Duration(w.Plan.Span))
	s := Split{From: first}
	inside := time.Time{}
	for _, m := range c.Measured {
		if m.At.After(s.Learned) {
			s.Learned = m.At.Time
		}
		if m.At.Before(last) && m.At.After(inside) {
			inside = m.At.Time
		}
	}
	day := func(t time.Time) string { return t.In(w.Zone.Location()).Format("2006-01-02 15:04") }
	if inside.After(first) {
		s.From = inside
	}
	if !asked.IsZero() && asked.After(first) {
		s.From = asked
	}
	switch {
	case s.Learned.IsZero():
		s.Says = "No fact of the cluster says when it was measured; whether any was learned on these jobs is not known."
	case s.Learned.After(s.From) && s.Learned.Before(last):
		s.Overlaps = true
		s.Says = fmt.Sprintf("Facts were measured until %s, and the score begins at %s: it is partly of what they may have been learned on.",
			day(s.Learned), day(s.From))
	case !s.Learned.Before(last):
		s.Overlaps = true
		s.Says = fmt.Sprintf("Facts were measured until %s, after the last of these jobs: they may have been learned on them, and the score is then too good.",
			day(s.Learned))
	default:
		s.Says = fmt.Sprintf("Facts were measured until %s; the score is of jobs that came later.", day(s.Learned))
	}
	return s
}
