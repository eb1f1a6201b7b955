// Package jobs is a stand-in for a system whose jobs happen: it tells a simulated run of a world as
// such systems tell theirs, as CDEvents in CloudEvents or as OpenTelemetry's traces.
package jobs

import (
	"fmt"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Step is what happened to a job.
type Step int

// The steps, in their order.
const (
	Queued Step = iota
	Started
	Finished
)

// A Happening is one step of one job.
type Happening struct {
	Step
	At                         time.Time
	ID, Class, Project, Branch string
	Wants                      []string
	Pod                        string // once it has started
	Phases                     string // what it waited for, once it has started
	Result                     string // once it has finished
	Queued, Started            time.Time
}

// Happen lists what happens in a run of a world, by time. Its simulated time begins at start; where that is
// another than the world says, the jobs are others, by other ids.
func Happen(w *world.World, t *sim.Trace, start time.Time) []Happening {
	var out []Happening
	mark := ""
	if !start.Equal(w.Start) {
		mark = start.UTC().Format("-20060102T150405")
	}
	for j := range t.Records {
		r, job := &t.Records[j], &t.Jobs.List[j]
		if job.Submitted < w.Plan.Warmup {
			continue // it is there to warm the run up
		}
		class := &w.Classes[job.Class]
		h := Happening{ID: t.Jobs.ID(j) + mark, Class: class.Name, Project: class.Project, Branch: "trunk", Wants: t.Jobs.Wants[job.Wants]}
		if job.Change {
			h.Branch = fmt.Sprintf("change-%d", job.Key%900+100)
		}
		at := func(d int64) time.Time { return start.Add(time.Duration(d)).UTC() }
		h.Step, h.At = Queued, at(int64(t.From(j)))
		h.Queued = h.At
		out = append(out, h)
		if r.Started < 0 {
			continue
		}
		h.Step, h.At = Started, at(int64(r.Started))
		h.Started = h.At
		h.Pod = fmt.Sprintf("%s-%d", w.Full().Templates[max(0, r.Template)].Name, r.Agent)
		phases := t.PhaseTimes(j)
		h.Phases = demand.WritePhases(func(p int) units.Duration { return phases[p] })
		out = append(out, h)
		if r.Ended < 0 {
			continue
		}
		h.Step, h.At, h.Result = Finished, at(int64(t.Over(j))), "success"
		if r.Result != sim.Succeeded {
			h.Result = "failure"
		}
		out = append(out, h)
	}
	inOrder(out)
	return out
}
