package runs

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/internal/memory"
	"tachyphor/internal/store"
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

// resultBytes bounds the results that stay in memory, as JSON.
const resultBytes = 64 << 20

// jobsKept bounds how many jobs the traces may have together that stay in memory for
// explanations; each counts for a tenth of that at least.
const jobsKept = 2_500_000

// Start begins to work off the queue. While full is an error nothing is begun, for its
// result could not be stored.
func Start(s *store.Store, l *Library, log *slog.Logger, full func() error) *Queue {
	b := make([]byte, 8)
	_, _ = rand.Read(b)
	ctx, stop := context.WithCancel(context.Background())
	q := &Queue{
		Library: l, store: s, log: log, holder: hex.EncodeToString(b), workers: cores(), memory: memory.Work(memory.Limit()), full: full,
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
func (q *Queue) Ask(ctx context.Context, scenario, by string, seed *uint64, repeats *int, changes []store.Changes) (store.Outcome, document.Faults, error) {
	in, faults, err := q.Library.Pin(ctx, scenario)
	if err != nil || len(faults) > 0 {
		return store.Outcome{}, faults, err
	}
	in.Seed, in.Repeats, in.Changes = seed, repeats, changes
	for _, c := range changes {
		if !slices.ContainsFunc(in.Documents, func(r store.Ref) bool { return r.Kind == c.Kind && r.Name == c.Name }) {
			return store.Outcome{}, nil, fmt.Errorf("%w: the scenario %s does not use %s %s", ErrChanges, scenario, c.Kind, c.Name)
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
	if j := q.running[o.ID]; j != nil && o.State == store.Running {
		return float64(j.progress.Load()) / 1e6
	}
	return o.Progress
}

// work claims and runs outcomes until ctx ends.
func (q *Queue) work(ctx context.Context) {
	defer close(q.done)
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

// A trouble is an error of the database while inputs are looked up: no fault of the
// question.
type trouble struct{ error }

// Unwrap returns the database's error.
func (t trouble) Unwrap() error { return t.error }

// troubled marks an error of the database as such; that something is not there is none.
func troubled(err error) error {
	if err == nil || errors.Is(err, store.ErrNotFound) {
		return err
	}
	return trouble{err}
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
	if end.State == store.Done {
		q.finished.Add(1)
		if trace != nil {
			q.traces.put(traceKey(o.ID), trace)
		}
	} else {
		q.failed.Add(1)
	}
	q.log.Info(o.Work.String()+" "+string(end.State), "id", o.ID, "scenario", o.Scenario, "seconds", time.Since(began).Seconds(), "error", end.Error)
}

// finish stores an end.
func (q *Queue) finish(ctx context.Context, id uint64, end store.Outcome, data []byte) error {
	return patiently(ctx, func() error { return q.store.Finish(ctx, id, q.holder, end, data) })
}

// patiently does something with the database again while that is away, for ten
// seconds; a lost lease ends it.
func patiently(ctx context.Context, do func() error) error {
	var err error
	for range 20 {
		if err = do(); err == nil || errors.Is(err, store.ErrConflict) {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(500 * time.Millisecond):
		}
	}
	return err
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

// A Gist is what lists show of an outcome.
type Gist struct {
	Headline     string   `json:"headline"`
	P95DelayNs   *float64 `json:"p95DelayNs,omitempty"`
	MeanDelayNs  float64  `json:"meanDelayNs"`
	CostPerMonth float64  `json:"costPerMonth"`
	Currency     string   `json:"currency"`
	RibbonNs     []int64  `json:"ribbonNs"`
	Jobs         float64  `json:"jobs"`
	Unmatched    int      `json:"unmatched"`
	Wrong        float64  `json:"wrong" doc:"Jobs that went wrong for good, in a repeat."`
	Started      float64  `json:"started" doc:"Jobs that started, in a repeat; delays are of these."`
}

func summarize(o *outcome.Outcome) Gist {
	all := o.Groups[0]
	s := Gist{
		Headline: o.Headline, MeanDelayNs: all.Delay.Mean.Mean, CostPerMonth: o.Cost.PerMonth.Mean,
		Currency: o.Cost.Currency, Jobs: all.Jobs.Mean, Wrong: all.Wrong.Mean, Started: all.Started.Mean,
	}
	if all.Delay.P95 != nil {
		s.P95DelayNs = &all.Delay.P95.Mean
	}
	for _, f := range all.Ribbon {
		s.RibbonNs = append(s.RibbonNs, int64(f.Mean))
	}
	for _, u := range o.Unmatched {
		s.Unmatched += u.Jobs
	}
	return s
}

// compute simulates. A defect of the engine is the outcome's failure, not the
// service's. An error is the database's, a trouble.
func (q *Queue) compute(ctx context.Context, o store.Outcome, j *job) (end store.Outcome, data []byte, trace *sim.Trace, err error) {
	fail := func(err error) (store.Outcome, []byte, *sim.Trace, error) {
		end := store.Outcome{State: store.Failed, Error: err.Error()}
		if d := (*sim.Defect)(nil); errors.As(err, &d) {
			end.Stack = fmt.Sprintf("seed %d, repeat %d: %v\n%s", d.Seed, d.Repeat, d.What, d.Stack)
			q.log.Error("defect in a "+o.Work.String(), "id", o.ID, "scenario", o.Scenario, "defect", end.Stack)
		}
		return end, nil, nil, nil
	}
	defer func() { // of what is not a run: putting worlds together, summing up
		if p := recover(); p != nil {
			end, data, trace, err = fail(&sim.Defect{What: p, Repeat: -1, Stack: string(debug.Stack())})
		}
	}()
	world, err := q.world(ctx, o)
	if t := (trouble{}); errors.As(err, &t) {
		return store.Outcome{}, nil, nil, err
	}
	if err != nil {
		return fail(err)
	}
	progress := func(done float64) bool {
		stepBack() // each goroutine of the work comes by here, early and often
		j.progress.Store(uint64(done * 1e6))
		return !j.stopped.Load()
	}
	if o.Work == store.Weighing {
		end, data, err = q.weigh(o, world, progress)
		if err != nil {
			return fail(err)
		}
		return end, data, nil, nil
	}
	workers, err := q.room(func(workers int) units.Bytes { return outcome.Need(world, workers) })
	if err != nil {
		return fail(err)
	}
	result, trace, err := outcome.Simulate(world, workers, progress)
	if err != nil {
		return fail(err)
	}
	raw, err := json.Marshal(result)
	if err != nil {
		return fail(err)
	}
	summary, err := json.Marshal(summarize(result))
	if err != nil {
		return fail(err)
	}
	return store.Outcome{State: store.Done, Summary: string(summary), Digest: Digest(raw)}, pack(raw), trace, nil
}

// world puts an outcome's inputs together again.
func (q *Queue) world(ctx context.Context, o store.Outcome) (*sim.World, error) {
	var in store.Inputs
	if err := json.Unmarshal([]byte(o.Inputs), &in); err != nil {
		return nil, err
	}
	w, faults, err := q.Library.World(ctx, in)
	if err == nil {
		err = faults.Err()
	}
	return w, err
}

// result is one as it is kept.
type result struct {
	o     *outcome.Outcome
	bytes int // as JSON
}

// Outcome returns a finished outcome's result. What it holds is shared: only its own fields
// may be set.
func (q *Queue) Outcome(ctx context.Context, id uint64) (*outcome.Outcome, error) {
	r, err := q.results.get(ctx, traceKey(id), func(ctx context.Context) (result, error) {
		raw, err := q.Result(ctx, id)
		if err != nil {
			return result{}, err
		}
		o := new(outcome.Outcome)
		if err := json.Unmarshal(raw, o); err != nil {
			return result{}, err
		}
		o.Fill()
		return result{o, len(raw)}, nil
	})
	if err != nil {
		return nil, err
	}
	own := *r.o
	return &own, nil
}

// Result returns a finished outcome as JSON.
func (q *Queue) Result(ctx context.Context, id uint64) ([]byte, error) {
	data, err := q.store.GetResult(ctx, id)
	if err != nil {
		return nil, err
	}
	return unpack(data)
}

// Trace returns the trace of an outcome's first repeat: from memory, or by
// running that repeat again, which gives the same.
func (q *Queue) Trace(ctx context.Context, o store.Outcome) (*sim.Trace, error) {
	return q.traces.get(ctx, traceKey(o.ID), func(ctx context.Context) (*sim.Trace, error) {
		w, err := q.world(ctx, o)
		if err != nil {
			return nil, err
		}
		return sim.Run(w, w.Plan.Seed, 0, nil)
	})
}

func traceKey(id uint64) string { return strconv.FormatUint(id, 10) }
