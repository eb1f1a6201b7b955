// Package paired runs several worlds on the same draws, reads what is wanted of every run,
// and says how they differ: a difference of two worlds is taken repeat by repeat, so that
// what both owe to luck falls out of it.
package paired

import (
	"sync"
	"sync/atomic"

	"tachyphor/core/demand"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Progress is told the share of some work that is done, 0 to 1; returning false stops it.
type Progress func(done float64) bool

// Forward tells p what several goroutines find: one at a time, and never less than
// before, however late one of them is. It is nil for none.
func (p Progress) Forward() Progress {
	if p == nil {
		return nil
	}
	var mu sync.Mutex
	most := 0.0
	return func(done float64) bool {
		mu.Lock()
		defer mu.Unlock()
		most = max(most, done)
		return p(most)
	}
}

// Ending is p for work that comes after all that it is told of: it can still stop it.
func (p Progress) Ending() Progress {
	if p == nil {
		return nil
	}
	return func(float64) bool { return p(1) }
}

// A Draw is what chance gives a run: the draws of a repeat, with the world's own jobs or
// with others like its recorded ones.
type Draw struct {
	Repeat int
	Alike  bool
}

// Draws lists the first repeats with the world's own jobs, then as many as are wanted with
// jobs like the recorded ones.
func Draws(own, alike int) []Draw {
	out := make([]Draw, 0, own+alike)
	for r := range own {
		out = append(out, Draw{Repeat: r})
	}
	for r := range alike {
		out = append(out, Draw{Repeat: r, Alike: true})
	}
	return out
}

// Jobs are those of a draw in a world.
func (d Draw) Jobs(w *world.World) (*demand.Jobs, error) {
	if d.Alike {
		return w.JobsAlike(w.Plan.Seed, d.Repeat), nil
	}
	return w.Jobs(w.Plan.Seed, d.Repeat)
}

// A Study is worlds and the draws that each of them is run with.
type Study[R any] struct {
	Worlds []*world.World
	Draws  []Draw
	// Read takes what is wanted of a run of world v with draw d, numbers in the lists. It is
	// called from several goroutines at once.
	Read func(v, d int, t *sim.Trace) (R, error)
	// Keep says after every Block draws which worlds to go on with, by what was read so far;
	// one that is left out gets no more draws, and is not asked about again. nil: all of
	// them. A study without a block is one block.
	Keep  func(so [][]R) []bool
	Block int

	Workers  int
	Progress Progress // of all worlds and draws, left out or not; may be nil
}

// Run runs the study and returns what was read, by world and draw; of a world that was left
// out as many as it had. The result does not depend on the number of workers: decisions
// fall after whole blocks. A panic is the error of the run that threw it, a *sim.Defect.
func (s *Study[R]) Run() ([][]R, error) {
	out := make([][]R, len(s.Worlds))
	on := make([]int, len(s.Worlds)) // worlds that are gone on with
	for v := range on {
		on[v] = v
	}
	block := s.Block
	if block <= 0 {
		block = len(s.Draws)
	}
	watched := s.watching()
	for from := 0; from < len(s.Draws) && len(on) > 0; from += block {
		n := min(block, len(s.Draws)-from)
		for _, v := range on {
			out[v] = append(out[v], make([]R, n)...)
		}
		err := sim.Each(s.Workers, n*len(on), func(i int) error {
			v, d := on[i%len(on)], from+i/len(on)
			r, err := s.one(v, d, watched)
			if err == nil {
				out[v][d] = r
			}
			return err
		})
		if err != nil {
			return nil, err
		}
		if s.Keep == nil || from+n >= len(s.Draws) {
			continue
		}
		keep, left := s.Keep(out), on[:0:0]
		for _, v := range on {
			if keep[v] {
				left = append(left, v)
			} else {
				watched.leave(len(s.Draws) - len(out[v]))
			}
		}
		on = left
	}
	return out, nil
}

// one runs a world with a draw.
func (s *Study[R]) one(v, d int, watched *watching) (r R, err error) {
	w, run := s.Worlds[v], v*len(s.Draws)+d
	r, err = Run(w, s.Draws[d], watched.of(run, w.Plan.Span), func(t *sim.Trace) (R, error) { return s.Read(v, d, t) })
	if err == nil && !watched.end(run) {
		err = sim.ErrStopped
	}
	return r, err
}

// Run runs a world with one draw, watched or not, and reads what is wanted of it; the run is
// checked. A panic is the error, a *sim.Defect.
func Run[R any](w *world.World, d Draw, watch sim.Watcher, read func(*sim.Trace) (R, error)) (r R, err error) {
	defer sim.Catch(&err, w.Plan.Seed, d.Repeat)
	jobs, err := d.Jobs(w)
	if err != nil {
		return r, err
	}
	t, err := sim.RunJobs(w, jobs, w.Plan.Seed, d.Repeat, watch)
	if err != nil {
		return r, err
	}
	if r, err = read(t); err != nil {
		return r, err
	}
	return r, t.Check()
}

// watching adds up how far runs have come, in millionths of a run.
type watching struct {
	tell Progress
	runs int
	at   []atomic.Int64 // of each run
	sum  atomic.Int64
}

const whole = 1_000_000

func (s *Study[R]) watching() *watching {
	n := len(s.Worlds) * len(s.Draws)
	return &watching{tell: s.Progress, runs: n, at: make([]atomic.Int64, n)}
}

// of returns what watches a run.
func (w *watching) of(run int, span units.Duration) sim.Watcher {
	if w.tell == nil {
		return nil
	}
	return func(now units.Duration) bool {
		return w.came(run, int64(whole*(float64(min(now, span))/float64(span))))
	}
}

func (w *watching) came(run int, to int64) bool {
	moved := to - w.at[run].Swap(to)
	return w.tell(float64(w.sum.Add(moved)) / whole / float64(w.runs))
}

// end notes that a run is over.
func (w *watching) end(run int) bool { return w.tell == nil || w.came(run, whole) }

// leave counts runs that are not made as done.
func (w *watching) leave(n int) { w.sum.Add(int64(n) * whole) }
