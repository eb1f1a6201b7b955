package learn

import (
	"fmt"
	"slices"
	"time"

	"tachyphor/core/table"
)

// LearnedJobs is what came of a job log: a workload, and everything that was taken for
// granted on the way.
type LearnedJobs struct {
	Name     string         `json:"name" doc:"Name of the workload."`
	Guesses  []Guess        `json:"guesses" doc:"What was taken for granted."`
	Columns  []ColumnSeen   `json:"columns" doc:"What the columns say."`
	Rows     int            `json:"rows" doc:"Rows in the file, those included that are no jobs."`
	Jobs     int            `json:"jobs" doc:"Jobs of the workload."`
	From     time.Time      `json:"from" doc:"When the first came."`
	To       time.Time      `json:"to" doc:"When the last came."`
	Left     []Count        `json:"left" doc:"Rows that make no job."`
	Endings  []Count        `json:"endings" doc:"How jobs ended."`
	BadRows  []table.BadRow `json:"badRows" doc:"The first of the rows that cannot be read."`
	Classes  []ClassSeen    `json:"classes" doc:"Classes, the largest first."`
	Hours    []float64      `json:"hours" doc:"Jobs an hour, by hour of the week from Monday 00:00 in the zone."`
	Made     []float64      `json:"made" doc:"Jobs an hour that a made workload has, likewise."`
	Likes    *Likeness      `json:"likes,omitempty" doc:"How near a made workload's arrivals are to the log's."`
	Notes    []string       `json:"notes" doc:"What else to know."`
	Workload string         `json:"workload" doc:"The document."`
	Log      []byte         `json:"-"`
	File     string         `json:"file" doc:"Name of the file of jobs that the document names."`
}

// A ColumnSeen is a column of a job log and what it was taken for.
type ColumnSeen struct {
	Name    string   `json:"name" doc:"Its name in the file, or its number."`
	Role    string   `json:"role,omitempty" doc:"What it says of a job; absent: it is left out."`
	Why     string   `json:"why,omitempty" doc:"Why it was taken for that."`
	Form    string   `json:"form,omitempty" doc:"How its values are written."`
	Filled  float64  `json:"filled" doc:"Share of the rows that have a value, 0 to 1."`
	Samples []string `json:"samples" doc:"A few of its values."`
	Flag    string   `json:"flag,omitempty" doc:"Flag that says otherwise."`
}

// A ClassSeen is a job class as it is proposed.
type ClassSeen struct {
	Name    string   `json:"name" doc:"Name of the class."`
	Jobs    int      `json:"jobs" doc:"Jobs in the log."`
	Wants   []string `json:"wants" doc:"Words that most of its jobs want."`
	Folded  int      `json:"folded,omitempty" doc:"Kinds of jobs that were too few for a class each and are in this one."`
	Work    *Sampled `json:"work,omitempty" doc:"How long its jobs worked, in seconds."`
	Cold    *Sampled `json:"cold,omitempty" doc:"How much longer they worked where they found no workspace, in seconds."`
	Memory  *Sampled `json:"memory,omitempty" doc:"Their peaks of memory, in bytes."`
	Disk    *Sampled `json:"disk,omitempty" doc:"Their peaks of disk, in bytes."`
	Trunk   *float64 `json:"trunk,omitempty" doc:"Share that built the trunk, 0 to 1."`
	Follows string   `json:"follows,omitempty" doc:"The class that its jobs come after, and how many."`
	Bursts  []string `json:"bursts,omitempty" doc:"When many came together, again and again."`
	Burst   float64  `json:"burst,omitempty" doc:"Share of its jobs that came in bursts, 0 to 1."`
	PerWeek float64  `json:"perWeek" doc:"Jobs a week."`
	// By the jobs of an hour, which may vary more than if each came by itself.
	PerWeekLow  float64   `json:"perWeekLow" doc:"A week has more than this on average, at 99.9 %."`
	PerWeekHigh float64   `json:"perWeekHigh" doc:"A week has less than this on average."`
	Likes       *Likeness `json:"likes,omitempty" doc:"How near a made workload is to the log."`

	unsteady float64 // as Likeness has it
}

// columns tells what the columns were taken for.
func (out *LearnedJobs) columns(r *reading) {
	for at, c := range r.columns {
		seen := ColumnSeen{Name: c.name, Filled: c.filled, Samples: []string{}}
		for _, v := range c.values {
			if v = clip(v); !slices.Contains(seen.Samples, v) && len(seen.Samples) < 3 {
				seen.Samples = append(seen.Samples, v)
			}
		}
		for _, p := range r.picked {
			if p.at != at {
				continue
			}
			seen.Role, seen.Why, seen.Flag = p.role.String(), p.why, fmt.Sprintf("--column %s=NAME", p.role)
			switch p.role {
			case roleSubmitted, roleStarted, roleEnded:
				seen.Form = r.moment[p.role].says()
			case roleWork, roleWait:
				l := &r.length[p.role]
				if seen.Form = l.form.says(); l.form == lengthNumber {
					seen.Form = l.name
				}
			case roleMemory, roleDisk:
				seen.Form = r.size[p.role].name
			}
		}
		out.Columns = append(out.Columns, seen)
	}
}

// leftSays is what rows that make no job mean.
var leftSays = map[string]string{
	rowsBlank: "left out", rowsTotals: "left out", rowsHeader: "left out", rowsTwice: "each counts once",
	rowsBroken: "left out, told below", rowsUnread: "left out, told below", rowsBackwards: "left out, told below",
	rowsOutside: "left out, told below", rowsBefore: "left out", rowsBehind: "left out",
}

// endings tells how jobs ended, and what that means for the workload.
func (out *LearnedJobs) endings(t *taking, count map[Ending]int) {
	says := map[Ending]string{
		Unsaid: "taken as done", Done: "as recorded", Failed: "as recorded: an agent worked on them until they failed",
		Cut:      "they come as recorded; how long they would have worked is drawn from their class",
		Never:    "left out: they took no agent; say that their word means cut to count them",
		Underway: "they come as recorded; how long they work is drawn from their class",
	}
	for _, e := range []Ending{Done, Failed, Cut, Never, Underway, Unsaid} {
		if n := count[e]; n > 0 && (e != Unsaid || t.has(roleResult)) {
			what := e.String()
			if e == Unsaid {
				what = "not said"
			}
			out.Endings = append(out.Endings, Count{what, n, says[e]})
		}
	}
}
