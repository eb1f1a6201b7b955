package outcome

import (
	"fmt"
	"strings"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Beside is what the first repeat would have been otherwise: the same jobs and draws in another world.
type Beside struct {
	What        string                 `json:"what" enum:"without-events,nodes-left,mirror-inside,controller-outside" doc:"controller-outside: with the controller outside the cluster; mirror-inside: with what jobs fetch over a link at hand inside the cluster; without-events: without the trouble that comes over many at once; nodes-left: with nodes left until they are empty."`
	MeanDelayNs float64                `json:"meanDelayNs" doc:"Mean start delay otherwise."`
	MoreHours   float64                `json:"moreHours" doc:"Job-hours of start delay more as it is; below 0 where it is less."`
	MoreWrong   int                    `json:"moreWrong" doc:"Jobs more that went wrong for good as it is."`
	MoreLost    int                    `json:"moreLost" doc:"Attempts more that were cut short as it is."`
	CostNano    units.Sum[units.Money] `json:"costNano" doc:"How much more the bill of the repeat is as it is; below 0 when it is less."`
	Says        string                 `json:"says" doc:"That in words."`
}

// An otherwise is a world that the first repeat of another is run in too, and how that is told.
type otherwise struct {
	what, begins string
	world        *world.World
}

// otherwises are the worlds beside one that its outcome tells of.
func otherwises(t *sim.Trace) (out []otherwise) {
	w := t.World
	if len(t.Records) > mostJobsTried {
		return nil
	}
	if len(w.Events) > 0 {
		out = append(out, otherwise{"without-events", "Without the events", w.Quiet()})
	}
	if w.Growth.DrainBelow > 0 {
		out = append(out, otherwise{
			"nodes-left", fmt.Sprintf("%s emptied, %s opened again. With nodes left until they are empty",
				several(int(t.Emptied), "node was", "nodes were"), units.Count(t.Reopened)), w.Undrained(),
		})
	}
	if w.Host != nil && len(w.Events) == 0 {
		out = append(out, otherwise{"controller-outside", "With the controller outside the cluster", w.Elsewhere()})
	}
	return append(out, mirrors(w)...)
}

// besideOf compares a repeat with what it would have been otherwise.
func besideOf(x otherwise, is, other Sample, currency string) Beside {
	a, b := &is.Groups[0], &other.Groups[0]
	more := compareOne("", other, is)
	out := Beside{
		What: x.what, MeanDelayNs: b.Delay.Mean, MoreHours: -more.MetHours, CostNano: more.CostNano,
		MoreWrong: a.Jobs - a.Results[sim.Succeeded] - b.Jobs + b.Results[sim.Succeeded], MoreLost: a.Lost - b.Lost,
	}
	out.Says = fmt.Sprintf("%s, the same jobs and draws have a mean start delay of %s instead of %s. As it is there are %s job-hours "+
		"of waiting, %s attempts cut short, %s jobs wrong for good, and %s.", x.begins,
		units.Duration(b.Delay.Mean).Short(), units.Duration(a.Delay.Mean).Short(), withSign(out.MoreHours, 1), withSign(float64(out.MoreLost), 0),
		withSign(float64(out.MoreWrong), 0), Signed(out.CostNano, currency))
	return out
}

// withSign writes a difference.
func withSign(x float64, digits int) string {
	return strings.Replace(fmt.Sprintf("%+.*f", digits, x), "-", "−", 1)
}
