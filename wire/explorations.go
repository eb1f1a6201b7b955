package wire

import (
	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/explore"
)

// Explore asks for variants of a scenario: of a stored Sweep, or of a scenario whose knobs are its
// own; one of the two.
type Explore struct {
	Sweep    string   `json:"sweep,omitempty" maxLength:"63" doc:"Name of a stored Sweep."`
	Scenario string   `json:"scenario,omitempty" maxLength:"63" doc:"Name of a scenario: its own numbers are varied."`
	Aims     []string `json:"aims,omitempty" maxItems:"20" doc:"What a variant must keep, beside what the Sweep says, as in 95 % of all jobs start within 60s."`
	Across   []string `json:"across,omitempty" maxItems:"12" doc:"Names of workloads that every variant must hold on, in place of what the Sweep says; absent: that, else the scenario's own."`
	Least    string   `json:"least,omitempty" enum:"bill,delay,lead,worth" doc:"What is to be as little as can be; absent: what the Sweep says, else bill."`
	Runs     int      `json:"runs,omitempty" minimum:"0" maximum:"1000000" doc:"Most runs of one repeat of one variant; absent: what the Sweep says, else 2000."`

	On *OnCluster `json:"on,omitempty" doc:"Cluster whose pods compute the runs; absent: the service does. The answer is the same bytes."`
}

// ExplorationBrief is what is told of an exploration in brief.
type ExplorationBrief struct {
	Sweep    string            `json:"sweep" doc:"Name of the Sweep, or what the question is called."`
	Own      bool              `json:"own,omitempty" doc:"The knobs are those of the scenario itself."`
	Aims     []string          `json:"aims" doc:"What a variant must keep."`
	Least    document.Least    `json:"least" doc:"What is to be as little as can be."`
	Runs     int               `json:"runs" doc:"Most runs."`
	Sentence string            `json:"sentence,omitempty" doc:"The answer in a sentence, once it is done."`
	Today    aim.Verdict       `json:"today,omitempty" doc:"What is said of the scenario as it is, once it is done."`
	On       *OnCluster        `json:"on,omitempty" doc:"Cluster whose pods compute it; absent: the service does."`
	Pods     string            `json:"pods,omitempty" doc:"What pods computed of it, once it is done."`
	Standing *explore.Standing `json:"standing,omitempty" doc:"How it stands, while it is looked for; absent in lists."`
}

// ExploreGist is what lists show of an exploration that is done.
type ExploreGist struct {
	Sentence string      `json:"sentence"`
	Today    aim.Verdict `json:"today"`
	Pods     string      `json:"pods,omitempty"`
}

// KeptExploration is an exploration with its answer.
type KeptExploration struct {
	WorkBrief
	Result *explore.Answer `json:"result,omitempty" doc:"The answer, once it is done."`
}

// A VariantOfItsOwn names a scenario that a variant is to be.
type VariantOfItsOwn struct {
	Name string `json:"name" minLength:"1" maxLength:"63" doc:"Name of the new scenario, which must not be there."`
}

// VariantChanges are what makes a variant of its scenario.
type VariantChanges struct {
	Change  string             `json:"change" doc:"Its settings in a line."`
	Changes []document.Changes `json:"changes" doc:"The edits, by document."`
	Diff    string             `json:"diff" doc:"What they change in the documents, as a unified diff."`
	Own     string             `json:"own" doc:"The variant as a scenario of its own, with what else it changes: a stream of documents in YAML."`
}
