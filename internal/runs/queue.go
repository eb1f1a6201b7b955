package runs

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/internal/memory"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// lease is how long a claimed outcome stays the holder's without a sign of life.
const lease = 15 * time.Second

// beat is how often a running outcome gives that sign.
const beat = time.Second

// A Queue works off outcomes one after the other, each on all cores.
type Queue struct {
	Library *Library
	store   *store.Store
	log     *slog.Logger
	holder  string
	workers int
	memory  units.Bytes // that work may take; 0: as much as it likes
	full    func() error

	ring chan struct{} // something may be waiting
	done chan struct{} // closed when the worker has ended
	stop context.CancelFunc

	mu      sync.Mutex
	running map[uint64]*job // what this process works on
	traces  *held[*sim.Trace]
	results *held[result]

	finished, failed atomic.Int64
}

// job is a running outcome.
type job struct {
	progress atomic.Uint64 // in millionths
	stopped  atomic.Bool
}

// Start begins to work off the queue. While full is an error nothing is begun, for its
// result could not be stored.
func Start(s *store.Store, l *Library, log *slog.Logger, full func() error) *Queue {
	ctx, stop := context.WithCancel(context.Background())
	q := &Queue{
		Library: l, store: s, log: log, holder: store.NewHolder(), workers: cores(), memory: memory.Work(memory.Limit()), full: full,
		ring: make(chan struct{}, 1), done: make(chan struct{}), stop: stop, running: map[uint64]*job{},
		results: newHeld(resultBytes, 2, func(r result) int { return r.bytes }),
		traces:  newHeld(jobsKept, 1, func(t *sim.Trace) int { return max(len(t.Records), jobsKept/10) }),
	}
	go q.work(ctx)
	return q
}

// Close stops working. What is running goes back into the queue.
func (q *Queue) Close() {
	q.stop()
	q.mu.Lock()
	for _, j := range q.running {
		j.stopped.Store(true)
	}
	q.mu.Unlock()
	<-q.done
}

// Counts returns how many outcomes this process finished and failed.
func (q *Queue) Counts() (finished, failed int64) { return q.finished.Load(), q.failed.Load() }

// Ask enters a scenario's simulation into the queue.
// changes are made in its documents first; each must be one that it uses.
func (q *Queue) Ask(ctx context.Context, scenario, by string, seed *uint64, repeats *int, changes []document.Changes) (store.Outcome,
	document.Faults, error,
) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Outcome{}, faults, err
	}
	in.Seed, in.Repeats, in.Changes = seed, repeats, changes
	for _, c := range changes {
		if !slices.ContainsFunc(in.Documents, func(r wire.Ref) bool { return r.Kind == c.Kind && r.Name == c.Name }) {
			return store.Outcome{}, nil, fmt.Errorf("%w: the scenario %s does not use %s %s", shelf.ErrChanges, scenario, c.Kind, c.Name)
		}
	}
	w, faults, err := q.Library.World(ctx, in)
	if err != nil || len(faults) > 0 {
		return store.Outcome{}, faults, err
	}
	if _, err := q.room(func(workers int) units.Bytes { return outcome.Need(w, workers) }); err != nil {
		return store.Outcome{}, nil, err
	}
	o, err := q.store.Ask(ctx, scenario, by, in)
	if err == nil {
		q.wake()
	}
	return o, nil, err
}

func (q *Queue) wake() {
	select {
	case q.ring <- struct{}{}:
	default:
	}
}

// Cancel ends an outcome that is not over.
func (q *Queue) Cancel(ctx context.Context, work store.Work, id uint64) (store.Outcome, error) {
	o, err := q.store.Cancel(ctx, work, id)
	q.mu.Lock()
	defer q.mu.Unlock()
	if j := q.running[id]; err == nil && j != nil {
		j.stopped.Store(true)
	}
	return o, err
}

// Progress returns how far an outcome has come, fresher than its record when
// this process works on it.
func (q *Queue) Progress(o store.Outcome) float64 {
	q.mu.Lock()
	defer q.mu.Unlock()
	if j := q.running[o.ID]; j != nil && o.State == wire.Running {
		return float64(j.progress.Load()) / 1e6
	}
	return o.Progress
}

// work claims and runs outcomes until ctx ends.
func (q *Queue) work(ctx context.Context) {
	defer close(q.done)
	if err := q.store.DropBlocks(ctx, 0); err != nil && ctx.Err() == nil { // it is tried again at the next start
		q.log.Warn("cannot clear what outcomes left that came to nothing", "error", err)
	}
	look := time.NewTicker(beat) // for what other processes left, and after faults
	defer look.Stop()
	for ctx.Err() == nil {
		var o store.Outcome
		full := q.full()
		err := full
		if full == nil {
			o, err = q.store.Claim(ctx, q.holder, lease)
		}
		switch {
		case full != nil: // the disk says so itself
		case err == nil:
			q.run(ctx, o)
			continue
		case !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil:
			q.log.Warn("cannot look into the queue; trying again", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-q.ring:
		case <-look.C:
		}
	}
	// A context of its own: the process is ending, but its claims are to be given back.
	end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if err := q.store.Release(end, q.holder); err != nil {
		q.log.Warn("cannot give back what was running; it goes on when its lease ends", "error", err)
	}
}

// giveBack puts what this process works on back into the queue, and pauses.
func (q *Queue) giveBack(ctx context.Context, o store.Outcome, why error) {
	q.log.Warn("cannot get at what is to be computed; it goes back into the queue", "work", o.Work.String(), "id", o.ID, "error", why)
	if err := patiently(ctx, func() error { return q.store.Release(ctx, q.holder) }); err != nil {
		q.log.Warn("cannot give it back; it goes on when its lease ends", "id", o.ID, "error", err)
	}
	select {
	case <-ctx.Done():
	case <-time.After(beat):
	}
}

// run simulates one outcome and stores its end.
func (q *Queue) run(ctx context.Context, o store.Outcome) {
	j := &job{}
	q.mu.Lock()
	q.running[o.ID] = j
	q.mu.Unlock()
	began := time.Now()
	beating, quiet := context.WithCancel(ctx)
	var wait sync.WaitGroup
	wait.Go(func() { q.heart(beating, o.ID, j) })
	end, data, trace, err := q.compute(ctx, o, j)
	if err == nil && trace != nil && !j.stopped.Load() && ctx.Err() == nil {
		err = q.keepJobs(ctx, o.ID, trace)
	}
	quiet()
	wait.Wait()
	defer func() { // until its end is stored, its progress is known here alone
		q.mu.Lock()
		delete(q.running, o.ID)
		q.mu.Unlock()
	}()
	if j.stopped.Load() || ctx.Err() != nil {
		q.log.Info(o.Work.String()+" stopped", "id", o.ID, "scenario", o.Scenario)
		if err := q.store.DropBlocks(ctx, o.ID); err != nil && ctx.Err() == nil {
			q.log.Warn("cannot clear what a stopped outcome had stored; it goes with the outcome", "id", o.ID, "error", err)
		}
		return
	}
	if t := (trouble{}); errors.As(err, &t) {
		q.giveBack(ctx, o, err)
		return
	}
	if err == nil {
		err = q.finish(ctx, o.ID, end, data)
	}
	if err != nil {
		q.log.Error("cannot store a result; it will be computed again", "work", o.Work.String(), "id", o.ID, "error", err)
		return
	}
	if end.State == wire.Done {
		q.finished.Add(1)
		if trace != nil {
			q.traces.put(traceKey(o.ID), trace)
		}
	} else {
		q.failed.Add(1)
	}
	q.log.Info(o.Work.String()+" "+string(end.State), "id", o.ID, "scenario", o.Scenario, "seconds", time.Since(began).Seconds(), "error",
		end.Error)
}

// finish stores an end.
func (q *Queue) finish(ctx context.Context, id uint64, end store.Outcome, data []byte) error {
	return patiently(ctx, func() error { return q.store.Finish(ctx, id, q.holder, end, data) })
}

// heart renews the lease and notes the progress until ctx ends.
func (q *Queue) heart(ctx context.Context, id uint64, j *job) {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			err := q.store.Renew(ctx, id, q.holder, lease, float64(j.progress.Load())/1e6)
			if errors.Is(err, store.ErrConflict) {
				j.stopped.Store(true)
				return
			}
		}
	}
}
