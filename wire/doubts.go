package wire

import "tachyphor/core/doubt"

// DoubtBrief is what is told in brief of what an outcome hangs on.
type DoubtBrief struct {
	Outcome uint64 `json:"outcome,omitempty" doc:"The outcome that is doubted; absent: the scenario as it was then."`
}

// KeptDoubt is what an outcome hangs on, with each fact that was tried.
type KeptDoubt struct {
	WorkBrief
	Result *doubt.Doubts `json:"result,omitempty" doc:"The result, once it is done."`
}
