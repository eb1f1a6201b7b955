package wire

import (
	"time"

	"tachyphor/core/backtest"
)

// AskBacktest asks whether a scenario's simulation came true.
type AskBacktest struct {
	Scenario  string               `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
	Log       string               `json:"log,omitempty" pattern:"^([0-9a-f]{64})?$" doc:"Digest of a stored job log in our own columns, with started; absent: the workload's own recorded jobs, or the live records."`
	Live      bool                 `json:"live,omitempty" doc:"Hold it against the live records."`
	From      time.Time            `json:"from,omitzero" doc:"With live: jobs that asked before are left out."`
	Until     time.Time            `json:"until,omitzero" doc:"With live: jobs that asked from here on are left out."`
	Project   string               `json:"project,omitempty" maxLength:"255" doc:"With live: only jobs of this project."`
	ScoreFrom time.Time            `json:"scoreFrom,omitzero" doc:"Only jobs that came from here on are scored; absent: from when the facts were measured."`
	AsStored  bool                 `json:"asStored,omitempty" doc:"Each job under the revision of the scenario that was stored when it came; absent: all under the newest."`
	Quick     bool                 `json:"quick,omitempty" doc:"Do not look for the fact that would explain most."`
	Seen      []backtest.CountSeen `json:"seen,omitempty" maxItems:"20000" doc:"Agents and nodes over time, as recorded."`
	Paid      float64              `json:"paid,omitempty" minimum:"0" maximum:"1e12" doc:"What was paid for the log's whole time, in the scenario's currency."`
}

// Backtested is what a backtest was asked, with all that it rests on.
type Backtested struct {
	Log       string               `json:"log"` // digest
	ScoreFrom time.Time            `json:"scoreFrom,omitzero"`
	Live      bool                 `json:"live,omitempty"`
	Quick     bool                 `json:"quick,omitempty"`
	Seen      []backtest.CountSeen `json:"seen,omitempty"`
	Paid      float64              `json:"paid,omitempty"`
	Designs   []DesignInForce      `json:"designs"`
}

// A DesignInForce is a scenario's revision with what it names.
type DesignInForce struct {
	From      time.Time `json:"from,omitzero"`
	Revision  int       `json:"revision"`
	Documents []Ref     `json:"documents"`
}

// BacktestBrief is what is told in brief of a backtest.
type BacktestBrief struct {
	Agrees bool    `json:"agrees" doc:"It came true, as far as chance goes."`
	Says   string  `json:"says" doc:"The same in words."`
	Jobs   int     `json:"jobs" doc:"Jobs that were scored."`
	Skill  float64 `json:"skill" doc:"By how much nearer it is than the better of two forecasts that know nothing of the design: 1 is perfect, 0 as near."`
	Fact   string  `json:"fact,omitempty" doc:"The one fact whose change would explain most."`
	Would  string  `json:"would,omitempty" doc:"The value that would."`
	Live   bool    `json:"live,omitempty" doc:"Against the live records."`
}

// KeptBacktest is a backtest with its answer.
type KeptBacktest struct {
	WorkBrief
	Result *backtest.Backtest `json:"result,omitempty" doc:"The answer, once it is done."`
}
