package wire

import (
	"time"

	"tachyphor/core/drift"
)

// Follow asks that every day of the live records is held against a scenario.
type Follow struct {
	From    string `json:"from,omitempty" maxLength:"20" doc:"The first day, in the workload's time zone, at most 400 days back; absent: yesterday, or as it is followed already."`
	Project string `json:"project,omitempty" maxLength:"255" doc:"Only jobs of this project."`
	Tell    string `json:"tell,omitempty" maxLength:"2000" doc:"Address that a CloudEvent is sent to when something drifts and when it is back; the service must be allowed to tell it."`
}

// Followed is a scenario that is followed, and how it stands.
type Followed struct {
	Follow
	Scenario string       `json:"scenario" doc:"Name of the scenario."`
	By       string       `json:"by" doc:"Who asked for it."`
	At       time.Time    `json:"at" doc:"When."`
	Trouble  string       `json:"trouble,omitempty" doc:"Why no more days can be looked at."`
	Standing drift.Course `json:"standing" doc:"How it stands after the days so far."`
	Says     string       `json:"says" doc:"The same in words."`
}

// AllFollowed are the scenarios that are followed.
type AllFollowed struct {
	Items   []Followed `json:"items" doc:"By name."`
	Waiting int64      `json:"waiting" doc:"Events that have not arrived where they are told to."`
	Failure string     `json:"failure,omitempty" doc:"Why the oldest of them has not."`
}

// FollowedDays is a followed scenario, day by day.
type FollowedDays struct {
	Followed
	Days []drift.HeldDay `json:"days" doc:"Every day that was looked at, the oldest first."`
}

// Told is what an event carries that something drifted, or is back.
type Told struct {
	Scenario string        `json:"scenario"`
	Says     string        `json:"says"`
	Drifted  drift.Drifted `json:"drifted"`
}
