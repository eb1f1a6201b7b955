package world

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A Change is one by hand: of a template's numbers, or of what its agents are made of.
type Change struct {
	At                    units.Duration
	Template              int
	Floor, Ceiling, Spare *int
	Becomes               int // index into Full().Templates; below 0: it stays what it is
	Recycle               document.Recycle
	was                   [3]int // floor, ceiling (below 0: none), spare before it
}

// changes makes the changes by hand in the templates' calendars, and reads what templates become; what comes
// before simulated time holds from its beginning.
func (a *assembly) changes(list []document.Raise, c *document.ClusterSpec) {
	w := a.w
	for i := range list {
		if list[i].Becomes != "" {
			a.becomes(fmt.Sprintf("spec.changes[%d].becomes", i), &list[i], c)
		}
	}
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b document.Raise) int { return a.At.Compare(b.At.Time) })
	for _, x := range list {
		k := slices.IndexFunc(w.Templates, func(t Template) bool { return t.Name == x.Template })
		at := max(0, units.Duration(x.At.Sub(w.Start)))
		if k < 0 || at >= w.Horizon() {
			continue
		}
		t := &w.Templates[k]
		n := t.Calendar.On(at)
		becomes := -1
		if at := slices.IndexFunc(w.Later, func(t Template) bool { return t.Name == x.Becomes && t.Of == k }); at >= 0 {
			becomes = len(w.Templates) + at
		} else if x.Becomes == x.Template {
			becomes = k
		}
		w.Changes = append(w.Changes, Change{at, k, x.Floor, x.Ceiling, x.Spare, becomes, x.Recycle, [3]int{n.Floor, n.Ceiling, n.Spare}})
		t.Calendar = t.Calendar.Changed(at, x.Floor, x.Ceiling, x.Spare)
	}
}

// becomes reads what a template becomes, once for each that does. It must take the same jobs.
func (a *assembly) becomes(path string, x *document.Raise, c *document.ClusterSpec) {
	k := slices.IndexFunc(a.w.Templates, func(t Template) bool { return t.Name == x.Template })
	d := a.in.Template(x.Becomes)
	if k < 0 || d == nil || x.Becomes == x.Template || slices.ContainsFunc(a.w.Later, func(t Template) bool { return t.Name == x.Becomes && t.Of == k }) {
		return
	}
	t, was := a.template(d, c), &a.w.Templates[k]
	t.Of, t.Key, t.Numbers, t.Calendar, t.Away = k, was.Key, was.Numbers, was.Calendar, was.Away
	if !slices.Equal(t.Offers, was.Offers) || t.Named != was.Named {
		a.fault(a.in.Scenario, path, x.Becomes, "offers or takes other than "+x.Template+" does, so that other jobs would come to it; a change of "+
			"that is a scenario of its own")
	}
	a.w.Later = append(a.w.Later, t)
}

// Says is a change in words.
func (c *Change) Says(w *World) string {
	var parts []string
	for i, x := range []struct {
		name string
		to   *int
	}{{"floor", c.Floor}, {"ceiling", c.Ceiling}, {"spare", c.Spare}} {
		if x.to == nil {
			continue
		}
		was := fmt.Sprint(c.was[i])
		if c.was[i] < 0 {
			was = "none"
		}
		parts = append(parts, fmt.Sprintf("%s of %s from %s to %d", x.name, w.Templates[c.Template].Name, was, *x.to))
	}
	if c.Becomes >= 0 {
		says := w.Templates[c.Template].Name + " becomes " + w.Full().Templates[c.Becomes].Name
		switch c.Recycle {
		case document.RecycleIdle:
			says += ", idle agents are taken away"
		case document.RecycleAll:
			says += ", idle agents are taken away and others when their job is done"
		}
		parts = append(parts, says)
	}
	return cmp.Or(strings.Join(parts, ", "), "nothing")
}

// Clock writes a moment of simulated time as the workload's zone has it.
func (w *World) Clock(at units.Duration) string {
	return w.Start.Add(time.Duration(at)).In(w.Zone.Location()).Format("Mon 2 Jan 15:04")
}

// Full is the world with all that agents are ever made of among its templates: behind those of the scenario
// what they become, each under the numbers of the template that became it.
func (w *World) Full() *World {
	if len(w.Later) == 0 {
		return w
	}
	c := *w
	c.Templates = slices.Concat(w.Templates, w.Later)
	for i := range w.Templates {
		c.Templates[i].Of = i
	}
	for i := len(w.Templates); i < len(c.Templates); i++ {
		t := &c.Templates[i]
		was := &w.Templates[t.Of]
		t.Numbers, t.Calendar, t.Away = was.Numbers, was.Calendar, was.Away
	}
	return &c
}
