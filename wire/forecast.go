package wire

import (
	"time"

	"tachyphor/core/forecast"
)

// AskForecast asks what to expect of a week.
type AskForecast struct {
	Scenario string `json:"scenario" minLength:"1" maxLength:"63" doc:"Name of the scenario."`
	Log      string `json:"log,omitempty" pattern:"^([0-9a-f]{64})?$" doc:"Digest of a stored job log in our own columns; absent: the workload's own recorded jobs, or the live records."`
	Live     bool   `json:"live,omitempty" doc:"Draw from the live records."`
	Project  string `json:"project,omitempty" maxLength:"255" doc:"With live: only jobs of this project."`
	Week     string `json:"week,omitempty" maxLength:"20" doc:"A day of the week that is looked ahead to, as in 2026-11-30; absent: with live this week until Wednesday, then the next, else the week after the last job. Of a week that is over, in part at least, it is said how far it came true."`
}

// Forecasting is what a forecast was asked.
type Forecasting struct {
	Log   string    `json:"log"`             // digest
	Week  time.Time `json:"week,omitzero"`   // a moment of that week
	Until time.Time `json:"until,omitzero"`  // the records are whole until then
	Live  bool      `json:"live,omitempty"`  // the log is of the live records
	First uint64    `json:"first,omitempty"` // the forecast whose documents these are, once its week is over
}

// ForecastBrief is what is told in brief of a forecast.
type ForecastBrief struct {
	Monday time.Time `json:"monday,omitzero" doc:"When the week begins."`
	Jobs   float64   `json:"jobs" doc:"Jobs that are expected, in the middle."`
	Bill   float64   `json:"bill" doc:"What the week costs, in the middle."`
	Says   string    `json:"says" doc:"What is most worth knowing of it."`
	Live   bool      `json:"live,omitempty" doc:"From the live records."`
	Came   bool      `json:"came,omitempty" doc:"It says how far it came true."`
}

// KeptForecast is a forecast with its answer.
type KeptForecast struct {
	WorkBrief
	Result *forecast.Forecast `json:"result,omitempty" doc:"The answer, once it is done."`
}
