package live

import (
	"cmp"
	"slices"
	"time"
)

// A State is where a job is.
type State string

// The states of jobs.
const (
	Waiting State = "waiting"
	Running State = "running"
	Ended   State = "ended"
	// Silent is a job whose end was never told: it is taken as over.
	Silent State = "silent"
)

// A Basis is what a job's moment of asking for an agent rests on.
type Basis string

// What the moment may rest on.
const (
	ByQueue    Basis = "queue"    // it was told
	ByPipeline Basis = "pipeline" // its pipeline's, as one of its first
	BySibling  Basis = "sibling"  // the end of the last run of its pipeline before it began
	ByStart    Basis = "start"    // none but its start: how long it waited is not known
)

// SilentAfter is how long after the last word of a job without an end it counts as over,
// where nothing else is said.
const SilentAfter = 24 * time.Hour

// A Job is a run that took, or asks for, an agent.
type Job struct {
	*Run
	Asked time.Time // when it asked for an agent
	Basis Basis
	State State
}

// Waited is how long a job waited, or waits by now, and whether that is known.
func (j *Job) Waited(now time.Time) (time.Duration, bool) {
	if j.Basis == ByStart {
		return 0, false
	}
	to := j.Started
	if to.IsZero() {
		if to = now; j.State != Waiting {
			return 0, false
		}
	}
	return max(0, to.Sub(j.Asked)), true
}

// Took is how long a job took from its start, by now if it runs, and whether that is known.
func (j *Job) Took(now time.Time) (time.Duration, bool) {
	switch {
	case j.Started.IsZero():
		return 0, false
	case !j.Ended.IsZero():
		return max(0, j.Ended.Sub(j.Started)), true
	}
	return max(0, now.Sub(j.Started)), j.State == Running
}

// Is returns a fact of a job, "" when it was not told of it nor, where parts share it, of what it is a part of.
func (j *Job) Is(fact string) string { return j.Run.is(fact) }

// shared are what parts of a pipeline have from it where nothing else is told of them.
var shared = []string{Project, Branch, Change}

// Jobs are the jobs among runs as of now, by when they asked: every run but the pipelines
// that others are parts of. A job that is not known to have ended is silent when nothing was
// heard of it, or of its parts, for so long.
func Jobs(runs []*Run, now time.Time, silentAfter time.Duration) []Job {
	byID, parts := make(map[RunID]*Run, len(runs)), map[RunID][]*Run{}
	for _, r := range runs {
		byID[r.RunID] = r
		if r.Parent.ID != "" && r.Parent != r.RunID {
			parts[r.Parent] = append(parts[r.Parent], r)
		}
	}
	out := make([]Job, 0, len(runs))
	for _, r := range runs {
		if len(parts[r.RunID]) > 0 {
			continue
		}
		j := Job{Run: r}
		whole := byID[r.Parent]
		if whole != nil && whole != r {
			j.Run = r.within(whole)
		}
		j.Asked, j.Basis = asked(r, whole, parts[r.Parent])
		switch {
		case !r.Ended.IsZero():
			j.State = Ended
		case now.Sub(r.Heard) > silentAfter, whole != nil && !whole.Ended.IsZero() && now.Sub(whole.Ended) > silentAfter:
			j.State = Silent
		case r.Started.IsZero():
			j.State = Waiting
		default:
			j.State = Running
		}
		out = append(out, j)
	}
	slices.SortFunc(out, func(a, b Job) int { return cmp.Or(a.Asked.Compare(b.Asked), a.compare(b.RunID)) })
	return out
}

// within is a run with what it shares with the pipeline that it is a part of.
func (r *Run) within(whole *Run) *Run {
	out := r
	for _, name := range shared {
		f, told := whole.Facts[name]
		if _, own := r.Facts[name]; !told || own {
			continue
		}
		if out == r {
			more := *r
			more.Facts = make(map[string]Fact, len(r.Facts)+1)
			for k, v := range r.Facts {
				more.Facts[k] = v
			}
			out = &more
		}
		out.Facts[name] = f
	}
	return out
}

// asked works out when a run asked for an agent. What is told goes first; a part of a pipeline
// of which nothing is told asked when the last part that it may have waited for had ended, or,
// where none had before it began, when the pipeline came.
func asked(r, whole *Run, siblings []*Run) (time.Time, Basis) {
	if !r.Queued.IsZero() {
		return r.Queued, ByQueue
	}
	began := r.Started
	if began.IsZero() {
		began = r.Ended
	}
	if began.IsZero() {
		return r.Heard, ByStart
	}
	var before time.Time
	for _, s := range siblings {
		if s != r && !s.Ended.IsZero() && !s.Ended.After(began) {
			before = last(before, s.Ended)
		}
	}
	switch {
	case !before.IsZero():
		return before, BySibling
	case whole != nil && whole != r && !whole.Queued.IsZero() && !whole.Queued.After(began):
		return whole.Queued, ByPipeline
	}
	return began, ByStart
}
