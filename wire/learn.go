package wire

import (
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/learn"
)

// LearnedJobs is what was understood of a job log, and the workload that came of it.
type LearnedJobs struct {
	learn.LearnedJobs
	Refused string          `json:"refused,omitempty" doc:"Why no workload came of it, and what to say; what was understood up to there is told beside."`
	Roles   []learn.JobRole `json:"roles" doc:"What columns can say."`
	Stored  *Stored         `json:"stored,omitempty" doc:"What was stored, where that was asked for."`
}

// Demand is a workload as people look at it.
type Demand struct {
	Name     string `json:"name" doc:"Name of the workload."`
	Revision int    `json:"revision" doc:"Its newest revision."`
	Note     string `json:"note" doc:"The comment at the head of its document."`
	demand.Seen
}

// ClusterFacts is what a cluster says, fact by fact, and what is known of each.
type ClusterFacts struct {
	Name     string              `json:"name" doc:"Name of the cluster."`
	Revision int                 `json:"revision" doc:"Its newest revision."`
	Note     string              `json:"note" doc:"The comment at the head of its document."`
	Facts    []doubt.Fact        `json:"facts" doc:"Facts that delays and bills may hang on."`
	Measured []document.Measured `json:"measured" doc:"Where facts come from that were measured, these and others."`
}

// Begun is a first scenario put together, with what it needs.
type Begun struct {
	learn.Beginning
	Faults []document.Fault `json:"faults" doc:"What keeps it from being simulated."`
	Stored []Stored         `json:"stored" doc:"What was stored, where that was asked for."`
}
