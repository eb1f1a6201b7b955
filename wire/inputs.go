package wire

import (
	"tachyphor/core/document"
	"tachyphor/core/pulls"
	"tachyphor/core/weigh"
)

// Inputs name exactly what an outcome was computed from, so that it can be
// computed again after everything has gone on.
type Inputs struct {
	Documents []Ref  `json:"documents"`
	Recording string `json:"recording,omitempty"` // digest
	// Changed run settings; nil where the scenario's own hold.
	Seed    *uint64 `json:"seed,omitempty"`
	Repeats *int    `json:"repeats,omitempty"`
	// Changes are made in the documents before they are used.
	Changes []document.Changes `json:"changes,omitempty"`
	// Weigh is what a weighing was asked; nil for a simulation.
	Weigh *weigh.Ask `json:"weigh,omitempty"`
	// Explore is what an exploration was asked; nil for other work.
	Explore *Explored `json:"explore,omitempty"`
	// Keep is what must be kept, of a margin.
	Keep []string `json:"keep,omitempty"`
	// Backtest is what is held against what happened; nil for other work.
	Backtest *Backtested `json:"backtest,omitempty"`
	// Forecast is what a week is looked ahead to with; nil for other work.
	Forecast *Forecasting `json:"forecast,omitempty"`
	// Lighter are the images of other sizes that pulls are told of.
	Lighter []pulls.Lighter `json:"lighter,omitempty"`
	// Outcome is the outcome that is doubted, or whose pulls are told; 0: none, the scenario is meant.
	Outcome uint64 `json:"outcome,omitempty"`
}

// Explored is what an exploration was asked, with all that the sweep says.
type Explored struct {
	Sweep string             `json:"sweep"` // name of the Sweep, or what it is called
	Own   bool               `json:"own"`   // the knobs are those of the scenario itself
	Spec  document.SweepSpec `json:"spec"`
	// Across are the workloads that every variant is run with; none: the scenario's own.
	Across []PinnedDemand `json:"across,omitempty"`
	// On is the cluster that it is computed on; nil: the service computes it.
	On *OnCluster `json:"on,omitempty"`
	// By numbers the way in which answers are found: what was asked of another may have another.
	By string `json:"by"`
}

// A PinnedDemand is a revision of a workload and its recorded jobs.
type PinnedDemand struct {
	Ref
	Recording string `json:"recording,omitempty"` // digest
}

// A Ref names one revision of a document.
type Ref struct {
	Kind     string `json:"kind"`
	Name     string `json:"name"`
	Revision int    `json:"revision"`
}
