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

// A longWork is work of some kinds that is taken on, queued, watched and kept, told as B:
// what can be done with it is the same for all kinds.
type longWork[B any] struct {
	kinds   []string // in the records
	name    string   // of one; its addresses have an s behind it
	doing   string   // what is done: "simulation"
	brief   func(*work.Queue, store.Work) B
	missing func(id uint64, why string) B // what is told of one that is not there
}

// workOf tells of work on a scenario, and what it was computed from.
func workOf(q *work.Queue, o store.Work) (wire.WorkBrief, wire.Inputs) {
	b := wire.WorkBrief{
		ID: o.ID, Scenario: o.Subject, State: string(o.State), Progress: q.Progress(o), Error: o.Error,
		Asked: o.Asked.Format("2006-01-02T15:04:05.000Z"), By: o.By,
	}
	if o.Stack != nil {
		b.Defect = *o.Stack
	}
	if o.Started != nil && o.Ended != nil {
		b.Seconds = seconds(*o.Started, *o.Ended)
	}
	var in wire.Inputs
	_ = json.Unmarshal([]byte(o.Question), &in) // ours; empty if it cannot be read
	return b, in
}

// absent is what is told of work on a scenario that is not there.
func absent(id uint64, why string) wire.WorkBrief {
	return wire.WorkBrief{ID: id, State: string(wire.Failed), Error: why}
}

// seconds is how long something took by the clock on the wall, which may have been set
// back in between: never less than nothing.
func seconds(from, to time.Time) float64 { return max(0, to.Sub(from).Seconds()) }

// WorkPath names an outcome or a weighing in an address.
type WorkPath struct {
	ID uint64 `path:"id" minimum:"1" doc:"Its number."`
}

// An accepted answer says where to watch what was taken on.
type accepted[B any] struct {
	Location string `header:"Location"`
	Body     B
}

func (l longWork[B]) what(id uint64) string { return fmt.Sprintf("%s %d", l.name, id) }

// path is where work of the kind is found.
func (l longWork[B]) path() string { return "/api/v1/" + l.name + "s" }

// accept answers that work was taken on.
func (l longWork[B]) accept(s *server, o store.Work) *accepted[B] {
	return &accepted[B]{fmt.Sprintf("%s/%d", l.path(), o.ID), l.brief(s.Queue, o)}
}

// list returns a page of work about a subject, of all when empty.
func (l longWork[B]) list(ctx context.Context, s *server, subject string, cursor uint64, limit int) (*struct{ Body wire.Page[B] }, error) {
	list, err := s.Store.ListWork(ctx, l.kinds, subject, cursor, limit+1)
	if err != nil {
		return nil, s.answer(err, "list")
	}
	page := wire.Page[B]{Items: []B{}}
	for i, o := range list {
		if i == limit {
			page.Next = list[i-1].ID
			break
		}
		page.Items = append(page.Items, l.brief(s.Queue, o))
	}
	return &struct{ Body wire.Page[B] }{page}, nil
}

// notOver says that work has no result to look into.
func (l longWork[B]) notOver(o store.Work) error {
	return huma.Error409Conflict(l.what(o.ID) + " is " + string(o.State) + "; only a finished one can be looked into")
}

// operation describes what can be done with the work.
func (l longWork[B]) operation(verb, method, path, summary string) huma.Operation {
	return huma.Operation{OperationID: verb, Method: method, Path: path, Summary: summary, Tags: []string{l.name + "s"}}
}

// lists lists work about scenarios.
func (l longWork[B]) lists(s *server, api huma.API) {
	huma.Register(api, l.operation("list-"+l.name+"s", http.MethodGet, l.path(), "List "+l.name+"s, newest first"),
		func(ctx context.Context, in *struct {
			Scenario string `query:"scenario" maxLength:"63" doc:"Only of this scenario."`
			Cursor   uint64 `query:"cursor" doc:"Where to go on."`
			Limit    int    `query:"limit" minimum:"1" maximum:"100" default:"50" doc:"Most entries."`
		},
		) (*struct{ Body wire.Page[B] }, error) {
			return l.list(ctx, s, in.Scenario, in.Cursor, in.Limit)
		})
}

// operations cancels, drops and watches work.
func (l longWork[B]) operations(s *server, api huma.API) {
	one := l.path() + "/{id}"
	huma.Register(api, l.operation("cancel-"+l.name, http.MethodPost, one+"/cancel", "Cancel a "+l.doing),
		func(ctx context.Context, in *WorkPath) (*struct{ Body B }, error) {
			o, err := s.Queue.Cancel(ctx, l.kinds, in.ID)
			if err != nil {
				return nil, s.answer(err, l.what(in.ID))
			}
			return &struct{ Body B }{l.brief(s.Queue, o)}, nil
		})
	huma.Register(api, l.operation("drop-"+l.name, http.MethodDelete, one, "Take a "+l.doing+" away that is over, with all it gave"),
		func(ctx context.Context, in *WorkPath) (*struct{}, error) {
			err := s.Queue.Drop(ctx, l.kinds, in.ID)
			if errors.Is(err, store.ErrConflict) {
				return nil, huma.Error409Conflict(l.what(in.ID) + " is not over; cancel it first")
			}
			if err != nil {
				return nil, s.answer(err, l.what(in.ID))
			}
			return nil, nil
		})
	var told B
	sse.Register(api, l.operation("watch-"+l.name, http.MethodGet, one+"/progress", "Watch a "+l.doing+", as server-sent events"),
		map[string]any{"progress": told},
		func(ctx context.Context, in *WorkPath, send sse.Sender) { l.watch(ctx, s, in.ID, send) })
}

// watch sends what changes of work until it is over.
func (l longWork[B]) watch(ctx context.Context, s *server, id uint64, send sse.Sender) {
	var last work.Sign // none is like it
	s.works.follow(ctx, id, func(o store.Work, there bool) bool {
		if !there || !slices.Contains(l.kinds, o.Kind) {
			_ = send.Data(l.missing(id, "there is no "+l.what(id)))
			return true
		}
		if now := s.Queue.Sign(o); now != last {
			if send.Data(l.brief(s.Queue, o)) != nil {
				return true
			}
			last = now
		}
		return o.State.Over()
	})
}
