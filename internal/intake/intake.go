// Package intake takes in what is told of jobs while they happen: stored before it is
// acknowledged, many senders' in one transaction, and no more than can be held.
package intake

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"time"

	"tachyphor/core/live"
	"tachyphor/internal/store"
)

// Bounds of what waits to be stored.
const (
	mostWaiting  = 20_000 // messages, those included that are being stored
	mostTogether = 2_000  // messages of one transaction, at least one request's
)

// sweepEvery is how often what is beyond the bounds of live records goes.
const sweepEvery = 10 * time.Minute

// ErrFull says that more waits to be stored than may; it was not taken.
var ErrFull = errors.New("more comes in than can be stored")

// Records are where messages go: a *store.Store.
type Records interface {
	PutLive(ctx context.Context, list []live.Message) (counted []bool, err error)
	DropLive(ctx context.Context, room store.LiveRoom) (dropped int64, err error)
}

// An Intake stores messages until Close.
type Intake struct {
	store Records
	log   *slog.Logger
	room  store.LiveRoom

	mu      sync.Mutex
	waiting int
	closed  bool
	pace    float64 // messages stored a second, of late
	sum     Sum

	parcels chan parcel
	ended   chan struct{}
	stop    context.CancelFunc
}

// A Sum counts what was taken in since the start.
type Sum struct {
	New, Known, Other, Turned int64 // messages counted, known already, not of runs, turned away
	Waiting                   int   // to be stored
}

type parcel struct {
	list   []live.Message
	answer chan answer
}

// Taken says what a request came to.
type Taken struct {
	New   int // messages that were counted
	Known int // messages that had been before
}

type answer struct {
	Taken
	err error
}

// DefaultRoom is how much of live records is kept where nothing else is said: runs of 400 days,
// two million at most; messages are remembered for 8 days.
var DefaultRoom = store.LiveRoom{Age: 400 * 24 * time.Hour, Runs: 2_000_000, Memory: 8 * 24 * time.Hour, Messages: 5_000_000}

// Start begins to take in.
func Start(s Records, log *slog.Logger, room store.LiveRoom) *Intake {
	ctx, stop := context.WithCancel(context.Background())
	x := &Intake{store: s, log: log, room: room, parcels: make(chan parcel, mostWaiting), ended: make(chan struct{}), stop: stop}
	go x.run(ctx)
	go x.sweep(ctx)
	return x
}

// Take stores messages; when it returns without error they are. ErrFull: there is no room now, and
// after is when to come again. What a request carries is taken whole or not at all.
func (x *Intake) Take(ctx context.Context, list []live.Message, other int) (t Taken, after time.Duration, err error) {
	if len(list) == 0 {
		x.mu.Lock()
		x.sum.Other += int64(other)
		x.mu.Unlock()
		return t, 0, nil
	}
	p := parcel{list, make(chan answer, 1)}
	x.mu.Lock()
	switch {
	case x.closed:
		x.mu.Unlock()
		return t, time.Second, ErrFull
	case x.waiting > 0 && x.waiting+len(list) > mostWaiting:
		x.sum.Turned += int64(len(list))
		after := x.after()
		x.mu.Unlock()
		return t, after, ErrFull
	}
	x.waiting += len(list)
	x.parcels <- p // it has room for as many as may wait
	x.mu.Unlock()
	select {
	case a := <-p.answer:
		if a.err == nil {
			x.mu.Lock()
			x.sum.Other += int64(other)
			x.mu.Unlock()
		}
		return a.Taken, 0, a.err
	case <-ctx.Done(): // it may be stored nevertheless; the sender sends it again, and it counts once
		return t, 0, ctx.Err()
	}
}

// after is when there will be room again, about.
func (x *Intake) after() time.Duration {
	if x.pace <= 0 {
		return 5 * time.Second
	}
	s := float64(x.waiting) / x.pace
	return time.Duration(min(max(s, 1), 60) * float64(time.Second))
}

// Sum tells what was taken in since the start.
func (x *Intake) Sum() Sum {
	x.mu.Lock()
	defer x.mu.Unlock()
	s := x.sum
	s.Waiting = x.waiting
	return s
}

// Room tells how much of live records is kept.
func (x *Intake) Room() store.LiveRoom { return x.room }

// run stores what comes: everything that waits while the last is stored, together.
func (x *Intake) run(ctx context.Context) {
	defer close(x.ended)
	for p := range x.parcels {
		all, list := []parcel{p}, p.list
		for more := true; more && len(list) < mostTogether; {
			select {
			case p, open := <-x.parcels:
				if more = open; open {
					all, list = append(all, p), append(list[:len(list):len(list)], p.list...)
				}
			default:
				more = false
			}
		}
		x.put(ctx, all, list)
	}
}

// put stores parcels together; where that fails, one by one, so that none fails for another.
func (x *Intake) put(ctx context.Context, all []parcel, list []live.Message) {
	began := time.Now()
	counted, err := x.store.PutLive(ctx, list)
	took := time.Since(began)
	if err != nil && len(all) > 1 {
		for _, p := range all {
			x.put(ctx, []parcel{p}, p.list)
		}
		return
	}
	if err != nil {
		x.log.Warn("cannot store what was told of jobs; its senders are told to send it again", "messages", len(list), "error", err)
		counted = make([]bool, len(list))
	}
	answers, from := make([]answer, len(all)), 0
	var sum Taken
	for i, p := range all {
		for _, fresh := range counted[from : from+len(p.list)] {
			if fresh {
				answers[i].New++
			}
		}
		answers[i].Known, answers[i].err = len(p.list)-answers[i].New, err
		sum.New, sum.Known = sum.New+answers[i].New, sum.Known+answers[i].Known
		from += len(p.list)
	}
	x.mu.Lock()
	x.waiting -= len(list)
	if err == nil {
		x.sum.New, x.sum.Known = x.sum.New+int64(sum.New), x.sum.Known+int64(sum.Known)
		if pace := float64(len(list)) / max(took.Seconds(), 1e-4); x.pace == 0 {
			x.pace = pace
		} else {
			x.pace += 0.2 * (pace - x.pace)
		}
	}
	x.mu.Unlock()
	for i, p := range all {
		p.answer <- answers[i]
	}
}

// sweep keeps live records within their bounds.
func (x *Intake) sweep(ctx context.Context) {
	tick := time.NewTicker(sweepEvery)
	defer tick.Stop()
	for {
		n, err := x.store.DropLive(ctx, x.room)
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
			x.log.Warn("cannot drop what is beyond the bounds of live records; it is tried again", "error", err)
		case n > 0:
			x.log.Info("live records that were too old or too many went", "runs", n)
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return
		}
	}
}

// Close stores what waits and ends.
func (x *Intake) Close() {
	x.mu.Lock()
	if x.closed {
		x.mu.Unlock()
		return
	}
	x.closed = true
	close(x.parcels)
	x.mu.Unlock()
	<-x.ended
	x.stop()
}
