package explore

import (
	"sync/atomic"

	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// fresh is the first repeat of draws that take no part in choosing.
const fresh = 1_000_000

// A task is one run of one variant.
type task struct {
	v      variant
	repeat int
}

// runner runs variants, each run once, and keeps what was read.
type runner struct {
	q        *Question
	workers  int
	progress paired.Progress
	whole    int // runs that there may be, for the progress

	worlds map[string]*world.World
	faults map[string]string // of variants that are no world
	runs   map[string]map[int]Run
	done   atomic.Int64
}

func newRunner(q *Question, workers, whole int, progress paired.Progress) *runner {
	return &runner{
		q: q, workers: workers, progress: progress.Forward(), whole: whole, worlds: map[string]*world.World{}, faults: map[string]string{},
		runs: map[string]map[int]Run{},
	}
}

// world puts a variant's world together; false: it cannot be, and fault says why.
func (r *runner) world(v variant) (*world.World, bool) {
	key := v.key()
	if w, ok := r.worlds[key]; ok {
		return w, true
	}
	if _, ok := r.faults[key]; ok {
		return nil, false
	}
	w, err := r.q.changed(r.q.changes(v))
	if err != nil {
		r.faults[key] = err.Error()
		return nil, false
	}
	w.ShareJobs(r.q.base)
	r.worlds[key] = w
	return w, true
}

// valid are the variants that are a world.
func (r *runner) valid(list []variant) (out []variant) {
	for _, v := range list {
		if _, ok := r.world(v); ok {
			out = append(out, v)
		}
	}
	return out
}

// run runs variants with so many repeats from the first on, those that were not run yet.
func (r *runner) run(list []variant, first, repeats int) error {
	var tasks []task
	seen := map[string]bool{}
	for _, v := range list {
		key := v.key()
		if seen[key] {
			continue
		}
		if seen[key] = true; r.runs[key] == nil {
			r.runs[key] = map[int]Run{}
		}
		for n := first; n < first+repeats; n++ {
			if _, ok := r.runs[key][n]; !ok {
				tasks = append(tasks, task{v, n})
			}
		}
	}
	got := make([]Run, len(tasks))
	err := sim.Each(r.workers, len(tasks), func(i int) (err error) {
		w := r.worlds[tasks[i].v.key()]
		got[i], err = r.one(w, tasks[i].repeat)
		return err
	})
	if err != nil {
		return err
	}
	for i, t := range tasks {
		r.runs[t.v.key()][t.repeat] = got[i]
	}
	return nil
}

// one is one run.
func (r *runner) one(w *world.World, repeat int) (Run, error) {
	watch := func(units.Duration) bool { return r.tell(0) }
	out, err := paired.Run(w, paired.Draw{Repeat: repeat}, watch, func(t *sim.Trace) (Run, error) { return r.q.read(t), nil })
	if repeat < fresh {
		out.delays = stats.Spread{} // percentiles of all runs together are told of fresh draws alone
	}
	if err == nil && !r.tell(1) {
		err = sim.ErrStopped
	}
	return out, err
}

// tell tells of runs that are over.
func (r *runner) tell(more int64) bool {
	if done := r.done.Add(more); r.progress != nil {
		return r.progress(min(1, float64(done)/float64(max(1, r.whole))))
	}
	return true
}

// of are the runs of a variant, from the first on, as many as there are in a row.
func (r *runner) of(v variant, first int) (out []Run) {
	runs := r.runs[v.key()]
	for n := first; ; n++ {
		x, ok := runs[n]
		if !ok {
			return out
		}
		out = append(out, x)
	}
}
