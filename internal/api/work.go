package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"time"

	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
)

// A told is how work of some kinds is told of: what can be done with it is the same for all.
type told struct {
	kinds []string // in the records
	name  string   // what is kept of one: "outcome"
	adds  func(*work.Queue, store.Work, *wire.WorkBrief)
}

// allTold are all kinds of work.
var allTold = []*told{&outcomes, &weighings, &doubtings, &explorations, &margins, &pullings, &backtestings, &forecastings, &trials}

// everyKind lists them as the records know them.
var everyKind = func() (out []string) {
	for _, t := range allTold {
		out = append(out, t.kinds...)
	}
	return out
}()

// what names one in an error.
func (t *told) what(id uint64) string { return fmt.Sprintf("%s %d", t.name, id) }

// get returns work that is of these kinds.
func (t *told) get(ctx context.Context, s *server, id uint64) (store.Work, error) {
	o, err := s.Store.GetWork(ctx, t.kinds, id)
	if err != nil {
		return o, s.answer(err, t.what(id))
	}
	return o, nil
}

// notOver says that work has no result to look into.
func (t *told) notOver(o store.Work) error {
	return huma.Error409Conflict(t.what(o.ID) + " is " + string(o.State) + "; only a finished one can be looked into")
}

// toMillis writes moments of UTC, as the records keep them.
const toMillis = "2006-01-02T15:04:05.000Z"

// inBrief tells of work.
func inBrief(q *work.Queue, o store.Work) wire.WorkBrief {
	b := wire.WorkBrief{
		ID: o.ID, Kind: o.Kind, About: o.Subject, State: o.State, Progress: q.Progress(o), Error: o.Error,
		Asked: o.Asked.Format(toMillis), By: o.By,
	}
	b.Called, b.Pinned, b.Trimmed = o.Called, o.Pinned, o.Trimmed
	if o.Stack != nil {
		b.Defect = *o.Stack
	}
	if o.Started != nil && o.Ended != nil {
		b.Seconds = max(0, o.Ended.Sub(*o.Started).Seconds()) // the clock may have been set back in between
	}
	for _, t := range allTold {
		if slices.Contains(t.kinds, o.Kind) {
			t.adds(q, o, &b)
		}
	}
	return b
}

// toldTo tells of work to who asks: what a pod wrote is for operators.
func (s *server) toldTo(ctx context.Context, o store.Work) wire.WorkBrief {
	b := inBrief(s.Queue, o)
	if t := b.Trial; t != nil && t.Agent != nil && t.Agent.Log != "" && !callerOf(ctx).May.May(wire.Operator) {
		agent := *t.Agent
		agent.Log = "(what the pod wrote is for operators)"
		t.Agent = &agent
	}
	return b
}

// inputsOf is what work on a scenario is computed from.
func inputsOf(o store.Work) (in wire.Inputs) {
	_ = json.Unmarshal([]byte(o.Question), &in) // ours; empty if it cannot be read
	return in
}

// WorkPath names work in an address.
type WorkPath struct {
	ID uint64 `path:"id" minimum:"1" doc:"Its number."`
}

// WorkOfKind names work of some kinds in an address.
type WorkOfKind struct {
	WorkPath
	OfKinds
}

// OfKinds are kinds of work that are meant.
type OfKinds struct {
	Kind []string `query:"kind" enum:"simulation,weighing,doubt,exploration,margin,pulls,backtest,forecast,preflight,rehearsal" doc:"Only work of these kinds; absent: of all."`
}

// names lists them as the records know them.
func (k OfKinds) names() []string {
	if len(k.Kind) == 0 {
		return everyKind
	}
	return k.Kind
}

// what names the work in an error, by what is kept of it where only that is meant.
func (w WorkOfKind) what() string {
	for _, t := range allTold {
		if !slices.ContainsFunc(w.names(), func(k string) bool { return !slices.Contains(t.kinds, k) }) {
			return t.what(w.ID)
		}
	}
	return fmt.Sprintf("work %d", w.ID)
}

// An accepted answer says where to watch what was taken on.
type accepted struct {
	Location string `header:"Location"`
	Body     wire.WorkBrief
}

// accept answers that work was taken on.
func (s *server) accept(o store.Work) *accepted {
	return &accepted{fmt.Sprintf("/api/v1/work/%d", o.ID), inBrief(s.Queue, o)}
}

// workOperations is what can be done with work of every kind.
func (s *server) workOperations(api huma.API) {
	describe := func(verb, method, path, summary string) huma.Operation {
		return huma.Operation{OperationID: verb + "-work", Method: method, Path: "/api/v1/work" + path, Summary: summary, Tags: []string{"work"}}
	}
	huma.Register(api, describe("list", http.MethodGet, "", "List work, newest first"), s.listWork)
	huma.Register(api, describe("get", http.MethodGet, "/{id}", "Get work in brief"),
		func(ctx context.Context, in *WorkOfKind) (*struct{ Body wire.WorkBrief }, error) {
			o, err := s.Store.GetWork(ctx, in.names(), in.ID)
			if err != nil {
				return nil, s.answer(err, in.what())
			}
			return &struct{ Body wire.WorkBrief }{s.toldTo(ctx, o)}, nil
		})
	huma.Register(api, describe("cancel", http.MethodPost, "/{id}/cancel", "Cancel work that is not over"),
		func(ctx context.Context, in *WorkOfKind) (*struct{ Body wire.WorkBrief }, error) {
			o, err := s.Queue.Cancel(ctx, in.names(), in.ID)
			if err != nil {
				return nil, s.answer(err, in.what())
			}
			return &struct{ Body wire.WorkBrief }{s.toldTo(ctx, o)}, nil
		})
	huma.Register(api, describe("drop", http.MethodDelete, "/{id}", "Delete finished work and its results"),
		func(ctx context.Context, in *WorkOfKind) (*struct{}, error) {
			err := s.Queue.Drop(ctx, in.names(), in.ID)
			if errors.Is(err, store.ErrConflict) {
				return nil, huma.Error409Conflict(in.what() + " is not over; cancel it first")
			}
			if err != nil {
				return nil, s.answer(err, in.what())
			}
			return nil, nil
		})
	sse.Register(api, describe("watch", http.MethodGet, "/{id}/progress", "Watch work, as server-sent events"),
		map[string]any{"progress": wire.WorkBrief{}},
		func(ctx context.Context, in *WorkOfKind, send sse.Sender) { s.watchWork(ctx, *in, send) })
}

func (s *server) listWork(ctx context.Context, in *struct {
	OfKinds
	About  string `query:"about" maxLength:"63" doc:"Only of this scenario or template."`
	Open   bool   `query:"open" doc:"Only what waits or runs."`
	Cursor uint64 `query:"cursor" doc:"Where to go on."`
	Limit  int    `query:"limit" minimum:"1" maximum:"100" default:"50" doc:"Most entries."`
},
) (*struct{ Body wire.Page[wire.WorkBrief] }, error) {
	list, err := s.Store.ListWork(ctx, in.names(), in.About, in.Open, in.Cursor, in.Limit+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := wire.Page[wire.WorkBrief]{Items: []wire.WorkBrief{}}
	for i, o := range list {
		if i == in.Limit {
			page.Next = list[i-1].ID
			break
		}
		page.Items = append(page.Items, s.toldTo(ctx, o))
	}
	return &struct{ Body wire.Page[wire.WorkBrief] }{page}, nil
}

// watchWork sends what changes of work until it is over.
func (s *server) watchWork(ctx context.Context, in WorkOfKind, send sse.Sender) {
	var last work.Sign // none is like it
	s.works.follow(ctx, in.ID, func(o store.Work, there bool) bool {
		if !there || !slices.Contains(in.names(), o.Kind) {
			now := time.Now().UTC().Format(toMillis)
			_ = send.Data(wire.WorkBrief{ID: in.ID, State: wire.Failed, Error: "there is no " + in.what(), Asked: now})
			return true
		}
		if now := s.Queue.Sign(o); now != last {
			if send.Data(s.toldTo(ctx, o)) != nil {
				return true
			}
			last = now
		}
		return o.State.Over()
	})
}
