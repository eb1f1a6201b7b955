package api

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/sizing"
	"tachyphor/core/template"
	"tachyphor/internal/store"
	"tachyphor/internal/work"
	"tachyphor/wire"
)

// The steps of the work on a scenario, in their order: what is known of each, what is missing, what to do next.

// newest returns the newest finished work of a kind on the scenario; nil: there is none.
func (w *walker) newest(ctx context.Context, k *work.Kind) (*store.Work, error) {
	if o, ok := w.last[k.Name]; ok {
		return o, nil
	}
	last, err := w.s.Store.LastDone(ctx, k.Name, w.scenario.Name)
	if err != nil {
		return nil, err
	}
	if o, ok := last[w.scenario.Name]; ok {
		w.last[k.Name] = &o
	} else {
		w.last[k.Name] = nil
	}
	return w.last[k.Name], nil
}

// page is a page of the console about something.
func page(place, name string) string { return place + "/" + url.PathEscape(name) }

func (w *walker) connect(ctx context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "connect", Title: "Connect", Next: "Test the connection", Page: "/templates"}
	if len(w.names) > 0 {
		x.Page = page("/templates", w.names[0]) + "?view=live"
	}
	list, err := w.s.Store.ListWork(ctx, work.Names(&work.Preflight), "", false, 0, 20)
	if err != nil {
		return x, err
	}
	for _, o := range list {
		b := inBrief(w.s.Queue, o)
		if o.State != wire.Done || b.Trial == nil {
			continue
		}
		bad := 0
		for _, c := range b.Trial.Checks {
			if c.State != wire.CheckPassed {
				bad++
			}
		}
		x.Known = fmt.Sprintf("%s of %d checks passed on %s, %s.", numeral(len(b.Trial.Checks)-bad), len(b.Trial.Checks), b.Trial.Context, o.Asked.Format("2 January"))
		if bad > 0 {
			x.Missing = numeral(bad) + " did not."
		}
		return x, nil
	}
	x.Missing = "No connection to a cluster has been tested."
	return x, nil
}

func (w *walker) template(_ context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "template", Title: "Design the templates", Next: "Write a first one", Page: "/templates/new"}
	if len(w.used) == 0 {
		x.Missing = "There is no template that a scenario uses."
		return x, nil
	}
	worst, at := 0, ""
	count := map[review.Severity]int{}
	for _, d := range w.used {
		n := 0
		for _, f := range w.shelf.Check(d) {
			count[f.Severity]++
			if f.Severity.AtLeast(review.Risky) {
				n++
			}
		}
		if n > worst {
			worst, at = n, d.Name
		}
	}
	x.Known = strings.Join(w.names, ", ") + "."
	if bad := count[review.WillNotWork]; bad > 0 {
		x.Missing = counted(bad, "finding") + " of what will not work."
	}
	if risky := count[review.Risky]; risky > 0 {
		x.Missing = strings.TrimSpace(x.Missing + " " + counted(risky, "risky thing") + ".")
	}
	x.Next, x.Page = "Mend "+at, page("/templates", at)
	return x, nil
}

func (w *walker) match(_ context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "match", Title: "Match jobs to them", Next: "Bring your jobs", Page: "/start"}
	if w.scenario == nil {
		x.Missing = "There is no scenario with jobs and templates."
		return x, nil
	}
	workload := w.shelf.Find(document.KindWorkload, w.spec.Workload)
	if workload == nil {
		x.Missing, x.Next, x.Page = "There is no workload "+w.spec.Workload+".", "Learn it from a log", "/learn"
		return x, nil
	}
	m := w.shelf.Match(workload, w.scenario)
	var none []string
	for _, c := range m.Classes {
		if len(c.Templates) == 0 {
			none = append(none, c.Class)
		}
	}
	if n := len(m.Classes) - len(none); n > 0 {
		x.Known = fmt.Sprintf("%s of %d classes of jobs get a template.", numeral(n), len(m.Classes))
	}
	if len(none) > 0 {
		x.Missing = "No template takes " + listed(none) + ": these jobs wait for ever."
	}
	x.Next, x.Page = "See what they lack", page("/workloads", w.spec.Workload)
	return x, nil
}

// of says how many of the scenario's templates something holds for, and which it does not hold for.
func (w *walker) of(x *wire.Stage, has func(string) bool, what, not string) {
	var lack []string
	for _, n := range w.names {
		if !has(n) {
			lack = append(lack, n)
		}
	}
	if len(w.names) == 0 {
		x.Missing = "There is no template that a scenario uses."
		return
	}
	if n := len(w.names) - len(lack); n > 0 {
		x.Known = fmt.Sprintf("%s of %s %s.", numeral(n), counted(len(w.names), "template"), what)
	}
	if len(lack) > 0 {
		x.Missing = not + " " + listed(lack) + "."
		x.Next, x.Page = x.Next+" "+lack[0], page("/templates", lack[0])+"?view="+x.Page
	} else {
		x.Page = page("/templates", w.names[0]) + "?view=" + x.Page
	}
}

func (w *walker) try(ctx context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "try", Title: "Try one job", Next: "Rehearse", Page: "live"}
	done, err := w.s.Store.LastDone(ctx, work.Rehearsal.Name, w.names...)
	if err != nil {
		return x, err
	}
	w.of(&x, func(n string) bool {
		o, ok := done[n]
		if !ok {
			return false
		}
		b := inBrief(w.s.Queue, o)
		return b.Trial != nil && b.Trial.Agent != nil && b.Trial.Agent.Worked
	}, "did a job in a rehearsal", "Nobody has seen an agent do a job of")
	return x, nil
}

func (w *walker) size(_ context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "size", Title: "Size them", Next: "Size", Page: "sizing"}
	w.of(&x, func(n string) bool {
		d := w.used[slices.Index(w.names, n)]
		return template.Annotated(d.Value.(*document.PodTemplate), sizing.SizedAnnotation) != ""
	}, "have requests by what jobs used", "Requests do not yet come from what jobs used, for")
	return x, nil
}

func (w *walker) scale(ctx context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "scale", Title: "Scale them", Next: "Begin", Page: "/start"}
	if w.scenario == nil {
		x.Missing = "Nothing has been simulated."
		return x, nil
	}
	x.Next, x.Page = "Simulate it", page("/scenarios", w.scenario.Name)
	o, err := w.newest(ctx, &work.Simulation)
	if err != nil {
		return x, err
	}
	if o == nil {
		x.Missing = w.scenario.Name + " has not been simulated."
		return x, nil
	}
	b := inBrief(w.s.Queue, *o)
	sum := b.Simulation.Summary
	if sum != nil {
		x.Known = sum.Headline
	}
	switch {
	case len(w.pinned.Faults) > 0 || !same(w.pinned.Inputs, b.Simulation.Inputs):
		x.Missing = "The design, or what it is tried on, has changed since."
	case sum != nil && sum.Aims == aim.Missed:
		x.Missing = sum.Judged
		x.Next, x.Page = "Ask what keeps them", page("/frontier", w.scenario.Name)
	default:
		x.Page = page("/outcomes", fmt.Sprint(o.ID))
	}
	return x, nil
}

// answered is a step that one kind of work answers.
func (w *walker) answered(ctx context.Context, x wire.Stage, k *work.Kind, says func(wire.WorkBrief) string, not string) (wire.Stage, error) {
	if w.scenario == nil {
		x.Missing = not
		return x, nil
	}
	x.Page = page(x.Page, w.scenario.Name)
	o, err := w.newest(ctx, k)
	if err != nil {
		return x, err
	}
	if o != nil {
		x.Known = says(inBrief(w.s.Queue, *o))
	}
	if x.Known == "" {
		x.Missing = not
	}
	return x, nil
}

func (w *walker) cache(ctx context.Context) (wire.Stage, error) {
	return w.answered(ctx, wire.Stage{Step: "cache", Title: "Weigh the cache", Next: "Weigh every plan", Page: "/caching"}, &work.Weighing,
		func(b wire.WorkBrief) string { return b.Weighing.Headline }, "Whether a workspace cache makes people wait less is not known.")
}

func (w *walker) cost(ctx context.Context) (wire.Stage, error) {
	return w.answered(ctx, wire.Stage{Step: "cost", Title: "Weigh the cost", Next: "Ask what it should be", Page: "/frontier"}, &work.Exploring,
		func(b wire.WorkBrief) string { return b.Exploration.Sentence }, "What less delay, or a smaller bill, would take has not been asked.")
}

func (w *walker) decide(ctx context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "decide", Title: "Decide", Missing: "No outcome is kept as the one to have.", Next: "Name an outcome", Page: "/compare"}
	if w.scenario == nil {
		return x, nil
	}
	list, err := w.s.Store.ListWork(ctx, work.Names(&work.Simulation), w.scenario.Name, false, 0, 50)
	if err != nil {
		return x, err
	}
	for _, o := range list {
		if o.State == wire.Done && x.Page == "/compare" {
			x.Page = page("/outcomes", fmt.Sprint(o.ID))
		}
		if o.Called != "" {
			x.Known, x.Missing = fmt.Sprintf("Outcome %d is kept as %s.", o.ID, o.Called), ""
			x.Page = page("/outcomes", fmt.Sprint(o.ID))
			break
		}
	}
	return x, nil
}

func (w *walker) watch(ctx context.Context) (wire.Stage, error) {
	x := wire.Stage{Step: "watch", Title: "See if it came true", Next: "Compare it with what happened", Page: "/backtest"}
	const not = "What is predicted has not been compared with what happened."
	if w.scenario == nil {
		x.Missing = not
		return x, nil
	}
	x.Page = page(x.Page, w.scenario.Name)
	f, err := w.s.Store.GetFollowed(ctx, w.scenario.Name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return x, err
	}
	if err == nil {
		stands := work.StandingOf(&f)
		if stands.Drifted != nil || f.Trouble != "" {
			x.Missing = f.Trouble
			if stands.Drifted != nil {
				x.Missing = stands.Says()
			}
			x.Next = "See what drifted"
			return x, nil
		}
		x.Known = "Followed night by night: " + stands.Says()
		return x, nil
	}
	o, err := w.newest(ctx, &work.Backtesting)
	if err != nil || o == nil {
		x.Missing = not
		return x, err
	}
	b := inBrief(w.s.Queue, *o).Backtest
	if x.Known = b.Says; !b.Agrees && b.Fact != "" {
		x.Missing, x.Next = fmt.Sprintf("%s would explain most of the difference at %s.", b.Fact, b.Would), "Take it over"
	}
	return x, nil
}
