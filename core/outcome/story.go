package outcome

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Told is what became of something that happened once in a run: a number that was changed by hand,
// a template that was out of service, trouble that came over many at once.
type Told struct {
	At   int64  `json:"atNs" doc:"When, since the beginning of simulated time, ns."`
	Says string `json:"says" doc:"What happened, how many waited then, and when that was over."`
}

// mostTold is how much is told.
const mostTold = 20

// story tells what was changed by hand and who was out of service in the window of a run, in order of
// time, with the queue then and when it was gone.
func story(t *sim.Trace) []Told {
	w := t.World
	type event struct {
		at   units.Duration
		says func() string // looks at every job
	}
	var all []event
	add := func(at units.Duration, says func() string) {
		if at >= w.Plan.Warmup && at < w.Plan.Span {
			all = append(all, event{at, says})
		}
	}
	for i := range w.Changes {
		c := &w.Changes[i]
		add(c.At, func() string {
			return fmt.Sprintf("%s: %s. %s", w.Clock(c.At), c.Says(w), rolledOut(t, i)+queueThen(t, c.Template, c.At))
		})
	}
	for k := range w.Templates {
		for _, a := range w.Templates[k].Away {
			add(a.From, func() string {
				why := ""
				if a.Reason != "" {
					why = " (" + a.Reason + ")"
				}
				return fmt.Sprintf("%s to %s: %s is out of service%s. At its end %s", w.Clock(a.From), until(w.Clock(a.From), w.Clock(a.To)),
					w.Templates[k].Name, why, lower(queueThen(t, k, a.To)))
			})
		}
	}
	for i := range w.Events {
		add(w.Events[i].From, func() string { return eventTold(t, i) })
	}
	slices.SortStableFunc(all, func(a, b event) int { return cmp.Compare(a.at, b.at) })
	var out []Told
	for _, x := range all[:min(len(all), mostTold)] {
		out = append(out, Told{int64(x.at), x.says()})
	}
	return out
}

// rolledOut tells what became of the agents that were there when a template was changed; empty: it was not.
func rolledOut(t *sim.Trace, i int) string {
	if t.World.Changes[i].Becomes < 0 {
		return ""
	}
	w, r := t.World, &t.Rollouts[i]
	if r.Idle+r.Busy+r.Coming == 0 {
		return "No agent of before is there. "
	}
	says := fmt.Sprintf("Of before there are %d agents idle, %d at work and %d on their way. ", r.Idle, r.Busy, r.Coming)
	if r.Jobs > 0 {
		says += fmt.Sprintf("%s on them afterwards, the last at %s; ", several(r.Jobs, "job begins", "jobs begin"), w.Clock(r.LastJob))
	} else {
		says += "No job begins on them afterwards; "
	}
	if r.Gone < 0 || r.Gone > w.Plan.Span {
		return says + "some are there as long as one looks, or until it is changed again. "
	}
	return says + "the last is gone after " + (r.Gone - w.Changes[i].At).Short() + ". "
}

// eventTold tells what an event did, and the queue of all templates at its end.
func eventTold(t *sim.Trace, i int) string {
	w := t.World
	x := &w.Events[i]
	says := fmt.Sprintf("%s to %s: %s", w.Clock(x.From), until(w.Clock(x.From), w.Clock(x.To)), x.Says)
	if x.Reason != "" {
		says += " (" + x.Reason + ")"
	}
	switch x.Kind {
	case world.SpotTaken:
		says += ": " + several(int(t.Hit[i]), "node went", "nodes went")
	case world.ControllerAway:
		if x.Gone {
			says += ": " + several(int(t.Hit[i]), "job is lost", "jobs are lost")
		}
	case world.NoCapacity:
		says += ": " + several(int(t.Hit[i]), "time a node was asked for in vain", "times a node was asked for in vain")
	}
	return says + ". At its end " + lower(queueThen(t, -1, x.To))
}

// until writes the end of what begins on the same day by its time alone.
func until(from, to string) string {
	day := from[:len(from)-len("15:04")]
	return strings.TrimPrefix(to, day)
}

func lower(s string) string { return strings.ToLower(s[:1]) + s[1:] }

// queueThen says how many jobs of a template (-1: of any) waited at a moment, for how long at most, and when nobody
// waited any more.
func queueThen(t *sim.Trace, template int, at units.Duration) string {
	type edge struct {
		at   units.Duration
		more int
	}
	var edges []edge
	waiting, longest := 0, units.Duration(0)
	for j := range t.Records {
		r := &t.Records[j]
		from := t.From(j)
		if r.Template < 0 || template >= 0 && int(r.Template) != template || from < 0 || r.Result.Never() {
			continue
		}
		to := r.Started
		if to < 0 {
			to = t.World.Horizon()
		}
		switch {
		case from < at && to >= at:
			waiting, longest = waiting+1, max(longest, at-from)
			edges = append(edges, edge{to, -1})
		case from >= at && to > from:
			edges = append(edges, edge{from, 1}, edge{to, -1})
		}
	}
	if waiting == 0 {
		return "Nobody waits."
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.more, b.more)) })
	says := fmt.Sprintf("%s, the longest for %s; ", several(waiting, "job waits", "jobs wait"), longest.Short())
	now := waiting
	for _, e := range edges {
		if now += e.more; now == 0 && e.at < t.World.Plan.Span {
			return says + "the queue is gone after " + (e.at - at).Short() + "."
		}
	}
	return says + "the queue is not gone by the end of the run."
}

func several(n int, one, more string) string {
	if n == 1 {
		return "1 " + one
	}
	return units.Count(int64(n)) + " " + more
}
