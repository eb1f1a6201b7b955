package explore

import (
	"tachyphor/core/aim"
	"tachyphor/core/sim"
	"tachyphor/core/units"
)

// count adds a job to what a run says of an aim. A job that is not over at the end of the run
// counts as late once it has waited longer than the aim allows, and not at all before; one that
// never came to its turn because another failed is not counted among times.
func count(to *aim.Tally, a aim.Aim, r *sim.Record, from, end units.Duration) {
	var took units.Duration
	over := false
	switch {
	case a.Kind == aim.Fails:
		to.N++
		if wrong(r.Result, a.Cause) {
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

// wrong reports whether a job went wrong for a cause.
func wrong(r sim.Result, cause aim.Cause) bool {
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
