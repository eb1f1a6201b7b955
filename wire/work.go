package wire

import "time"

// Kinds of work.
const (
	WorkSimulation  = "simulation"
	WorkWeighing    = "weighing"
	WorkDoubt       = "doubt"
	WorkExploration = "exploration"
	WorkMargin      = "margin"
	WorkPulls       = "pulls"
	WorkBacktest    = "backtest"
	WorkForecast    = "forecast"
	WorkPreflight   = "preflight"
	WorkRehearsal   = "rehearsal"
)

// WorkBrief is long work of any kind, in brief: what is told of all, and a part that only its
// kind has.
type WorkBrief struct {
	ID       uint64  `json:"id" doc:"Its number."`
	Kind     string  `json:"kind" enum:"simulation,weighing,doubt,exploration,margin,pulls,backtest,forecast,preflight,rehearsal" doc:"What is done."`
	About    string  `json:"about" doc:"Name of the scenario that is simulated, weighed, doubted or explored, of the template that is tried."`
	State    State   `json:"state" enum:"queued,running,done,failed,cancelled" doc:"How far it has come."`
	Progress float64 `json:"progress" doc:"Share done, 0 to 1."`
	Error    string  `json:"error,omitempty" doc:"Why it failed."`
	Defect   string  `json:"defect,omitempty" doc:"Of a defect of the engine: seed, repeat and stack, to be reported; absent in lists."`
	Asked    string  `json:"asked" format:"date-time" doc:"When it was asked for."`
	Seconds  float64 `json:"seconds,omitempty" doc:"How long it took."`
	By       string  `json:"by" doc:"Whose token asked."`

	Called  string     `json:"called,omitempty" doc:"Name that someone gave it, with which its result is kept."`
	Pinned  bool       `json:"pinned,omitempty" doc:"Its result is kept."`
	Trimmed *time.Time `json:"trimmed,omitempty" doc:"When its result went, as older than results are kept; what is told in brief stays."`

	Simulation  *SimulationBrief  `json:"simulation,omitempty" doc:"Of a simulation."`
	Weighing    *WeighingBrief    `json:"weighing,omitempty" doc:"Of a weighing."`
	Doubt       *DoubtBrief       `json:"doubt,omitempty" doc:"Of a doubt."`
	Exploration *ExplorationBrief `json:"exploration,omitempty" doc:"Of an exploration."`
	Margin      *MarginBrief      `json:"margin,omitempty" doc:"Of a margin."`
	Pulls       *PullsBrief       `json:"pulls,omitempty" doc:"Of what images cost."`
	Backtest    *BacktestBrief    `json:"backtest,omitempty" doc:"Of a backtest."`
	Forecast    *ForecastBrief    `json:"forecast,omitempty" doc:"Of a forecast."`
	Trial       *TrialBrief       `json:"trial,omitempty" doc:"Of a preflight or a rehearsal."`
}

// Page is a page of a list.
type Page[T any] struct {
	Items []T    `json:"items" doc:"Newest first."`
	Next  uint64 `json:"next,omitempty" doc:"Cursor of the next page; absent on the last."`
}

// Found is what a text finds.
type Found struct {
	Documents []FoundDocument `json:"documents" doc:"Those with the text in their names: first the one that is called so, then those that begin with it."`
	Work      []WorkBrief     `json:"work" doc:"With that number, or the text in its name or in that of what it is about; the newest first."`
}

// FoundDocument is a document that was found.
type FoundDocument struct {
	Kind     string `json:"kind" doc:"Of which kind."`
	Name     string `json:"name" doc:"What it is called."`
	Revision int    `json:"revision" doc:"Newest revision."`
}
