package outcome

import (
	"tachyphor/core/aim"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Count counts what one run says of aims. Only jobs submitted within the window are given to it.
type Count struct {
	aims    []aim.Aim
	class   []int // by aim, whose jobs: −1 all, −2 of a class that the world does not have
	end     units.Duration
	tallies []aim.Tally
}

// CountOf begins to count what a run of a world says of aims.
func CountOf(aims []aim.Aim, w *world.World) Count {
	c := Count{aims: aims, class: make([]int, len(aims)), end: w.Plan.Span, tallies: make([]aim.Tally, len(aims))}
	for i, a := range aims {
		switch c.class[i] = w.ClassNamed(a.Class); {
		case a.Class == "":
			c.class[i] = -1
		case c.class[i] < 0:
			c.class[i] = -2
		}
	}
	return c
}

// Add counts a job.
func (c *Count) Add(t *sim.Trace, j int) {
	for i := range c.aims {
		if c.class[i] == -1 || c.class[i] == int(t.Jobs.List[j].Class) {
			count(&c.tallies[i], c.aims[i], &t.Records[j], t.From(j), c.end)
		}
	}
}

// Tallies is what was counted, by aim; bill is what a month costs, in the cluster's currency.
func (c *Count) Tallies(bill float64) []aim.Tally {
	for i, a := range c.aims {
		if a.Kind == aim.Bill {
			c.tallies[i] = aim.Tally{N: 1, X: bill}
		}
	}
	return c.tallies
}

// count adds a job to what a run says of an aim. A job that is not over at the end of the run
// counts as late once it has waited longer than the aim allows, and not at all before; one that
// never came to its turn because another failed is not counted among times.
func count(to *aim.Tally, a aim.Aim, r *sim.Record, from, end units.Duration) {
	var took units.Duration
	over := false
	switch {
	case a.Kind == aim.Fails:
		to.N++
		if wentWrong(r.Result, a.Cause) {
			to.X++
		}
		return
	case a.Kind == aim.Bill || r.Result == sim.Dropped:
		return
	case a.Moment == aim.End && r.Ended >= 0 && r.Started >= 0:
		took, over = r.Ended-from, true
	case a.Moment == aim.Start && r.Started >= 0:
		took, over = r.Started-from, true
	default:
		took = end - from // at least
	}
	switch a.Kind {
	case aim.Mean:
		if over {
			to.N, to.X = to.N+1, to.X+float64(took)
		}
	case aim.Never:
		to.N++
		if took > a.Within {
			to.X++
		}
	default:
		switch {
		case over && took <= a.Within:
			to.N, to.X = to.N+1, to.X+1
		case over, took > a.Within, r.Result.Never():
			to.N++
		}
	}
}

// wentWrong reports whether a job went wrong for a cause.
func wentWrong(r sim.Result, cause aim.Cause) bool {
	switch cause {
	case aim.Memory:
		return r == sim.OutOfMemory || r == sim.Evicted
	case aim.Disk:
		return r == sim.OutOfDisk
	case aim.Time:
		return r == sim.TimedOut
	}
	return r != sim.Succeeded && r != sim.Unfinished
}
