package sizing

import (
	"tachyphor/core/table"
)

// Taken says what taking in usage came to.
type Taken struct {
	Samples  int            `json:"samples" doc:"Samples that were read."`
	Runs     int            `json:"runs" doc:"Runs they make."`
	New      int            `json:"new" doc:"Runs that were not known."`
	Replaced int            `json:"replaced" doc:"Runs that were known from fewer samples or without their job, and are told better now."`
	Known    int            `json:"known" doc:"Runs that were known as well; they were left out."`
	Dropped  int            `json:"dropped" doc:"Oldest runs that had to be deleted, as no more are kept."`
	Short    int            `json:"short" doc:"Containers with fewer than two samples; they are no runs."`
	Others   int            `json:"others" doc:"Containers that are not the agent's; they were left out."`
	Bad      int            `json:"bad" doc:"Rows that were refused."`
	BadRows  []table.BadRow `json:"badRows" doc:"The first of them."`
	Matched  *Matched       `json:"matched,omitempty" doc:"What matching with the job log came to."`
	Oddities Oddities       `json:"oddities" doc:"What was wrong with samples and worked around."`
}
