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

// A Change is one of a template's numbers by hand.
type Change struct {
	At                    units.Duration
	Template              int
	Floor, Ceiling, Spare *int
	was                   [3]int // floor, ceiling (below 0: none), spare before it
}

// changes makes the changes by hand in the templates' calendars; what comes before simulated time holds
// from its beginning.
func (w *World) changes(list []document.Raise) {
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
		w.Changes = append(w.Changes, Change{at, k, x.Floor, x.Ceiling, x.Spare, [3]int{n.Floor, n.Ceiling, n.Spare}})
		t.Calendar = t.Calendar.Changed(at, x.Floor, x.Ceiling, x.Spare)
	}
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
	return cmp.Or(strings.Join(parts, ", "), "nothing")
}

// Clock writes a moment of simulated time as the workload's zone has it.
func (w *World) Clock(at units.Duration) string {
	return w.Start.Add(time.Duration(at)).In(w.Zone.Location()).Format("Mon 2 Jan 15:04")
}
