package wire

import (
	"time"

	"tachyphor/core/sizing"
)

// Usage says what is known of how much the agents of a template used.
type Usage struct {
	Template string          `json:"template" doc:"Name of the template."`
	Runs     int             `json:"runs" doc:"Runs that are known."`
	Killed   int             `json:"killed" doc:"Runs that were ended for memory."`
	From     float64         `json:"from,omitempty" doc:"Beginning of the first, seconds since 1970."`
	To       float64         `json:"to,omitempty" doc:"End of the last, seconds since 1970."`
	Classes  []ClassOfUsage  `json:"classes" doc:"How many runs each class has; those whose class is not known under an empty name."`
	Intakes  []IntakeOfUsage `json:"intakes" doc:"The last times that usage was taken in, newest first."`
}

// ClassOfUsage counts the runs of a class.
type ClassOfUsage struct {
	Class string `json:"class" doc:"Name of the class; empty: not known."`
	Runs  int    `json:"runs" doc:"Runs."`
}

// IntakeOfUsage is one time that usage was taken in.
type IntakeOfUsage struct {
	At     time.Time     `json:"at" doc:"When."`
	By     string        `json:"by" doc:"Whose token sent it."`
	Source string        `json:"source" doc:"Where it came from."`
	Report *sizing.Taken `json:"report" doc:"What it came to."`
}
