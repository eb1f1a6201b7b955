package wire

import "tachyphor/core/pulls"

// PullsBrief is what is told in brief of what images cost a design.
type PullsBrief struct {
	Outcome uint64 `json:"outcome,omitempty" doc:"The outcome that it is told of; absent: the scenario as it was then."`
}

// KeptPulls is what images cost a design, and what would be spared.
type KeptPulls struct {
	WorkBrief
	Result *pulls.Costs `json:"result,omitempty" doc:"The result, once it is done."`
}
