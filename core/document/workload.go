package document

import (
	"tachyphor/core/units"
)

// A Workload is demand: jobs recorded or made.
type Workload struct {
	APIVersion string       `json:"apiVersion" doc:"tachyphor/v1"`
	Kind       string       `json:"kind" doc:"Workload"`
	Metadata   Meta         `json:"metadata" doc:"Name of the workload."`
	Spec       WorkloadSpec `json:"spec" doc:"The demand."`
}

// WorkloadSpec holds the job classes and where their jobs come from.
type WorkloadSpec struct {
	Start   units.Instant `json:"start" doc:"The moment at which simulated time begins, RFC 3339."`
	Zone    units.Zone    `json:"zone,omitzero" doc:"Time zone of arrival profiles that name none, and of pictures."`
	Hours   *units.Period `json:"hours,omitempty" doc:"Working hours in that zone, to tell what agents would cost that are off outside them. Absent: Mon-Fri 07:00-19:00."`
	Classes []JobClass    `json:"classes" doc:"Job classes."`
	Jobs    *Recorded     `json:"jobs,omitempty" doc:"Recorded jobs. Without it, jobs are made from the classes' arrivals."`
}

// A Recorded workload names the file of its jobs.
type Recorded struct {
	File    string            `json:"file" doc:"File of recorded jobs beside this document: CSV, JSON Lines or Parquet."`
	Columns map[string]string `json:"columns,omitempty" doc:"The file's own names of columns, by ours: id, submitted, class, project, wants, branch, after, work, cores, memory, disk, started, ended, result, pod, cache, phases."`
	Cache   RecordedCache     `json:"cache,omitempty" doc:"What the jobs' work times hold of a workspace cache: none, they did all their cold work within them; warm, they found a fresh cache, and had none; mixed, some did. A column cache tells it job by job. Absent: none, so that without a cache jobs take as long as they were recorded."`
	Cold    *float64          `json:"cold,omitempty" doc:"With cache: mixed, the share of the jobs that did their cold work, 0 to 1. Absent: half."`
	Times   *float64          `json:"times,omitempty" doc:"How often each job is there in the mean, 0.01 to 100: with 1.2 every fifth has another like it, at most half an hour before or after; with 0.8 every fifth is left out. Absent: once."`
	Digest  string            `json:"digest,omitempty" doc:"sha256 of the file, set when it is stored."`
}

// RecordedCache says what recorded work times hold of a workspace cache.
type RecordedCache string

// What recorded work times may hold.
const (
	RecordedNone  RecordedCache = "none"
	RecordedWarm  RecordedCache = "warm"
	RecordedMixed RecordedCache = "mixed"
)

// Values lists what a document may say.
func (RecordedCache) Values() []string {
	return []string{string(RecordedNone), string(RecordedWarm), string(RecordedMixed)}
}

// A JobClass is jobs alike in what they want and how they behave.
type JobClass struct {
	Name        string             `json:"name" doc:"Name of the class."`
	Project     string             `json:"project,omitempty" doc:"Project the jobs belong to."`
	Wants       []string           `json:"wants" doc:"Words that a template must offer."`
	Work        Times              `json:"work" doc:"Time a job works when nothing hinders it; a recorded job's own figure goes first."`
	Arrivals    Arrivals           `json:"arrivals,omitempty" doc:"When jobs come, in a made workload."`
	Cores       float64            `json:"cores,omitempty" doc:"Cores that a working job keeps busy."`
	Speeds      map[string]float64 `json:"speeds,omitempty" doc:"By node type: speed of its work there, where that was measured; absent: the node type's speed."`
	Parallel    *float64           `json:"parallel,omitempty" doc:"Share of the work that runs on all its cores, 0 to 1; the rest runs on one. Absent: all of it."`
	Memory      Sizes              `json:"memory,omitempty" doc:"Peak memory of a job; absent: within what its agent may have."`
	Disk        Sizes              `json:"disk,omitempty" doc:"Peak disk of a job; absent: within what its agent may have."`
	Priority    int                `json:"priority,omitempty" doc:"Jobs of higher priority go first; 0 as a rule."`
	Retries     int                `json:"retries,omitempty" doc:"How often a job that was cut short runs again."`
	Limit       units.Duration     `json:"limit,omitempty" doc:"Longest time a job may work; it fails when it takes longer. Absent: none."`
	GiveUpAfter units.Duration     `json:"giveUpAfter,omitempty" doc:"A job that has not started within this time is dropped. Absent: jobs wait for ever."`
	TrunkShare  *float64           `json:"trunkShare,omitempty" doc:"Share of made jobs that build the trunk, 0 to 1; the others build change requests. Absent: all."`
	Red         float64            `json:"red,omitempty" doc:"Share of its jobs that end red by themselves, as of a change that breaks a test, 0 to 1: nothing is wrong with their agents, but their workspace is kept only where a cache rule says afterFailure."`
	Builds      float64            `json:"builds,omitempty" doc:"How often one change request is built on average, 1 or more, for caches by branch. Absent: once."`
	Follows     *Follows           `json:"follows,omitempty" doc:"Made jobs of this class come after jobs of another."`
	Workspace   Workspace          `json:"workspace,omitempty" doc:"What a workspace cache would keep."`
	Network     []Traffic          `json:"network,omitempty" doc:"What its jobs fetch and send over links of the cluster while they work."`
	Tools       []string           `json:"tools,omitempty" doc:"Tools that its jobs need on their agent."`
	Ended       Ended              `json:"ended,omitzero" doc:"How the recorded jobs ended that the class was learned from, where not all went well. Told to people; nothing is worked out from it."`
}

// Ended counts how recorded jobs ended.
type Ended struct {
	Jobs   int `json:"jobs" doc:"All of them."`
	Failed int `json:"failed,omitempty" doc:"Those that failed."`
	Cut    int `json:"cut,omitempty" doc:"Those that were cut short."`
}

// Workspace is what a cache can spare the jobs of a class.
type Workspace struct {
	Cold       Times    `json:"cold,omitempty" doc:"Work that a job has on top of its own when it finds no cache."`
	Size       Sizes    `json:"size,omitempty" doc:"Size of the packed workspace."`
	ChangeRate float64  `json:"changeRate,omitempty" doc:"Share of builds that change their dependencies, 0 to 1."`
	Partial    *float64 `json:"partial,omitempty" doc:"Share of the cold work that an out-of-date cache still spares, 0 to 1. Absent: half."`
	// Leftovers is what jobs leave behind on their agent that the wiping does not take away.
	Leftovers Leftovers `json:"leftovers,omitzero" doc:"What earlier jobs on the same agent do to a job."`
}

// Traffic is what a job fetches and sends over a link, from the beginning of its work on, beside it: its work
// is over when that has come and gone too.
type Traffic struct {
	Over string `json:"over" doc:"One of the cluster's other links, by name."`
	For  string `json:"for,omitempty" doc:"What it is, as in source, packages, or what the controller is told."`
	Down Sizes  `json:"down,omitempty" doc:"What comes in."`
	Up   Sizes  `json:"up,omitempty" doc:"What goes out."`
	Cold bool   `json:"cold,omitempty" doc:"Only what a workspace cache would spare: a job that finds it up to date fetches nothing, one that finds it out of date what partial does not spare."`
}

// Leftovers are what earlier jobs on the same agent do to a job: files in the way, processes that go on,
// disks that fill.
type Leftovers struct {
	Slower float64 `json:"slower,omitempty" doc:"By what part of its own work a job takes longer for each job that its agent had before, 0 to 1."`
	Fails  float64 `json:"fails,omitempty" doc:"Chance of each job that its agent had before to make it fail, at the end of its work, 0 to 1."`
}

// Follows makes jobs come after others.
type Follows struct {
	Class string `json:"class" doc:"Class whose jobs are followed."`
	Count int    `json:"count,omitempty" doc:"Jobs that follow each of them."`
}

// Defaults fills what it may leave out.
func (f *Follows) Defaults() { f.Count = 1 }

// Arrivals say when jobs of a class come.
type Arrivals struct {
	Zone   units.Zone `json:"zone,omitzero" doc:"Time zone of the hours; absent: the workload's."`
	Hours  []HourRate `json:"hours,omitempty" doc:"Rates by hour of week; the first period that covers a moment counts, and outside all of them none come."`
	Bursts []Burst    `json:"bursts,omitempty" doc:"Many at a time."`
	People []People   `json:"people,omitempty" doc:"People who wait for their own results, and submit no other job before: a design that makes them wait is asked for less. Beside hours and bursts; not with recorded jobs."`
}

// People are so many people who submit a job each, wait until it and all that follow it are
// over, think, and submit the next.
type People struct {
	Count int           `json:"count" doc:"How many people."`
	Think Times         `json:"think" doc:"Time from having a result to submitting the next job; of those in when, time outside it does not count."`
	When  *units.Period `json:"when,omitempty" doc:"Part of the week in which they think and submit, as in Mon-Fri 09:00-17:00; absent: always."`
	Zone  units.Zone    `json:"zone,omitzero" doc:"Time zone of when; absent: that of the arrivals, or the workload's."`
}

// Any reports whether any jobs come.
func (a *Arrivals) Any() bool { return len(a.Hours) > 0 || len(a.Bursts) > 0 || len(a.People) > 0 }

// HourRate is a rate of arrivals in a part of the week.
type HourRate struct {
	When    units.Period `json:"when" doc:"Part of the week, as in Mon-Fri 07:00-19:00."`
	PerHour float64      `json:"perHour" doc:"Jobs an hour, on average (Poisson)."`
}

// A Burst is many jobs at a moment of the week.
type Burst struct {
	When  units.Moment   `json:"when" doc:"Moment of the week, as in Mon-Sun 02:00."`
	Count int            `json:"count" doc:"Jobs in the burst."`
	Over  units.Duration `json:"over,omitempty" doc:"Time over which they come, evenly at random; absent: all at once."`
}

// RecordedColumns are the columns that recorded jobs may have.
func RecordedColumns() []string {
	return []string{
		"id", "submitted", "class", "project", "wants", "branch", "after", "work",
		"cores", "memory", "disk", "started", "ended", "result", "pod", "cache", "phases",
	}
}
