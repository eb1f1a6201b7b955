// Package learn derives documents from the records that people have: a workload from a job
// log. Whatever it takes a record to mean is told as a Guess, with the reason and how to say
// otherwise.
package learn

import "fmt"

// A Guess is something that was taken for granted of a record.
type Guess struct {
	What string `json:"what" doc:"What was to be known: encoding, delimiter, a column's role."`
	Is   string `json:"is" doc:"What it was taken to be."`
	Why  string `json:"why" doc:"Why."`
	Flag string `json:"flag,omitempty" doc:"Flag that says otherwise."`
}

// A Count is how many rows something was said of.
type Count struct {
	What string `json:"what" doc:"What was found of them."`
	Rows int    `json:"rows" doc:"How many."`
	Says string `json:"says" doc:"What it means for the workload."`
}

// A Contradiction is a record that says two things that cannot both be; nothing is made of
// it before somebody says which holds.
type Contradiction struct {
	Says string
	Do   string // the flags that settle it
}

func (c Contradiction) Error() string { return fmt.Sprintf("%s; %s", c.Says, c.Do) }
