package drift

import (
	"fmt"
	"math"

	"tachyphor/core/units"
)

// Says says what has drifted, in a sentence.
func (d *Drifted) Says() string {
	of := "jobs"
	if d.Of != "" {
		of = d.Of + " jobs"
	}
	share := fmt.Sprintf("%g %% of %s", d.P, of)
	if d.P == 50 {
		share = "half of " + of
	}
	days := "1 day"
	if d.Days > 1 {
		days = fmt.Sprintf("%d days", d.Days)
	}
	short := func(ns float64) string { return units.Duration(math.Round(ns)).Short() }
	return fmt.Sprintf("On %s since %s, %s started within %s (the mean of these days), where %s is predicted.",
		days, d.Since.Format("2 January"), share, short(d.Observed), short(d.Predicted))
}

// Says says how a scenario stands, in a sentence.
func (s *Course) Says() string {
	switch {
	case s.Drifted != nil:
		return s.Drifted.Says()
	case s.Days == 0 && s.Empty > 0:
		return fmt.Sprintf("%d days were looked at, and each had too few jobs with a known wait.", s.Empty)
	case s.Days == 0:
		return "No day was looked at yet; those that are over are within a minute."
	}
	return "As predicted, as far as chance goes."
}
