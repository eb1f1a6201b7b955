package wire

import (
	"time"

	"tachyphor/core/live"
	"tachyphor/core/outcome"
)

// EventsTaken says what a request with events came to; all it carried is stored.
type EventsTaken struct {
	Counted int `json:"counted" doc:"Messages on runs that were new."`
	Known   int `json:"known" doc:"Messages that had been taken before, and change nothing."`
	Other   int `json:"other" doc:"Events that are not of runs; nothing is made of them."`
}

// Live is how much is known of jobs that happened, and what came in since the service's start.
type Live struct {
	Runs     int64      `json:"runs" doc:"Runs that are kept, pipelines among them."`
	Open     int64      `json:"open" doc:"Of these, without an end that was told."`
	Queue    live.Queue `json:"queue" doc:"Jobs that wait and run, now and over the last hours."`
	From     *time.Time `json:"from,omitempty" doc:"When the first came."`
	To       *time.Time `json:"to,omitempty" doc:"When the last did."`
	Messages int64      `json:"messages" doc:"Messages that are remembered, so that they are not counted again."`
	Heard    *time.Time `json:"heard,omitempty" doc:"When the last message was taken in."`
	Counted  int64      `json:"counted" doc:"Messages counted since the service's start."`
	Known    int64      `json:"known" doc:"Messages since then that had been taken before."`
	Other    int64      `json:"other" doc:"Events since then that are not of runs."`
	Turned   int64      `json:"turned" doc:"Messages since then that were refused because there was no room, to be sent again."`
	Days     int        `json:"days" doc:"Runs are kept for this many days."`
	Most     int64      `json:"most" doc:"So many are kept at most; the oldest go."`
}

// LiveJob is a job that happened, or happens.
type LiveJob struct {
	live.Row
	Source   string     `json:"source" doc:"Where its id means something."`
	State    live.State `json:"state" enum:"waiting,running,ended,silent" doc:"Where it is; silent: no end was told for a day, and it counts as over."`
	WaitedNs *int64     `json:"waitedNs,omitempty" doc:"How long it waited, or waits by now; absent: not known."`
	TookNs   *int64     `json:"tookNs,omitempty" doc:"How long it took from its start, by now if it runs; absent: not known."`
}

// LiveJobs are the newest jobs.
type LiveJobs struct {
	Items []LiveJob `json:"items" doc:"The newest first."`
}

// Usual is what is usual in a scenario, and where in it the week stands now.
type Usual struct {
	outcome.UsualWeek
	Hour int `json:"hour" minimum:"0" maximum:"167" doc:"The hour of the week that it is now, from Monday 00:00 in the zone."`
}

// Cut asks for a workload from what happened.
type Cut struct {
	Into    string    `json:"into,omitempty" maxLength:"63" doc:"Store the workload under this name; absent: nothing is stored."`
	From    time.Time `json:"from,omitzero" doc:"Jobs that asked before are left out."`
	Until   time.Time `json:"until,omitzero" doc:"Jobs that asked from here on are left out."`
	Project string    `json:"project,omitempty" maxLength:"255" doc:"Only jobs of this project."`
	Zone    string    `json:"zone,omitempty" maxLength:"63" doc:"Time zone of the week; absent: UTC."`
}

// Forgotten counts what was dropped.
type Forgotten struct {
	Runs int64 `json:"runs" doc:"Runs that went."`
}
