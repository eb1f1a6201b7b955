package explore

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"tachyphor/core/document"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
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

// A Way is how an answer is found; what it says does not depend on it.
type Way struct {
	Workers  int             // runs at once
	Progress paired.Progress // nil: nobody is told
	Standing func(Standing)  // is told after each block how it stands; nil: nobody is
	Memory   Memory          // nil: nothing is kept
	// Elsewhere computes where that takes long; nil: all is run in this process.
	Elsewhere Elsewhere
}

// runner runs variants, each run once, and keeps what was read.
type runner struct {
	q     *Question
	way   Way
	whole int // runs that there may be, for the progress

	worlds  map[string][]*world.World // of a variant, with each workload
	faults  map[string]error          // why variants cannot be run
	struck  map[string]*doubtless     // why variants are not run that could be
	loaded  map[string][]*load        // what jobs keep busy, by what that hangs on
	least   float64                   // the most that the least of what is asked can be, as far as is known; 0: nothing is
	some    bool                      // some variant may be what is looked for
	digests map[string]string         // of worlds, where runs are kept
	runs    map[string]map[int]Run
	done    atomic.Int64
	mu      sync.Mutex // of what comes back from elsewhere
}

func newRunner(q *Question, way Way, whole int) *runner {
	way.Progress = way.Progress.Forward()
	if !q.lasting() { // its digests name too little
		way.Memory, way.Elsewhere = nil, nil
	}
	return &runner{
		q: q, way: way, whole: whole, worlds: map[string][]*world.World{}, faults: map[string]error{}, digests: map[string]string{},
		runs: map[string]map[int]Run{}, struck: map[string]*doubtless{}, loaded: map[string][]*load{},
	}
}

// world puts a variant's worlds together; false: they cannot be, and faults say why.
func (r *runner) world(v variant) ([]*world.World, bool) {
	key := v.key()
	if w, ok := r.worlds[key]; ok {
		return w, true
	}
	if _, ok := r.faults[key]; ok {
		return nil, false
	}
	worlds, digest, err := r.q.worlds(r.q.changes(v))
	if err != nil {
		r.faults[key] = err
		return nil, false
	}
	r.digests[key], r.worlds[key] = digest, worlds
	return worlds, true
}

// faultMost is how much of a fault is told.
const faultMost = 400

// oneFault is why a variant cannot be run, of those that cannot: the first by its key.
func (r *runner) oneFault() string {
	key := slices.Min(slices.Collect(maps.Keys(r.faults)))
	text, _, _ := strings.Cut(r.faults[key].Error(), "\n")
	if list := document.Faults(nil); errors.As(r.faults[key], &list) { // without the file, which a service has not
		text = fmt.Sprintf("%s: found %s; %s", list[0].Path, list[0].Found, list[0].Expected)
	}
	if len(text) > faultMost {
		text = strings.ToValidUTF8(text[:faultMost], "") + " …"
	}
	return strings.TrimRight(text, ".")
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
	tasks, err := r.recall(tasks)
	if err != nil {
		return err
	}
	if len(tasks) == 0 {
		return nil
	}
	got, err := r.compute(tasks)
	if err != nil {
		return err
	}
	for i, t := range tasks {
		r.runs[t.v.key()][t.repeat] = got[i]
	}
	return nil
}

// one is one run.
func (r *runner) one(w []*world.World, repeat int) (Run, error) {
	watch := func(units.Duration) bool { return r.tell(0) }
	out, err := r.q.run(w, repeat, watch)
	if err == nil && !r.tell(1) {
		err = sim.ErrStopped
	}
	return out, err
}

// tell tells of runs that are over.
func (r *runner) tell(more int64) bool {
	if done := r.done.Add(more); r.way.Progress != nil {
		return r.way.Progress(min(1, float64(done)/float64(max(1, r.whole))))
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
