package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/internal/library"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"

	"github.com/danielgtaylor/huma/v2"
)

func (s *server) pathOperations(api huma.API) {
	huma.Register(api, huma.Operation{
		OperationID: "path", Method: http.MethodGet, Path: "/api/v1/path", Summary: "How far the work on a scenario is, step by step",
		Description: "What is known, what is missing, what to do next, and how sure the whole is.", Tags: []string{"scenarios"},
	}, s.path)
}

// A walker looks at the steps of the work on one scenario.
type walker struct {
	s        *server
	scenario *document.Document
	spec     *document.ScenarioSpec
	pinned   library.Pinned
	shelf    *review.Shelf
	used     []*document.Document   // its templates that there are
	names    []string               // of these
	last     map[string]*store.Work // newest finished work on it, by kind, as it is asked for
}

func (s *server) path(ctx context.Context, in *struct {
	Scenario string `query:"scenario" maxLength:"63" doc:"Its name; absent: the one that was simulated last."`
},
) (*struct{ Body wire.Path }, error) {
	out := wire.Path{Steps: []wire.Stage{}}
	w, err := s.walker(ctx, in.Scenario)
	if err != nil {
		return nil, s.answer(err, "scenario "+in.Scenario)
	}
	if w.scenario != nil {
		out.Scenario = w.scenario.Name
	}
	for _, step := range []func(context.Context) (wire.Stage, error){
		w.connect, w.template, w.match, w.try, w.size, w.scale, w.cache, w.cost, w.decide, w.watch,
	} {
		x, err := step(ctx)
		if err != nil {
			return nil, s.answer(err, "path")
		}
		switch {
		case x.Missing == "":
			x.State, x.Next = wire.StageDone, ""
		case x.Known != "":
			x.State = wire.StageBegun
		default:
			x.State = wire.StageMissing
		}
		if out.Next == "" && x.State != wire.StageDone {
			out.Next = x.Step
		}
		out.Steps = append(out.Steps, x)
	}
	if out.Sure, err = w.sure(ctx); err != nil {
		return nil, s.answer(err, "path")
	}
	return &struct{ Body wire.Path }{out}, nil
}

// walker finds the scenario that is meant and what it names; without a name the one that was simulated last, or else the
// first; none where there is none.
func (s *server) walker(ctx context.Context, name string) (*walker, error) {
	w := &walker{s: s, last: map[string]*store.Work{}}
	if name == "" {
		last, err := s.Store.ListWork(ctx, work.Names(&work.Simulation), "", false, 0, 1)
		if err != nil {
			return nil, err
		}
		if len(last) > 0 {
			name = last[0].Subject
		}
		if _, err := s.Store.Get(ctx, document.KindScenario, name, 0); name == "" || errors.Is(err, store.ErrNotFound) {
			first, err := s.Store.List(ctx, document.KindScenario, "", "", 1)
			if err != nil {
				return nil, err
			}
			if len(first) == 0 {
				return w, nil
			}
			name = first[0].Name
		} else if err != nil {
			return nil, err
		}
	}
	h, err := s.Store.Get(ctx, document.KindScenario, name, 0)
	if err != nil {
		return nil, err
	}
	all, err := s.Queue.Library.PinAll(ctx, []store.Head{h})
	if err != nil || all[0].Scenario == nil {
		return w, err
	}
	w.pinned, w.scenario = all[0], all[0].Scenario
	w.spec = &w.scenario.Value.(*document.Scenario).Spec
	if w.shelf, err = s.Queue.Library.Shelf(ctx, document.Reading{}); err != nil {
		return nil, err
	}
	for _, t := range w.spec.Templates {
		if d := w.shelf.Find(document.KindPodTemplate, t.Template); d != nil {
			w.used, w.names = append(w.used, d), append(w.names, d.Name)
		}
	}
	return w, nil
}

// sure says how sure the whole is: how many of the facts are measured, and whether it came true.
func (w *walker) sure(ctx context.Context) (string, error) {
	if w.scenario == nil {
		return "Nothing is known yet.", nil
	}
	d := w.shelf.Find(document.KindCluster, w.spec.Cluster)
	if d == nil {
		return "There is no cluster " + w.spec.Cluster + ": nothing can be said.", nil
	}
	var images []string
	for _, t := range w.used {
		if a, faults := template.Read(t); len(faults) == 0 {
			images = append(images, a.Images...)
		}
	}
	facts := doubt.Facts(&d.Value.(*document.Cluster).Spec, images, time.Now())
	measured := 0
	for _, f := range facts {
		if f.Known == doubt.Measured {
			measured++
		}
	}
	says := fmt.Sprintf("%s of %s that it may hang on are measured and not old", numeral(measured), counted(len(facts), "fact"))
	o, err := w.newest(ctx, &work.Backtesting)
	switch {
	case err != nil:
		return "", err
	case o == nil:
		return says + "; it has not been compared with what happened.", nil
	case inBrief(w.s.Queue, *o).Backtest.Agrees:
		return says + "; beside what happened it came true, as far as chance goes.", nil
	}
	return says + "; beside what happened it was off by more than chance explains.", nil
}

// numeral begins a sentence with a number: none is said in a word.
func numeral(n int) string {
	if n == 0 {
		return "None"
	}
	return fmt.Sprint(n)
}

// listed writes some names, and how many more there are.
func listed(names []string) string {
	if len(names) > 3 {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:3], ", "), len(names)-3)
	}
	return strings.Join(names, ", ")
}
