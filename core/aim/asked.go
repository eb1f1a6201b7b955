package aim

import (
	"fmt"

	"tachyphor/core/units"
)

// Asked is an aim as it was asked, with what a picture needs to draw it.
type Asked struct {
	Says string `json:"says" doc:"The aim in words."`
	Kind string `json:"kind" enum:"share,mean,bill,never,fails" doc:"What it bounds."`
	// Axis is where it is a line in a picture of delay and bill, and At where on it.
	Axis string  `json:"axis,omitempty" enum:"delay,bill" doc:"The axis of a picture of the start delay's 95th percentile and the bill on which it is a line; absent: none."`
	At   float64 `json:"at,omitempty" doc:"Where on that axis: ns, or a month's bill."`
}

// picturedShare is the percentile that is drawn.
const picturedShare = 0.95

// Asked tells the aim as it was asked.
func (a Aim) Asked() Asked {
	out := Asked{Says: a.String(), Kind: a.Kind.String()}
	switch {
	case a.Kind == Bill:
		out.Axis, out.At = "bill", a.Money
	case a.Kind == Share && a.Class == "" && a.Moment == Start && a.Share == picturedShare:
		out.Axis, out.At = "delay", float64(a.Within)
	}
	return out
}

// Reads writes what runs say of the aim, with its interval.
func (a Asked) Reads(r Reading, currency string) string {
	if r.Nobody {
		return "no job came that it is about"
	}
	if r.On != "" {
		on := " with " + r.On
		r.On = ""
		return a.Reads(r, currency) + on
	}
	within := func(is, half string) string {
		if r.Runs < 2 {
			return is
		}
		return is + " ± " + half
	}
	switch a.Kind {
	case Share.String():
		return within(fmt.Sprintf("%.2f %%", 100*r.Is), fmt.Sprintf("%.2f", 100*r.Half))
	case Mean.String():
		return within(units.Duration(r.Is).Short(), units.Duration(r.Half).Short())
	case Bill.String():
		return within(units.Amount(r.Is).Short(currency), units.Amount(r.Half).Short(currency)) + " a month"
	}
	return fmt.Sprintf("%.3g jobs a run", r.Is)
}
