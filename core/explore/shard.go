package explore

import (
	"errors"
	"fmt"

	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Shard is a part of an answer's runs that is computed by itself: some repeats of one variant.
// What it says hangs on nothing but what it is computed from, which its digest names.
type Shard struct {
	Digest  string             `json:"digest" doc:"Of the engine, what is read, all documents as they are changed, and the aims."`
	Changes []document.Changes `json:"changes" doc:"What makes the variant of the scenario."`
	Repeats []int              `json:"repeats" doc:"The repeats that are run, from 0; those from a million on take no part in choosing."`
}

// shardRepeats is how many repeats a shard has at most.
const shardRepeats = 8

// Elsewhere computes shards in other processes, or in this one: here computes one so and says it.
// said takes what a shard's runs said, in their order; any goroutine may call either, and what is
// said twice is taken once. When it returns without an error all have been said.
type Elsewhere func(shards []Shard, here func(i int) error, said func(i int, runs []Run) error) error

// ErrOtherRuns says that what came back is not what a shard's runs say.
var ErrOtherRuns = errors.New("this is not an answer to the shard")

// compute runs tasks, in this process or where the way says.
func (r *runner) compute(tasks []task) ([]Run, error) {
	got := make([]Run, len(tasks))
	one := func(i int) (err error) {
		if got[i], err = r.one(r.worlds[tasks[i].v.key()], tasks[i].repeat); err == nil {
			err = r.keep(tasks[i], &got[i])
		}
		return err
	}
	if r.way.Elsewhere == nil {
		return got, sim.Each(r.way.Workers, len(tasks), one)
	}
	var shards []Shard
	var of [][]int // tasks by shard
	for i, t := range tasks {
		last := len(of) - 1
		if last < 0 || len(of[last]) == shardRepeats || tasks[of[last][0]].v.key() != t.v.key() {
			shards = append(shards, Shard{Digest: r.digests[t.v.key()], Changes: r.q.changes(t.v)})
			of, last = append(of, nil), last+1
		}
		shards[last].Repeats, of[last] = append(shards[last].Repeats, t.repeat), append(of[last], i)
	}
	taken := make([]bool, len(shards))
	take := func(i int) bool {
		r.mu.Lock()
		defer r.mu.Unlock()
		was := taken[i]
		taken[i] = true
		return !was
	}
	here := func(i int) error {
		if !take(i) {
			return nil
		}
		for _, t := range of[i] {
			if err := one(t); err != nil {
				return err
			}
		}
		return nil
	}
	said := func(i int, runs []Run) error {
		if err := r.q.fitting(&shards[i], runs); err != nil {
			return err
		}
		if !take(i) {
			return nil
		}
		for n, t := range of[i] {
			got[t] = runs[n]
			if err := r.keep(tasks[t], &got[t]); err != nil {
				return err
			}
			if !r.tell(1) {
				return sim.ErrStopped
			}
		}
		return nil
	}
	if err := r.way.Elsewhere(shards, here, said); err != nil {
		return nil, err
	}
	for i, ok := range taken {
		if !ok {
			return nil, fmt.Errorf("shard %d of %d was not answered", i+1, len(shards))
		}
	}
	return got, nil
}

// fitting reports whether runs may be what a shard's say.
func (q *Question) fitting(s *Shard, runs []Run) error {
	if len(runs) != len(s.Repeats) {
		return fmt.Errorf("%w: %d runs where %d are asked for", ErrOtherRuns, len(runs), len(s.Repeats))
	}
	for n := range runs {
		if !q.tells(&runs[n], s.Repeats[n]) {
			return fmt.Errorf("%w: run %d tells of other aims or in another way", ErrOtherRuns, n+1)
		}
	}
	return nil
}

// Shards computes shards of a scenario's exploring.
type Shards struct{ q *Question }

// AskShards puts together what shards are computed of: the aims of variants, and what each is run
// with.
func AskShards(aims []string, ins ...world.Input) (*Shards, error) {
	q, err := Ask("shards", document.SweepSpec{Aims: aims}, ins...)
	return &Shards{q}, err
}

// Run computes a shard. It is refused where this process would compute something else than is
// asked for, as another version of it does.
func (s *Shards) Run(shard Shard, watch sim.Watcher) ([]Run, error) {
	worlds, got, err := s.q.worlds(shard.Changes)
	if err != nil {
		return nil, err
	}
	if got != shard.Digest {
		return nil, fmt.Errorf("%w: this process computes %.12s (%s), and %.12s is asked for; run the image of the service's own version",
			ErrOtherRuns, got, By(), shard.Digest)
	}
	out := make([]Run, len(shard.Repeats))
	for n, repeat := range shard.Repeats {
		if out[n], err = s.q.run(worlds, repeat, watch); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// RunNeed is about how much memory one run of the scenario takes, and its recorded jobs.
func (q *Question) RunNeed() units.Bytes {
	most, all := q.jobs()
	return most*sim.RunBytes + all*sim.TraceBytes
}

// AimTexts are the aims as they are written.
func (q *Question) AimTexts() []string {
	out := make([]string, len(q.aims))
	for i, a := range q.aims {
		out[i] = a.String()
	}
	return out
}
