package work

import (
	"context"
	"fmt"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/internal/kube"
	"tachyphor/internal/store"
	"tachyphor/wire"
)

// A Tried is the question of a preflight or a rehearsal.
type Tried struct {
	Template string `json:"template"`
	Scenario string `json:"scenario"` // empty: the first that uses the template
	Context  string `json:"context"`  // of the kubeconfig
	Risky    bool   `json:"risky"`    // what a review finds risky may be made
}

// A Report is what came of a trial, or has so far: its checkpoint.
type Report struct {
	Checks    []wire.Check    `json:"checks,omitempty"`    // of a preflight, in order
	Rehearsal *wire.Rehearsal `json:"rehearsal,omitempty"` // of a rehearsal
}

// A Refusal is an error that the one who asked can mend.
type Refusal struct{ error }

// Contexts lists the clusters that trials can be made on, the usual one first.
func (q *Queue) Contexts() ([]string, error) { return kube.Contexts(q.cluster.Options) }

// Try begins a preflight or a rehearsal of a stored template. ErrBusy: several are made
// already.
func (q *Queue) Try(ctx context.Context, k *Kind, by string, t Tried) (store.Work, error) {
	s, err := q.setting(ctx, k, t)
	if err != nil {
		return store.Work{}, err
	}
	t.Context = s.conn.Context
	if !q.place() {
		return store.Work{}, store.ErrBusy
	}
	w, err := q.enter(ctx, k, store.Work{Subject: t.Template, By: by, Holder: q.holder}, t)
	if err != nil {
		q.leavePlace()
		return w, err
	}
	q.all.Go(func() {
		defer q.leavePlace()
		q.run(w, s)
	})
	return w, nil
}

// place takes a place for live work, if there is one.
func (q *Queue) place() bool {
	q.mu.Lock()
	defer q.mu.Unlock()
	if q.closed || q.live >= liveAtOnce {
		return false
	}
	q.live++
	return true
}

func (q *Queue) leavePlace() {
	q.mu.Lock()
	defer q.mu.Unlock()
	q.live--
}

// setting is what a trial is made with: put together when it is asked for, so that what is
// wrong is told at once.
type setting struct {
	template *document.Document
	plan     kube.Plan
	conn     *kube.Cluster
	tools    []string
}

func (q *Queue) setting(ctx context.Context, k *Kind, t Tried) (s setting, err error) {
	shelf, err := q.Library.Shelf(ctx, document.Reading{})
	if err != nil {
		return s, err
	}
	if s.template = shelf.Find(document.KindPodTemplate, t.Template); s.template == nil {
		return s, store.ErrNotFound
	}
	if s.plan, err = kube.PlanFor(shelf, []*document.Document{s.template}, t.Scenario); err != nil {
		return s, Refusal{err}
	}
	if k == &Rehearsal {
		if err := q.mayMake(shelf, s.template, t.Risky); err != nil {
			return s, Refusal{err}
		}
	}
	o := q.cluster.Options
	o.Context = t.Context
	if s.conn, err = kube.Connect(o); err != nil {
		return s, Refusal{err}
	}
	s.tools = shelf.Tools(s.template)
	return s, nil
}

// mayMake says why no agent of a template may be made; nil: one may.
func (q *Queue) mayMake(shelf *review.Shelf, d *document.Document, risky bool) error {
	if err := q.cluster.in(d.Value.(*document.PodTemplate).Namespace); err != nil {
		return err
	}
	if list := risks(shelf, d); len(list) > 0 && !risky {
		return fmt.Errorf("a review finds what is risky about %s (%s): mend it, or say that it may be made all the same (--risky at the command line)",
			d.Name, strings.Join(list, ", "))
	}
	return nil
}
