package document

import (
	"fmt"
	"strconv"

	"tachyphor/core/units"
)

// Away is time during which a template is out of service: for maintenance, or because something is
// wrong with it.
type Away struct {
	When   units.Period  `json:"when,omitzero" doc:"Part of the week, as in Sun 02:00-06:00; or once, by from and to."`
	Zone   units.Zone    `json:"zone,omitzero" doc:"Time zone of when; absent: the workload's."`
	From   units.Instant `json:"from,omitzero" doc:"Of once: when it begins, RFC 3339."`
	To     units.Instant `json:"to,omitzero" doc:"When it ends."`
	Reason string        `json:"reason,omitempty" doc:"Why, for who waits."`
}

const (
	maxAway   = 50
	maxReason = 200
)

// away checks when a template is out of service.
func (c checker) away(path string, list []Away) {
	if len(list) > maxAway {
		c.at(path, fmt.Sprint(len(list), " entries"), fmt.Sprintf("expected at most %d", maxAway))
		return
	}
	for i := range list {
		c.whenAway(fmt.Sprintf("%s[%d]", path, i), &list[i])
	}
}

// whenAway checks one time and its reason.
func (c checker) whenAway(at string, x *Away) {
	weekly, once := x.When != (units.Period{}), !x.From.IsZero() || !x.To.IsZero()
	switch {
	case weekly == once:
		c.at(at, "when, from and to", "give either when, as in Sun 02:00-06:00, or from and to")
	case once && !x.From.Before(x.To.Time):
		c.at(at+".to", strconv.Quote(x.To.String()), "expected a moment after from; both must be given")
	}
	if len(x.Reason) > maxReason {
		c.at(at+".reason", fmt.Sprint(len(x.Reason), " characters"), fmt.Sprintf("expected at most %d", maxReason))
	}
}
