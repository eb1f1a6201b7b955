package wire

import "tachyphor/core/explore"

// MarginBrief is what is told in brief of how far a scenario bears what may grow.
type MarginBrief struct {
	Aims     []string `json:"aims" doc:"What must be kept."`
	Sentence string   `json:"sentence,omitempty" doc:"The answer in a sentence, once it is done."`
}

// MarginGist is what lists show of a margin that is done.
type MarginGist struct {
	Sentence string `json:"sentence"`
}

// KeptMargin is how far a scenario bears what may grow, with each of it.
type KeptMargin struct {
	WorkBrief
	Result *explore.Margins `json:"result,omitempty" doc:"The answer, once it is done."`
}
