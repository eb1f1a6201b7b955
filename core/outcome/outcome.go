package outcome

import (
	"time"

	"tachyphor/core/stats"
)

// Engine numbers the engine's behaviour: the same input gives the same outcome
// as long as it does not change.
const Engine = 4

// An Outcome is what simulating a scenario gave. All times are in nanoseconds;
// figures carry their 95 % interval over the repeats.
type Outcome struct {
	Scenario  string       `json:"scenario" doc:"Name of the scenario."`
	Engine    int          `json:"engine" doc:"Number of the engine's behaviour."`
	Seed      uint64       `json:"seed" doc:"Seed of every draw."`
	Repeats   int          `json:"repeats" doc:"Independent runs."`
	Start     time.Time    `json:"start" doc:"Moment at which simulated time begins."`
	Zone      string       `json:"zone" doc:"Time zone of the workload."`
	WarmupNs  int64        `json:"warmupNs" doc:"Its first part, left out of every figure."`
	SpanNs    int64        `json:"spanNs" doc:"Simulated time in which jobs arrived, the warm-up included."`
	Recorded  bool         `json:"recorded,omitempty" doc:"The jobs were recorded: the same in every repeat."`
	Means     string       `json:"means" doc:"What the intervals mean: what varies from repeat to repeat, and what does not."`
	Notes     []string     `json:"notes" doc:"What was settled where the documents leave it open or do not go together."`
	Headline  string       `json:"headline" doc:"The outcome in a sentence or two."`
	Aims      []Aimed      `json:"aims,omitempty" doc:"What the scenario must keep, and whether it does; absent: it has no aims."`
	Judged    string       `json:"judged,omitempty" doc:"How it stands with all of them, in a sentence or two."`
	Phases    []string     `json:"phases" doc:"Names of the phases of every ribbon, in order."`
	Groups    []Group      `json:"groups" doc:"How jobs fared: all, by class, by template."`
	Causes    []CauseSum   `json:"causes" doc:"What start delay was spent waiting for, most first."`
	Failures  []Failure    `json:"failures" doc:"Jobs that went wrong for good, by class, template and what went wrong, most first."`
	Unmatched []Unmatched  `json:"unmatched" doc:"Jobs that no template fits."`
	Limits    []Limit      `json:"limits" doc:"Ceilings, quotas and full pools that jobs of the first repeat waited at, what cost most first."`
	Story     []Told       `json:"story,omitempty" doc:"What was changed by hand in the first repeat, who was out of service and what trouble came over many at once, in order of time, with what became of the queue."`
	Beside    []Beside     `json:"beside,omitempty" doc:"What the first repeat would have been otherwise, where that was tried."`
	Troubles  []Trouble    `json:"troubles" doc:"What went wrong on the way, for good or not; only what did."`
	Lives     []Life       `json:"lives,omitempty" doc:"How long agents lived and what they had done, by template: of those that had joined and went."`
	Network   []NetworkUse `json:"network,omitempty" doc:"What jobs fetch and send over links of the cluster, by class and what it is for, most first."`
	Cache     *Cache       `json:"cache,omitempty" doc:"What the workspace cache did; absent without one."`
	Cost      Cost         `json:"cost" doc:"The bill."`
	Lines     Lines        `json:"lines" doc:"Quantities over time, means over the repeats."`
	Slowest   []JobBrief   `json:"slowest" doc:"Jobs of the first repeat that waited longest."`
	Samples   []Sample     `json:"samples,omitempty" doc:"Exact figures of each repeat."`
	Alike     []Sample     `json:"alike,omitempty" doc:"Of recorded jobs: figures of all jobs in runs of jobs like them, each with the draws of the repeat of its number."`
	Weeks     int          `json:"weeks,omitempty" doc:"Weeks of the log that each day of those was drawn from; 0: their jobs were drawn one by one."`
}

// Times are a set of durations summarised. Percentiles are of all repeats together; one
// that too few jobs support, or whose interval has no upper end, is left out.
type Times struct {
	Mean stats.Figure  `json:"meanNs" doc:"Mean."`
	P50  *stats.Figure `json:"p50Ns,omitempty" doc:"Half are shorter."`
	P90  *stats.Figure `json:"p90Ns,omitempty" doc:"90 % are shorter."`
	P95  *stats.Figure `json:"p95Ns,omitempty" doc:"95 % are shorter."`
	P99  *stats.Figure `json:"p99Ns,omitempty" doc:"99 % are shorter."`
	Max  stats.Figure  `json:"maxNs" doc:"Longest."`
}

// A Group is how some of the jobs fared.
type Group struct {
	GroupName
	Jobs       stats.Figure   `json:"jobs" doc:"Jobs submitted in a repeat."`
	Started    stats.Figure   `json:"started" doc:"Jobs that came to their own first step: delays are told of these."`
	Wrong      stats.Figure   `json:"wrong" doc:"Jobs that went wrong for good: they never started, or did not end well."`
	Warm       stats.Figure   `json:"warm" doc:"Share of started jobs that took an agent which stood idle when they came, 0 to 1."`
	Unfinished stats.Figure   `json:"unfinished" doc:"Jobs that fit a template and did not end."`
	Failed     stats.Figure   `json:"failed" doc:"Jobs that ended badly or were dropped."`
	NodeCost   stats.Figure   `json:"nodeCost" doc:"Node cost that is a job's own share, on average: by what its agent requests over its time."`
	Delay      Times          `json:"delay" doc:"Start delay: submission to the job's own first step."`
	Lead       Times          `json:"lead" doc:"Lead time: submission to end."`
	Ribbon     []stats.Figure `json:"ribbonNs" doc:"Mean time of a job in each phase."`
	WorkParts  []WorkPart     `json:"workParts" doc:"What the mean job's work phase is made of; only what is there."`
	Curve      []CurvePoint   `json:"curve,omitempty" doc:"Distribution of start delay; for all jobs and classes."`
}

// A WorkPart is a part of the work phase.
type WorkPart struct {
	Cause string       `json:"cause" enum:"work,cold,leftovers,tool,fetch,stretch,lost,rerun" doc:"work: the job's own; cold: what a warm cache would have spared; leftovers: what earlier jobs on the agent left; tool: waiting for a boot tool; fetch: for what it fetches or sends; stretch: CPU wanted and not given; lost: attempts cut short; rerun: waiting to run again."`
	Ns    stats.Figure `json:"ns" doc:"Mean time of a job that ended."`
}

// A CurvePoint is one point of a distribution.
type CurvePoint struct {
	Percent float64 `json:"percent" doc:"Share of jobs, 0 to 100."`
	Ns      float64 `json:"ns" doc:"Start delay that they stay within."`
}

// A CauseSum is what one cause of delay came to.
type CauseSum struct {
	Cause string       `json:"cause" doc:"Short name of the cause."`
	Phase string       `json:"phase" doc:"Phase it belongs to."`
	Label string       `json:"label" doc:"What was waited for."`
	Hours stats.Figure `json:"jobHours" doc:"Hours of start delay over all jobs of a repeat."`
	Share float64      `json:"share" doc:"Part of all start delay, 0 to 1."`
}

// Unmatched are jobs that wait for ever.
type Unmatched struct {
	Class   string   `json:"class" doc:"Class of the jobs."`
	Wants   []string `json:"wants" doc:"What they want."`
	Jobs    int      `json:"jobs" doc:"How many there are in the first repeat."`
	Nearest string   `json:"nearest" doc:"Template that offers most of it."`
	Missing []string `json:"missing" doc:"Words that it lacks; none where they want nothing and all templates take only what names them."`
	Meant   []string `json:"meant" doc:"For each of them the offered word most like it, or empty."`
}

// A JobBrief is a job in a line.
type JobBrief struct {
	ID        string    `json:"id" doc:"Job."`
	Class     string    `json:"class" doc:"Its class."`
	Template  string    `json:"template" doc:"Template it got."`
	Submitted time.Time `json:"submitted" doc:"When it was submitted."`
	DelayNs   int64     `json:"delayNs" doc:"Start delay; below 0 when it never started."`
	Warm      bool      `json:"warm" doc:"It took an agent which stood idle when it came."`
	Phase     string    `json:"phase" doc:"Phase of the cause that cost most."`
	Reason    string    `json:"reason" doc:"What it waited for longest."`
}

// Fill makes the lists empty that an outcome of an earlier engine did not have.
func (o *Outcome) Fill() {
	orEmpty(&o.Notes)
	orEmpty(&o.Slowest)
	orEmpty(&o.Unmatched)
	orEmpty(&o.Failures)
	orEmpty(&o.Limits)
	orEmpty(&o.Troubles)
	orEmpty(&o.Cost.Parts)
	orEmpty(&o.Lines.CPU)
	orEmpty(&o.Lines.Memory)
	for i := range o.Groups {
		orEmpty(&o.Groups[i].WorkParts)
	}
}

func orEmpty[T any](list *[]T) {
	if *list == nil {
		*list = []T{}
	}
}
