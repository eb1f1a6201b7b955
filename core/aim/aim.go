// Package aim is what a design must keep, in words: "95 % of hull-firmware start within 60s",
// "bill at most 2500 a month". An aim is read with its faults placed, counted in each run, and
// judged over runs: kept, missed, or not decided.
package aim

import (
	"fmt"
	"strconv"
	"strings"

	"tachyphor/core/units"
)

// Kind is what an aim bounds.
type Kind int

// The kinds of aims.
const (
	Share Kind = iota // a share of jobs start or end within a time
	Mean              // the mean start delay or lead time is at most a time
	Bill              // a month's bill is at most an amount
	Never             // no job waits longer than a time
	Fails             // no job goes wrong for a cause, or for any
)

// String names what is bounded, in a word.
func (k Kind) String() string {
	return [...]string{Share: "share", Mean: "mean", Bill: "bill", Never: "never", Fails: "fails"}[k]
}

// Moment is what of a job is timed.
type Moment int

// What is timed.
const (
	Start Moment = iota // from submission to the job's own first step: start delay
	End                 // from submission to the job's end: lead time
)

// Cause is why jobs go wrong.
type Cause string

// The causes that an aim can name; the empty one is any.
const (
	AnyCause Cause = ""
	Memory   Cause = "memory"
	Disk     Cause = "disk"
	Time     Cause = "time"
)

// An Aim is what a design must keep.
type Aim struct {
	Kind   Kind
	Class  string  // whose jobs; empty: all
	Share  float64 // of Share, above 0 and below 1
	Moment Moment  // of Share and Mean
	Within units.Duration
	Money  float64 // of Bill: a month, in the cluster's currency
	Yearly bool    // of Bill: it was told of a year, twelve months
	Cause  Cause   // of Fails
}

// String writes the aim in the words that Parse reads.
func (a Aim) String() string {
	whose := "all jobs"
	if a.Class != "" {
		whose = a.Class
	}
	switch a.Kind {
	case Share:
		verb := "start"
		if a.Moment == End {
			verb = "end"
		}
		return fmt.Sprintf("%s %% of %s %s within %s", number(100*a.Share), whose, verb, a.Within)
	case Mean:
		what := "start delay"
		if a.Moment == End {
			what = "lead time"
		}
		if a.Class != "" {
			what += " of " + a.Class
		}
		return fmt.Sprintf("mean %s at most %s", what, a.Within)
	case Bill:
		if a.Yearly {
			return fmt.Sprintf("bill at most %s a year", number(12*a.Money))
		}
		return fmt.Sprintf("bill at most %s a month", number(a.Money))
	case Never:
		if a.Class != "" {
			return fmt.Sprintf("no job of %s waits over %s", a.Class, a.Within)
		}
		return fmt.Sprintf("nobody waits over %s", a.Within)
	}
	says := "no job"
	if a.Class != "" {
		says += " of " + a.Class
	}
	says += " fails"
	if a.Cause != AnyCause {
		says += " for " + string(a.Cause)
	}
	return says
}

// number writes a number in as few digits as say it, to the fourth behind the point.
func number(x float64) string {
	s := strconv.FormatFloat(x, 'f', 4, 64)
	return strings.TrimRight(strings.TrimRight(s, "0"), ".")
}
