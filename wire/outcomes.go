package wire

import (
	"time"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
)

// A Gist is what lists show of an outcome.
type Gist struct {
	Headline     string   `json:"headline"`
	P95DelayNs   *float64 `json:"p95DelayNs,omitempty"`
	MeanDelayNs  float64  `json:"meanDelayNs"`
	CostPerMonth float64  `json:"costPerMonth"`
	Currency     string   `json:"currency"`
	RibbonNs     []int64  `json:"ribbonNs"`
	Jobs         float64  `json:"jobs"`
	Unmatched    int      `json:"unmatched"`
	Wrong        float64  `json:"wrong" doc:"Jobs that went wrong for good, in a repeat."`
	Started      float64  `json:"started" doc:"Jobs that started, in a repeat; delays are of these."`
	// Aims and Judged say how the scenario stands with its aims, where it has any.
	Aims   aim.Verdict `json:"aims,omitempty" enum:"kept,missed,not decided" doc:"The gravest verdict on the scenario's aims; absent: it has none."`
	Judged string      `json:"judged,omitempty" doc:"How it stands with them, in a sentence or two."`
}

// A WeighGist is what lists show of a weighing.
type WeighGist struct {
	Headline string `json:"headline"`
	Best     string `json:"best"`
}

// JobPage is a page of an outcome's jobs.
type JobPage struct {
	Items []outcome.JobRow `json:"items" doc:"Jobs of the first repeat, in the order of their submission."`
	Jobs  int              `json:"jobs" doc:"How many there are in all."`
	Next  int              `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// KeptOutcome is an outcome with its result.
type KeptOutcome struct {
	WorkBrief
	Result *outcome.Outcome `json:"result,omitempty" doc:"The result, once it is done."`
}

// ComparedOutcomes holds outcomes beside each other, with what pictures need.
type ComparedOutcomes struct {
	outcome.Comparison
	Outcomes []Compared `json:"outcomes" doc:"The outcomes, in order."`
}

// Compared is one outcome of a comparison.
type Compared struct {
	WorkBrief
	Groups []outcome.Group `json:"groups" doc:"How its jobs fared."`
}

// SimulationBrief is what is told of a simulation in brief.
type SimulationBrief struct {
	Digest  string `json:"digest,omitempty" doc:"sha256 of the result."`
	Inputs  Inputs `json:"inputs" doc:"Exactly what it was computed from."`
	Summary *Gist  `json:"summary,omitempty" doc:"Main figures, once it is done."`
}

// A Run says how a scenario is simulated.
type Run struct {
	Seed    *uint64            `json:"seed,omitempty" doc:"Another seed than the scenario's."`
	Repeats *int               `json:"repeats,omitempty" minimum:"1" maximum:"1000" doc:"Another number of repeats."`
	Changes []document.Changes `json:"changes,omitempty" maxItems:"100" doc:"Changes to make first in documents that the scenario uses; what is stored stays as it is."`
}

// WhyNumber says of a number of an outcome what it is, how it is made, how sure it is, and what went in.
type WhyNumber struct {
	outcome.Why
	Documents []WhyDocument `json:"documents" doc:"The documents that went in, the scenario first."`
	Other     []Ref         `json:"other,omitempty" doc:"With against: documents of the other outcome that did not go into this one, at their revisions."`
	Changed   bool          `json:"changed,omitempty" doc:"Changes were made in them first, as of a variant."`
	Recording string        `json:"recording,omitempty" doc:"Digest of the recorded jobs."`
	Facts     int           `json:"facts" doc:"Facts of the cluster that figures may hang on."`
	Measured  int           `json:"measured" doc:"Of these, those that are measured and not old."`
	Seed      uint64        `json:"seed" doc:"Seed of every draw."`
	Engine    int           `json:"engine" doc:"Version of the engine that computed it."`
}

// WhyDocument is a document that went into an outcome.
type WhyDocument struct {
	Ref
	Stored time.Time `json:"stored,omitzero" doc:"When that revision was stored."`
	Newest int       `json:"newest" doc:"Its newest revision now."`
}
