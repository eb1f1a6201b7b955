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
	"sync"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/kube"
	"tachyphor/internal/runs"
	"tachyphor/internal/store"
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

// A Report is what came of a trial, or has so far.
type Report struct {
	Checks    []kube.Check    `json:"checks,omitempty" doc:"Of a preflight: its checks, in order."`
	Rehearsal *kube.Rehearsal `json:"rehearsal,omitempty" doc:"Of a rehearsal: the agent's life."`
}

// A Runner runs trials.
type Runner struct {
	store   *store.Store
	library *runs.Library
	log     *slog.Logger
	options kube.Options

	mu      sync.Mutex
	running map[uint64]*trial
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
	return &Runner{store: s, library: l, log: log, options: options, running: map[uint64]*trial{}}
}

// Contexts lists the clusters that trials can be made on, the usual one first.
func (r *Runner) Contexts() ([]string, error) { return kube.Contexts(r.options) }

// Ask begins a trial of a stored template. scenario may be empty: the first that
// uses it; so may the cluster's context.
func (r *Runner) Ask(ctx context.Context, kind, template, scenario, cluster, by string) (store.Trial, error) {
	t := store.Trial{Kind: kind, Template: template, Scenario: scenario, State: store.Running, By: by}
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
	r.mu.Lock()
	full := len(r.running) >= most || r.closed
	r.mu.Unlock()
	if full {
		return t, store.ErrBusy
	}
	if err := r.store.PutTrial(ctx, &t); err != nil {
		return t, err
	}
	tools := shelf.Tools(d)
	do := func(ctx context.Context, x *trial) error {
		if kind == Preflight {
			conn.Preflight(ctx, plan, func(c kube.Check) {
				x.change(func(s *Report) { s.Checks = append(s.Checks, c) })
			})
			return nil
		}
		out := conn.Rehearse(ctx, d, tools, kube.Patience{}, func(now kube.Rehearsal) { x.change(func(s *Report) { s.Rehearsal = &now }) })
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

// run works on a trial in the background.
func (r *Runner) run(t store.Trial, do func(context.Context, *trial) error) {
	ctx, stop := context.WithTimeout(context.Background(), longest)
	x := &trial{stop: stop}
	r.mu.Lock()
	r.running[t.ID] = x
	r.work.Add(1)
	r.mu.Unlock()
	go func() {
		defer r.work.Done()
		defer stop()
		err := safely(func() error { return do(ctx, x) })
		x.mu.Lock()
		b, _ := json.Marshal(x.said)
		x.mu.Unlock()
		t.Report, t.State = string(b), store.Done
		switch {
		case err != nil:
			r.log.Error("defect of a trial", "trial", t.ID, "error", err)
			t.State, t.Error = store.Failed, "a defect of the service; its log says more"
		case errors.Is(ctx.Err(), context.Canceled):
			t.State = store.Cancelled
		}
		keep, done := context.WithTimeout(context.Background(), 30*time.Second)
		defer done()
		if err := r.store.PutTrial(keep, &t); err != nil {
			r.log.Error("cannot keep a trial", "trial", t.ID, "error", err)
		}
		r.mu.Lock()
		delete(r.running, t.ID)
		r.mu.Unlock()
	}()
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
	said.Checks = append([]kube.Check(nil), said.Checks...)
	if said.Rehearsal != nil {
		copied := *said.Rehearsal
		copied.Events = append([]kube.Event{}, copied.Events...)
		said.Rehearsal = &copied
	}
	return said, x.seen
}

// Cancel ends a trial; what it made is taken away.
func (r *Runner) Cancel(id uint64) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if x := r.running[id]; x != nil {
		x.stop()
	}
}

// Close ends all trials and waits until what they made is taken away.
func (r *Runner) Close() {
	r.mu.Lock()
	r.closed = true
	for _, x := range r.running {
		x.stop()
	}
	r.mu.Unlock()
	r.work.Wait()
}
