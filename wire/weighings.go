package wire

import (
	"tachyphor/core/weigh"
)

// WeighingBrief is what is told of a weighing in brief.
type WeighingBrief struct {
	Revision int       `json:"revision" doc:"Revision of the scenario that was weighed."`
	Ask      weigh.Ask `json:"ask" doc:"What was asked."`
	Headline string    `json:"headline,omitempty" doc:"The answer in a sentence, once it is done."`
	Best     string    `json:"best,omitempty" doc:"Key of the plan to have, once it is done."`
}

// KeptWeighing is a weighing with its result.
type KeptWeighing struct {
	WorkBrief
	Result *weigh.Weighing `json:"result,omitempty" doc:"The result, once it is done."`
}
