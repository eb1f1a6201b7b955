package demand

import (
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

// Bind makes the jobs of a workload from a recording: rows get their class's
// wants where they have none of their own, and times count from the workload's
// start. Rows that cannot be bound are returned; there are no jobs then.
func (r *Recording) Bind(spec *document.WorkloadSpec) (*Jobs, []BadRow) {
	classes := map[string]int32{}
	var names []string
	for i, k := range spec.Classes {
		classes[k.Name] = int32(i)
		names = append(names, k.Name)
	}
	jobs := &Jobs{classes: spec.Classes, ids: make([]string, 0, len(r.rows)), List: make([]Job, 0, len(r.rows))}
	var table wantsTable
	var bad []BadRow
	refuse := func(b BadRow) {
		if len(bad) < maxBad {
			bad = append(bad, b)
		}
	}
	for _, w := range r.rows {
		class, ok := classes[w.class]
		if !ok {
			hint := ""
			if near, ok := document.Nearest(w.class, names); ok {
				hint = fmt.Sprintf("; did you mean %q?", near)
			}
			refuse(BadRow{w.line, "class", w.class, "the workload has no such class" + hint})
			continue
		}
		k := &spec.Classes[class]
		at := w.offset
		if !w.at.IsZero() {
			at = units.Duration(w.at.Sub(spec.Start.Time))
		}
		switch {
		case at < 0:
			refuse(BadRow{w.line, "submitted", w.at.Format(time.RFC3339), "before the workload's start"})
			continue
		case at > maxOffset:
			refuse(BadRow{w.line, "submitted", w.at.Format(time.RFC3339), "more than 400 days after the workload's start"})
			continue
		case w.work < 0 && k.Work.IsZero():
			refuse(BadRow{w.line, "work", "", "unknown, and the class has no work time to draw from"})
			continue
		}
		wants := w.wants
		if wants == nil {
			wants = k.Wants
		}
		jobs.List = append(jobs.List, Job{Submitted: at, Work: w.work, Class: class, Wants: table.number(wants)})
		jobs.ids = append(jobs.ids, w.id)
	}
	if len(bad) > 0 {
		return nil, bad
	}
	jobs.Wants = table.sets
	jobs.sort()
	return jobs, nil
}
