// Package trials runs preflights and rehearsals for the service: one after the
// other is not needed, but only a few at a time, each followed by whoever wants to,
// ended by whoever asked, and kept.
package trials

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/kube"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// Kinds of trials.
const (
	Preflight = "preflight"
	Rehearsal = "rehearsal"
)

// most is how many trials run at a time; longest is how long one may take.
const (
	most    = 4
	longest = 15 * time.Minute
)

// lease is how long a trial stays a process's without a sign of life, and beat how often
// it gives one.
const (
	lease = 12 * time.Second
	beat  = 2 * time.Second
)

// BrokenOff is the error of a trial whose process went.
const BrokenOff = "the service stopped in the middle of it; what it made ends by itself"

// A Report is what came of a trial, or has so far.
type Report struct {
	Checks    []wire.Check    `json:"checks,omitempty" doc:"Of a preflight: its checks, in order."`
	Rehearsal *wire.Rehearsal `json:"rehearsal,omitempty" doc:"Of a rehearsal: the agent's life."`
}

// A Runner runs trials.
type Runner struct {
	store   *store.Store
	library *runs.Library
	log     *slog.Logger
	options kube.Options

	holder  string
	quit    chan struct{} // closed by Close
	beating sync.WaitGroup

	mu      sync.Mutex
	running map[uint64]*trial
	coming  int // that have a place and are not running yet
	work    sync.WaitGroup
	closed  bool
}

// trial is one that runs.
type trial struct {
	stop context.CancelFunc
	mu   sync.Mutex
	said Report
	seen int // changes so far
}

// Start returns a runner. options say which kubeconfig the service uses.
func Start(s *store.Store, l *runs.Library, log *slog.Logger, options kube.Options) *Runner {
	r := &Runner{
		store: s, library: l, log: log, options: options, running: map[uint64]*trial{},
		holder: store.NewHolder(), quit: make(chan struct{}),
	}
	r.beating.Go(r.heart)
	return r
}

// heart says that this process works on its trials, ends those that were cancelled
// elsewhere, and breaks off those of processes that are no more.
func (r *Runner) heart() {
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		if err := r.look(); err != nil {
			r.log.Warn("cannot look after trials; trying again", "error", err)
		}
		select {
		case <-r.quit:
			return
		case <-tick.C:
		}
	}
}

func (r *Runner) look() error {
	ctx, done := context.WithTimeout(context.Background(), 5*time.Second)
	defer done()
	if err := r.store.BreakOffTrials(ctx, BrokenOff, false); err != nil {
		return err
	}
	r.mu.Lock()
	mine := slices.Collect(maps.Keys(r.running))
	r.mu.Unlock()
	if len(mine) == 0 {
		return nil
	}
	still, err := r.store.RenewTrials(ctx, r.holder, lease)
	if err != nil {
		return err
	}
	for _, id := range mine {
		if !slices.Contains(still, id) {
			r.stop(id)
		}
	}
	return nil
}

// enter takes a place for a trial to come, if there is one.
func (r *Runner) enter() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed || len(r.running)+r.coming >= most {
		return false
	}
	r.coming++
	r.work.Add(1)
	return true
}

// leave gives the place back of a trial that did not come to run.
func (r *Runner) leave() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.coming--
	r.work.Done()
}

// Contexts lists the clusters that trials can be made on, the usual one first.
func (r *Runner) Contexts() ([]string, error) { return kube.Contexts(r.options) }

// Ask begins a trial of a stored template. scenario may be empty: the first that
// uses it; so may the cluster's context.
func (r *Runner) Ask(ctx context.Context, kind, template, scenario, cluster, by string) (store.Trial, error) {
	t := store.Trial{Kind: kind, Template: template, Scenario: scenario, State: wire.Running, By: by}
	shelf, err := r.library.Shelf(ctx, document.Reading{})
	if err != nil {
		return t, err
	}
	d := shelf.Find(document.KindPodTemplate, template)
	if d == nil {
		return t, store.ErrNotFound
	}
	plan, err := kube.PlanFor(shelf, []*document.Document{d}, scenario)
	if err != nil {
		return t, refusal{err}
	}
	o := r.options
	o.Context = cluster
	conn, err := kube.Connect(o)
	if err != nil {
		return t, refusal{err}
	}
	t.Context = conn.Context
	if !r.enter() {
		return t, store.ErrBusy
	}
	t.Holder, t.Lease = r.holder, r.store.Until(lease)
	if err := r.store.PutTrial(ctx, &t); err != nil {
		r.leave()
		return t, err
	}
	tools := shelf.Tools(d)
	do := func(ctx context.Context, x *trial) error {
		if kind == Preflight {
			conn.Preflight(ctx, plan, func(c wire.Check) {
				x.change(func(s *Report) { s.Checks = append(s.Checks, c) })
			})
			return nil
		}
		out := conn.Rehearse(ctx, d, tools, kube.Patience{}, func(now wire.Rehearsal) { x.change(func(s *Report) { s.Rehearsal = &now }) })
		x.change(func(s *Report) { s.Rehearsal = &out })
		return nil
	}
	r.run(t, do)
	return t, nil
}

// A refusal is an error that the one who asked can mend.
type refusal struct{ error }

// Refused reports whether an error is one that the one who asked can mend.
func Refused(err error) bool {
	var r refusal
	return errors.As(err, &r)
}

func (x *trial) change(f func(*Report)) {
	x.mu.Lock()
	defer x.mu.Unlock()
	f(&x.said)
	x.seen++
}

// run works on a trial, which has a place, in the background.
func (r *Runner) run(t store.Trial, do func(context.Context, *trial) error) {
	ctx, stop := context.WithTimeout(context.Background(), longest)
	x := &trial{stop: stop}
	r.mu.Lock()
	r.running[t.ID] = x
	r.coming--
	if r.closed {
		stop()
	}
	r.mu.Unlock()
	go func() {
		defer r.work.Done()
		defer stop()
		err := safely(func() error { return do(ctx, x) })
		x.mu.Lock()
		b, _ := json.Marshal(x.said)
		x.mu.Unlock()
		t.Report, t.State = string(b), wire.Done
		switch {
		case err != nil:
			r.log.Error("defect of a trial", "trial", t.ID, "error", err)
			t.State, t.Error = wire.Failed, "a defect of the service; its log says more"
		case errors.Is(ctx.Err(), context.Canceled):
			t.State = wire.Cancelled
		}
		t.Lease = nil
		r.keep(&t)
		r.mu.Lock()
		delete(r.running, t.ID)
		r.mu.Unlock()
	}()
}

// keep stores a trial's end, however long the database is away; once the service closes
// it tries for a few seconds more, and the next one breaks the trial off.
func (r *Runner) keep(t *store.Trial) {
	for closing := 0; ; {
		ctx, done := context.WithTimeout(context.Background(), 5*time.Second)
		err := r.store.PutTrial(ctx, t)
		done()
		if err == nil {
			return
		}
		r.log.Warn("cannot keep a trial; trying again", "trial", t.ID, "error", err)
		select {
		case <-r.quit:
			if closing++; closing > 5 {
				return
			}
		default:
		}
		time.Sleep(time.Second)
	}
}

func safely(f func() error) (err error) {
	defer func() {
		if p := recover(); p != nil {
			err = fmt.Errorf("panic: %v", p)
		}
	}()
	return f()
}

// Report returns what is known of a trial by now, and a number that grows with
// every change.
func (r *Runner) Report(t store.Trial) (Report, int) {
	r.mu.Lock()
	x := r.running[t.ID]
	r.mu.Unlock()
	if x == nil {
		var said Report
		_ = json.Unmarshal([]byte(t.Report), &said) // ours; empty if it cannot be read
		return said, -1
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	said := x.said
	said.Checks = append([]wire.Check(nil), said.Checks...)
	if said.Rehearsal != nil {
		copied := *said.Rehearsal
		copied.Events = append([]wire.Event{}, copied.Events...)
		said.Rehearsal = &copied
	}
	return said, x.seen
}

// Cancel ends a trial that is not over; what it made is taken away. One that another
// process works on is ended by that, within seconds.
func (r *Runner) Cancel(ctx context.Context, id uint64) error {
	if r.stop(id) {
		return nil
	}
	return r.store.CancelTrial(ctx, id)
}

// stop ends a trial of this process, and reports whether it was one.
func (r *Runner) stop(id uint64) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	x := r.running[id]
	if x != nil {
		x.stop()
	}
	return x != nil
}

// Close ends all trials and waits until what they made is taken away.
func (r *Runner) Close() {
	r.mu.Lock()
	if !r.closed {
		close(r.quit)
	}
	r.closed = true
	for _, x := range r.running {
		x.stop()
	}
	r.mu.Unlock()
	r.work.Wait()
	r.beating.Wait()
}
