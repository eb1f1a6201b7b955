package outcome

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/world"
)

// A Failure is how many jobs of a class went wrong for good in one way: they never
// started, or they ended badly.
type Failure struct {
	Class    string       `json:"class" doc:"Class of the jobs."`
	Template string       `json:"template" doc:"Template that they got; empty where none fits."`
	End      string       `json:"end" doc:"Short name of how they ended." enum:"unmatched,never-started,gave-up,dropped,unfinished,out-of-memory,evicted,out-of-disk,timed-out,taken-back,preempted,spoiled,no-tool,forgotten,orphaned"`
	Cause    string       `json:"cause" doc:"Short name of what those that never started waited for longest; empty where that is not why."`
	Label    string       `json:"label" doc:"What went wrong, in words."`
	Started  bool         `json:"started" doc:"They had started."`
	Jobs     stats.Figure `json:"jobs" doc:"How many, in a repeat."`
	Of       stats.Figure `json:"of" doc:"Jobs of the class, in a repeat."`
}

// A FailureSample is a Failure in one repeat.
type FailureSample struct {
	Class    int    `json:"class" doc:"Class, by its place in the workload."`
	Template int    `json:"template" doc:"Template, by its place in the scenario; below 0 where none fits."`
	End      string `json:"end" doc:"How the jobs ended."`
	Cause    string `json:"cause" doc:"What those that never started waited for longest."`
	Jobs     int    `json:"jobs" doc:"How many."`
}

// How jobs end badly that the engine has no result for.
const (
	endUnmatched  = "unmatched"
	endNever      = "never-started"
	endUnfinished = "unfinished"
)

// failuresOf counts the jobs of the window that went wrong for good, by class,
// template, end and cause, in that order.
func failuresOf(t *sim.Trace) []FailureSample {
	counts := map[FailureSample]int{}
	for j := range t.Records {
		r, job := &t.Records[j], &t.Jobs.List[j]
		if job.Submitted < t.World.Plan.Warmup || job.Submitted >= t.World.Plan.Span {
			continue
		}
		f := FailureSample{Class: int(job.Class), Template: int(r.Template)}
		switch {
		case r.Template < 0:
			f.End = endUnmatched
		case r.Result == sim.GaveUp || r.Ended < 0 && r.Started < 0 && r.Result == sim.Unfinished:
			f.End = endNever
			if r.Result == sim.GaveUp {
				f.End = r.Result.String()
			}
			if c, ok := t.Kept(j); ok {
				f.Cause = c.String()
			}
		case r.Result == sim.Dropped || r.Result == sim.Forgotten || r.Ended >= 0 && r.Result > sim.Succeeded:
			f.End = r.Result.String()
		case r.Ended < 0:
			f.End = endUnfinished
		default:
			continue
		}
		counts[f]++
	}
	out := make([]FailureSample, 0, len(counts))
	for f, n := range counts {
		f.Jobs = n
		out = append(out, f)
	}
	slices.SortFunc(out, func(a, b FailureSample) int {
		return cmp.Or(cmp.Compare(a.Class, b.Class), cmp.Compare(a.Template, b.Template), strings.Compare(a.End, b.End),
			strings.Compare(a.Cause, b.Cause))
	})
	return out
}

// failures sums up what went wrong for good, most first.
func (s *Sum) failures() []Failure {
	counts := map[FailureSample][]float64{}
	for i := range s.samples {
		for _, f := range s.samples[i].Failures {
			key := f
			key.Jobs = 0
			if counts[key] == nil {
				counts[key] = make([]float64, len(s.samples))
			}
			counts[key][i] = float64(f.Jobs)
		}
	}
	out := []Failure{}
	for _, key := range slices.SortedFunc(maps.Keys(counts), func(a, b FailureSample) int {
		return cmp.Or(cmp.Compare(a.Class, b.Class), cmp.Compare(a.Template, b.Template), strings.Compare(a.End, b.End),
			strings.Compare(a.Cause, b.Cause))
	}) {
		f := Failure{
			Class: s.world.Classes[key.Class].Name, End: key.End, Cause: key.Cause, Label: s.failureLabel(key), Started: hadStarted(key.End),
			Jobs: stats.OfAmounts(counts[key]), Of: s.figure(func(x *Sample) float64 { return float64(x.Groups[1+key.Class].Jobs) }),
		}
		if key.Template >= 0 {
			f.Template = s.world.Templates[key.Template].Name
		}
		out = append(out, f)
	}
	sortBy(out, func(f Failure) float64 { return -f.Jobs.Mean })
	return out
}

// hadStarted reports whether jobs that ended so had started.
func hadStarted(end string) bool {
	return !slices.Contains([]string{endUnmatched, endNever, sim.GaveUp.String(), sim.Dropped.String(), sim.Forgotten.String()}, end)
}

// endLabels say how jobs ended.
var endLabels = map[string]string{
	endUnfinished:            "not ended when the run was given up",
	sim.OutOfMemory.String(): "killed for memory",
	sim.Evicted.String():     "evicted from nodes short of memory",
	sim.OutOfDisk.String():   "killed for disk",
	sim.TimedOut.String():    "longer at work than they may be",
	sim.Preempted.String():   "lost to pods of higher priority",
	sim.Spoiled.String():     "failed for what jobs before had left",
	sim.Forgotten.String():   "lost by the controller before they started",
	sim.Orphaned.String():    "lost by the controller while at work",
	sim.NoTool.String():      "on an agent without a boot tool yet",
	sim.TakenBack.String():   "lost with a spot node that was taken back",
	sim.Dropped.String():     "a job that they come after did not end well",
}

// failureLabel says what went wrong.
func (s *Sum) failureLabel(f FailureSample) string {
	w := s.world
	switch f.End {
	case endUnmatched:
		for _, u := range s.unmatched {
			if u.Class == w.Classes[f.Class].Name {
				return u.why()
			}
		}
		return "no template offers all that they want"
	case endNever, sim.GaveUp.String():
		why := "they wait for a job before them that does not end"
		if c, ok := causeNamed(f.Cause); ok {
			why = standing(w, c, f.Template)
		}
		if f.End != endNever {
			return "given up after " + w.Classes[f.Class].GiveUp.Short() + ": " + why
		}
		return why
	}
	return endLabels[f.End]
}

func causeNamed(name string) (sim.Cause, bool) {
	for _, c := range sim.Causes() {
		if c.String() == name {
			return c, true
		}
	}
	return 0, false
}

// standing says what stands in the way of a template's jobs, by its own name where it
// is a number in the documents and not demand.
func standing(w *world.World, c sim.Cause, t int) string {
	tm := &w.Templates[t]
	pools := func(one, several string) string {
		names := sim.Behind(w, c, t)
		switch len(names) {
		case 0:
			return c.Label()
		case 1:
			return "pool " + names[0] + one
		default:
			return "pools " + strings.Join(names, ", ") + several
		}
	}
	switch c {
	case sim.AtCeiling:
		switch low, high := tm.Ceilings(); {
		case high == 0:
			return "the ceiling of " + tm.Name + " is 0"
		case low == 0:
			return "the ceiling of " + tm.Name + ", which is 0 for a part of the week"
		}
		return "the ceiling of " + tm.Name
	case sim.AtAgents:
		if w.AgentCeiling == 0 {
			return "the ceiling of all agents is 0"
		}
		return "the ceiling of all agents"
	case sim.OutOfService:
		why := ""
		for _, a := range tm.Away {
			if a.Reason != "" && !strings.Contains(why, a.Reason) {
				why += ", " + a.Reason
			}
		}
		if why == "" {
			return tm.Name + " is out of service"
		}
		return tm.Name + " is out of service (" + why[2:] + ")"
	case sim.AtLimit:
		if i := atLimit(w, t); i >= 0 {
			return limitSaid(&w.Limits[i])
		}
	case sim.QuotaPods, sim.QuotaCPU, sim.QuotaMemory:
		what := strings.TrimPrefix(c.Label(), "room under ")
		if sim.Bars(w, c, t) {
			return what + " has no room for one agent of " + tm.Name
		}
		return what
	case sim.NoAgentYet:
		if !tm.Ahead() {
			return "no job of " + tm.Name + " is taken before an agent of it is seen, and its floor is 0"
		}
		return "no job of " + tm.Name + " is taken before an agent of it is seen"
	case sim.PoolsFull:
		return "room on nodes for " + tm.Name + ": no pool may grow further"
	case sim.CapacityOut:
		return pools(" has no node to give", " have no node to give")
	case sim.Draining:
		return pools(" is drained", " are drained")
	case sim.KeptOff:
		return "the rules of " + tm.Name + " on neighbours (host ports, pod affinity, spreading) allow it no node"
	case sim.AgentFailed:
		return "agents of " + tm.Name + " do not come up"
	}
	return "waiting for " + c.Label()
}

// limitSaid names a limit over several templates.
func limitSaid(l *world.Limit) string {
	return fmt.Sprintf("the limit of %s for %s together", plural(l.Agents, "agent"), l.Name)
}

// atLimit is the narrowest limit over several templates that a template is under; -1: none.
func atLimit(w *world.World, t int) int {
	best := -1
	for _, i := range w.LimitsOf(t) {
		if best < 0 || w.Limits[i].Agents < w.Limits[best].Agents {
			best = i
		}
	}
	return best
}

// overload reports whether jobs that never started waited for something that less
// demand would have left them.
func overload(w *world.World, f *Failure) bool {
	t := slices.IndexFunc(w.Templates, func(x world.Template) bool { return x.Name == f.Template })
	c, ok := causeNamed(f.Cause)
	if t < 0 || !ok || f.Started {
		return false
	}
	switch c {
	case sim.AtCeiling:
		low, _ := w.Templates[t].Ceilings()
		return low != 0
	case sim.AtAgents:
		return w.AgentCeiling > 0
	case sim.AtLimit:
		return !slices.ContainsFunc(w.LimitsOf(t), func(i int) bool { return w.Limits[i].Agents == 0 })
	case sim.QuotaPods, sim.QuotaCPU, sim.QuotaMemory:
		return !sim.Bars(w, c, t)
	case sim.AtStep, sim.PoolsFull, sim.AwaitsRound, sim.AwaitsComing:
		return true
	}
	return false
}
