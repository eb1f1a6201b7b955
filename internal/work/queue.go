package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"runtime/debug"
	"sync"
	"sync/atomic"
	"time"

	"tachyphor/core/sim"
	"tachyphor/internal/kept"
	"tachyphor/internal/kube"
	"tachyphor/internal/library"
	"tachyphor/internal/memory"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

const (
	// lease is how long claimed work stays the holder's without a sign of life, and beat how
	// often it gives one.
	lease = 15 * time.Second
	beat  = time.Second
	// atOnce is how many pieces of work share the cores: each may use all of them, and the
	// operating system parts them evenly, so that what is short does not wait behind what is
	// long. liveAtOnce is how many speak to clusters beside them.
	atOnce     = 3
	liveAtOnce = 4
	// longestLive is how long live work may take.
	longestLive = 15 * time.Minute
	// mostOpen is how much work may wait or run at once.
	mostOpen = 200
)

// A Queue works off what was asked for, several pieces at a time.
type Queue struct {
	Library *library.Library
	store   *store.Store
	log     *slog.Logger
	holder  string
	room    *room
	full    func() error
	cluster kube.Options

	ring chan struct{} // something may be waiting
	ctx  context.Context
	stop context.CancelFunc
	all  sync.WaitGroup // all that runs, and the queue itself

	alone sync.RWMutex // held for writing by what is done alone, by all else for reading

	mu      sync.Mutex
	running map[uint64]*Job // what this process works on
	live    int             // of these, and of what is about to, live ones
	closed  bool
	traces  *kept.Kept[*sim.Trace]
	results *kept.Kept[result]

	finished, failed atomic.Int64
}

// Start begins to work off the queue. While full is an error nothing is begun, for its
// result could not be stored. cluster says which kubeconfig live work uses.
func Start(s *store.Store, l *library.Library, log *slog.Logger, full func() error, cluster kube.Options) *Queue {
	ctx, stop := context.WithCancel(context.Background())
	q := &Queue{
		Library: l, store: s, log: log, holder: store.NewHolder(), full: full, cluster: cluster,
		room: &room{workers: cores(), all: memory.Work(memory.Limit())},
		ring: make(chan struct{}, 1), ctx: ctx, stop: stop, running: map[uint64]*Job{},
		results: kept.New(resultBytes, 2, func(r result) int { return r.bytes }),
		traces:  kept.New(jobsKept, 1, func(t *sim.Trace) int { return max(len(t.Records), jobsKept/10) }),
	}
	q.all.Go(q.workOff)
	q.all.Go(q.breakOff)
	return q
}

// Close stops working. What is running goes back into the queue; live work is ended, and
// what it made is taken away first.
func (q *Queue) Close() {
	q.mu.Lock()
	q.closed = true
	for _, j := range q.running {
		j.stop()
	}
	q.mu.Unlock()
	q.stop()
	q.all.Wait()
}

// Counts returns how many pieces of work this process finished and failed, live ones apart.
func (q *Queue) Counts() (finished, failed int64) { return q.finished.Load(), q.failed.Load() }

// enter enters work of a kind into the queue.
func (q *Queue) enter(ctx context.Context, k *Kind, w store.Work, question any) (store.Work, error) {
	b, err := json.Marshal(question)
	if err != nil {
		return w, err
	}
	w.Kind, w.Question = k.Name, string(b)
	if w, err = q.store.Enter(ctx, w, lease, namesOf(k.Live), mostOpen); err == nil {
		select {
		case q.ring <- struct{}{}:
		default:
		}
	}
	return w, err
}

// Cancel ends work of some kinds that is not over. Live work that this process does ends
// once what it made is taken away; of another process, within seconds.
func (q *Queue) Cancel(ctx context.Context, kinds []string, id uint64) (store.Work, error) {
	q.mu.Lock()
	j := q.running[id]
	q.mu.Unlock()
	if j != nil && j.kind.Live {
		j.stop()
		return q.store.GetWork(ctx, kinds, id)
	}
	w, err := q.store.Cancel(ctx, kinds, id)
	if err == nil && j != nil {
		j.stop()
	}
	return w, err
}

// Progress returns how far work has come, fresher than its record when this process does
// it.
func (q *Queue) Progress(w store.Work) float64 {
	if j := q.job(w); j != nil {
		return j.done()
	}
	return w.Progress
}

// Checkpoint reads the last checkpoint of work into v.
func (q *Queue) Checkpoint(w store.Work, v any) {
	if text := q.Sign(w).checkpoint; text != "" {
		_ = json.Unmarshal([]byte(text), v) // ours; as it was if it cannot be read
	}
}

// A Sign is what of work changes while it is done: two that are equal tell the same.
type Sign struct {
	state      wire.State
	progress   float64
	checkpoint string
}

// Sign returns how far work has come, fresher than its record when this process does it.
func (q *Queue) Sign(w store.Work) Sign {
	sign := Sign{state: w.State, progress: w.Progress}
	if w.Checkpoint != nil {
		sign.checkpoint = *w.Checkpoint
	}
	if j := q.job(w); j != nil {
		j.mu.Lock()
		defer j.mu.Unlock()
		sign.progress, sign.checkpoint = j.done(), j.checkpoint
	}
	return sign
}

// job finds work that runs in this process.
func (q *Queue) job(w store.Work) *Job {
	q.mu.Lock()
	defer q.mu.Unlock()
	if w.State != wire.Running {
		return nil
	}
	return q.running[w.ID]
}

// workOff claims and runs work until the queue is closed.
func (q *Queue) workOff() {
	if err := q.store.DropBlocks(q.ctx, 0); err != nil && q.ctx.Err() == nil { // it is tried again at the next start
		q.log.Warn("cannot clear what work left that came to nothing", "error", err)
	}
	places := make(chan struct{}, atOnce)
	look := time.NewTicker(beat) // for what other processes left, and after faults
	defer look.Stop()
	for {
		select {
		case <-q.ctx.Done():
			return
		case places <- struct{}{}:
		}
		w, err := q.claim()
		switch {
		case err == nil && suspect(w): // nothing else is claimed meanwhile: that would count as begun
			q.run(w, nil)
			<-places
			continue
		case err == nil:
			q.all.Go(func() {
				defer func() { <-places }()
				q.run(w, nil)
			})
			continue
		}
		<-places
		if !errors.Is(err, store.ErrNotFound) && q.ctx.Err() == nil {
			q.log.Warn("cannot look into the queue; trying again", "error", err)
		}
		select {
		case <-q.ctx.Done():
			return
		case <-q.ring:
		case <-look.C:
		}
	}
}

// claim takes the next work.
func (q *Queue) claim() (store.Work, error) {
	if q.full() != nil { // the disk says so itself
		return store.Work{}, store.ErrNotFound
	}
	return q.store.Claim(q.ctx, q.holder, lease, claimable(false))
}

// breakOff ends live work that nobody does any more, until the queue is closed: claiming it
// is too often at once.
func (q *Queue) breakOff() {
	look := time.NewTicker(beat)
	defer look.Stop()
	for {
		_, err := q.store.Claim(q.ctx, q.holder, lease, claimable(true))
		if err != nil && !errors.Is(err, store.ErrNotFound) && q.ctx.Err() == nil {
			q.log.Warn("cannot look after trials; trying again", "error", err)
		}
		select {
		case <-q.ctx.Done():
			return
		case <-look.C:
		}
	}
}

// begin notes that this process does some work.
func (q *Queue) begin(w store.Work, with any) (*Job, context.Context) {
	j := &Job{Work: w, kind: kindOf(w.Kind), with: with}
	if j.kind.Live {
		j.ctx, j.stop = context.WithTimeout(context.Background(), longestLive)
	} else {
		j.ctx, j.stop = context.WithCancel(q.ctx)
	}
	if w.Checkpoint != nil {
		j.checkpoint = *w.Checkpoint
	}
	q.mu.Lock()
	defer q.mu.Unlock()
	q.running[w.ID] = j
	if q.closed {
		j.stop()
	}
	return j, j.ctx
}

// run does some work and stores its end. with is what was put together when it was asked
// for, of live work.
func (q *Queue) run(w store.Work, with any) {
	j, ctx := q.begin(w, with)
	defer j.stop()
	began := time.Now()
	beating, quiet := context.WithCancel(context.Background())
	var heart sync.WaitGroup
	heart.Go(func() { q.beat(beating, j) })
	end, err := q.do(ctx, j)
	if err == nil && end.Beside != nil && ctx.Err() == nil {
		err = library.Troubled(end.Beside(ctx))
	}
	quiet()
	heart.Wait()
	defer func() { // until its end is stored, its progress is known here alone
		q.mu.Lock()
		delete(q.running, w.ID)
		q.mu.Unlock()
	}()
	if ctx.Err() != nil && !j.kind.Live {
		q.log.Info(j.kind.Called+" stopped", "id", w.ID, "about", w.Subject)
		q.leave(w)
		return
	}
	if t := (library.Trouble{}); errors.As(err, &t) {
		q.giveBack(w, err)
		return
	}
	last := q.endOf(ctx, j, end, err)
	var data []byte
	if last.State == wire.Done && end.Result != nil {
		last.Digest, data = store.Digest(end.Result), store.Pack(end.Result)
	}
	if err := q.finish(j, last, data); err != nil {
		q.log.Error("cannot store a result; it will be computed again", "work", j.kind.Called, "id", w.ID, "error", err)
		return
	}
	switch {
	case j.kind.Live:
	case last.State == wire.Failed:
		q.failed.Add(1)
	default:
		q.finished.Add(1)
		if end.Then != nil {
			end.Then()
		}
	}
	took := time.Since(began).Seconds()
	q.log.Info(j.kind.Called+" "+string(last.State), "id", w.ID, "about", w.Subject, "seconds", took, "error", last.Error)
}

// suspect reports whether work was begun before by a process that died, over it or over
// something that ran beside it.
func suspect(w store.Work) bool { return w.Attempts > 1 }

// do runs a kind. A defect is the work's failure, not the service's. A suspect is
// done alone, so that it is known by itself for what it is and takes nothing else with it.
func (q *Queue) do(ctx context.Context, j *Job) (end End, err error) {
	switch {
	case j.kind.Live:
	case suspect(j.Work):
		q.alone.Lock()
		defer q.alone.Unlock()
	default:
		q.alone.RLock()
		defer q.alone.RUnlock()
	}
	if ctx.Err() != nil {
		return End{}, errStopped
	}
	defer func() {
		if p := recover(); p != nil {
			err = &sim.Defect{What: p, Repeat: -1, Stack: string(debug.Stack())}
		}
	}()
	return j.kind.Run(ctx, q, j)
}

// endOf is the record of an end.
func (q *Queue) endOf(ctx context.Context, j *Job, end End, err error) store.Work {
	last := store.Work{State: wire.Done}
	last.Checkpoint, _ = j.unstored()
	d := (*sim.Defect)(nil)
	switch {
	case errors.As(err, &d):
		stack := fmt.Sprintf("seed %d, repeat %d: %v\n%s", d.Seed, d.Repeat, d.What, d.Stack)
		last.State, last.Error, last.Stack = wire.Failed, err.Error(), &stack
		q.log.Error("defect in a "+j.kind.Called, "id", j.ID, "about", j.Subject, "defect", stack)
	case errors.Is(ctx.Err(), context.Canceled):
		last.State = wire.Cancelled
	case err != nil:
		last.State, last.Error = wire.Failed, err.Error()
	case end.Gist != nil:
		b, err := json.Marshal(end.Gist)
		if err != nil {
			last.State, last.Error = wire.Failed, err.Error()
		}
		last.Gist = string(b)
	}
	return last
}

// finish stores an end. That of live work, which cannot be done again, is tried to be
// stored however long the database is away; once the queue closes for seconds more, and the
// next process breaks it off.
func (q *Queue) finish(j *Job, end store.Work, data []byte) error {
	ctx := q.ctx
	if j.kind.Live {
		ctx = context.Background()
	}
	for {
		err := Patiently(ctx, func() error { return q.store.Finish(ctx, j.ID, q.holder, end, data) })
		if errors.Is(err, store.ErrConflict) && j.kind.Live && end.Checkpoint != nil { // cancelled elsewhere
			return Patiently(ctx, func() error { return q.store.LastWords(ctx, j.ID, q.holder, *end.Checkpoint) })
		}
		if err == nil || !j.kind.Live || errors.Is(err, store.ErrConflict) || q.ctx.Err() != nil {
			return err
		}
		q.log.Warn("cannot store how a "+j.kind.Called+" ended; trying again", "id", j.ID, "error", err)
	}
}

// leave gives back work that was stopped, and clears what it had stored: by a context of
// its own, as the process may be ending. What was cancelled is left as it is.
func (q *Queue) leave(w store.Work) {
	ctx, done := context.WithTimeout(context.Background(), 5*time.Second)
	defer done()
	if err := q.store.Release(ctx, w.ID, q.holder); err != nil {
		q.log.Warn("cannot give back what was running; it goes on when its lease ends", "id", w.ID, "error", err)
	}
	if q.ctx.Err() == nil {
		if err := q.store.DropBlocks(ctx, w.ID); err != nil {
			q.log.Warn("cannot clear what stopped work had stored; it goes with the work", "id", w.ID, "error", err)
		}
	}
}

// giveBack puts work back into the queue that the database failed, and pauses.
func (q *Queue) giveBack(w store.Work, why error) {
	q.log.Warn("cannot get at what is to be computed; it goes back into the queue", "work", w.Kind, "id", w.ID, "error", why)
	if err := Patiently(q.ctx, func() error { return q.store.Release(q.ctx, w.ID, q.holder) }); err != nil {
		q.log.Warn("cannot give it back; it goes on when its lease ends", "id", w.ID, "error", err)
	}
	select {
	case <-q.ctx.Done():
	case <-time.After(beat):
	}
}

// beat renews a lease, notes the progress and stores checkpoints until ctx ends.
func (q *Queue) beat(ctx context.Context, j *Job) {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			checkpoint, had := j.unstored()
			err := q.store.Renew(ctx, j.ID, q.holder, lease, j.done(), checkpoint)
			switch {
			case errors.Is(err, store.ErrConflict): // cancelled elsewhere, or taken over
				j.stop()
				return
			case err == nil:
				j.has(had)
			}
		}
	}
}

// Drop takes work of some kinds that is over away, with all that was kept of it.
func (q *Queue) Drop(ctx context.Context, kinds []string, id uint64) error {
	if err := q.store.DropWork(ctx, kinds, id); err != nil {
		return err
	}
	q.traces.Drop(key(id))
	q.results.Drop(key(id))
	return nil
}

// Result returns the result of finished work, as JSON.
func (q *Queue) Result(ctx context.Context, id uint64) ([]byte, error) {
	data, err := q.store.GetResult(ctx, id)
	if err != nil {
		return nil, err
	}
	return store.Unpack(data)
}
