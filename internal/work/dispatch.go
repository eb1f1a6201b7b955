package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"runtime/debug"
	"sync"
	"time"

	"tachyphor/core/sim"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

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
	ctx, span := q.traces.Work(ctx, j.kind.Name, w.Subject, w.ID)
	state := "given back"
	var fault error
	defer func() { span.Over(state, fault) }()
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
	state, fault = string(last.State), err
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
