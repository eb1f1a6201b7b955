package outcome

import (
	"fmt"
	"math"
	"slices"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

const (
	// settlesIn is in how many repeats it is looked whether the warm-up is long enough.
	settlesIn = 8
	// unsettled is by how much of itself the early jobs' mean delay must change for it to
	// be too short.
	unsettled = 0.02
	// surely is by how many halves of its interval it must, or of how many repeats that
	// differ all to the same side: less often than once in thirty times does a run that has
	// settled look as if it had not.
	surely   = 2
	sameSide = 6
)

// earlyDelay is the mean start delay of the jobs that are submitted within a time from a
// moment on, ns; below 0 where none that came started.
func earlyDelay(t *sim.Trace, from, length units.Duration) float64 {
	var sum units.Sum[units.Duration]
	n := 0
	for j := range t.Records {
		at := t.Jobs.List[j].Submitted
		if at >= from+length {
			break
		}
		if at >= from && t.Records[j].Started >= 0 {
			sum.Add(t.Records[j].Started - t.From(j))
			n++
		}
	}
	if n == 0 {
		return -1
	}
	return sum.Over(n)
}

// settled says where the warm-up is too short for the load: the first repeats are run
// again, beginning earlier by as long as they warm up, and where the jobs that come early
// in the span then surely wait longer or shorter, they had not forgotten that the run
// began with nothing running. The difference is paired, as the jobs are the same.
func settled(w *world.World, samples []Sample, workers int, progress paired.Progress) (note string, err error) {
	early := w.Early()
	if early == 0 {
		return "", nil
	}
	earlier, err := w.Earlier()
	if err != nil {
		return "", err
	}
	study := paired.Study[float64]{
		Worlds: []*world.World{earlier}, Draws: paired.Draws(min(settlesIn, w.Plan.Repeats), 0), Workers: workers, Progress: progress.Ending(),
		Read: func(_, _ int, t *sim.Trace) (float64, error) { return earlyDelay(t, earlier.Plan.Warmup, early), nil },
	}
	read, err := study.Run()
	if err != nil {
		return "", err
	}
	after := read[0]
	before := make([]float64, len(after))
	for r := range before {
		before[r] = samples[r].early
	}
	for r := len(before) - 1; r >= 0; r-- { // of two runs of which one has no such jobs nothing can be said
		if before[r] < 0 || after[r] < 0 {
			before, after = slices.Delete(before, r, r+1), slices.Delete(after, r, r+1)
		}
	}
	if len(before) < 2 {
		return "", nil
	}
	was, is, d := stats.Of(before).Mean, stats.Of(after).Mean, stats.Paired(before, after)
	more, less := 0, 0
	for r := range before {
		if after[r] > before[r] {
			more++
		} else if after[r] < before[r] {
			less++
		}
	}
	sure := math.Abs(d.Mean) > surely*d.Half || min(more, less) == 0 && more+less >= sameSide
	if !sure || math.Abs(d.Mean) < unsettled*max(was, is) {
		return "", nil
	}
	what := fmt.Sprintf("The warm-up of %s is too short for the load", w.Plan.Warmup)
	if w.Plan.Warmup == 0 {
		what = "Without a warm-up the run begins with nothing running, and the load shows it"
	}
	return fmt.Sprintf("%s: begun %s earlier, jobs of the first %s wait %s on average, not %s. Try run.warmup: %s; where that "+
		"never ends, demand is more than the design can serve.",
		what, earlier.Plan.Warmup-w.Plan.Warmup, early, units.Duration(is).Short(), units.Duration(was).Short(), earlier.Plan.Warmup), nil
}
