package wire

import (
	"tachyphor/core/learn"
)

// LearnedJobs is what was understood of a job log, and the workload that came of it.
type LearnedJobs struct {
	learn.LearnedJobs
	Refused string          `json:"refused,omitempty" doc:"Why no workload came of it, and what to say; what was understood up to there is told beside."`
	Roles   []learn.JobRole `json:"roles" doc:"What columns can say."`
	Stored  *Stored         `json:"stored,omitempty" doc:"What was stored, where that was asked for."`
}
