package demand

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/table"
)

// Bind makes the jobs of a workload from a recording: rows get their class's
// wants where they have none of their own, and times count from the workload's
// start. Rows that cannot be bound are returned; there are no jobs then.
func (r *Recording) Bind(spec *document.WorkloadSpec) (*Jobs, []table.BadRow) {
	classes := map[string]int32{}
	var names []string
	for i, k := range spec.Classes {
		classes[k.Name] = int32(i)
		names = append(names, k.Name)
	}
	jobs := &Jobs{classes: spec.Classes, ids: make([]string, 0, r.Len()), List: make([]Job, 0, r.Len())}
	var wanted wantsTable
	var bads table.Refused
	refuse := bads.Refuse
	var rows []int // by job: its row
	chained, measured := false, false
	for i := range r.Len() {
		w := r.rows.at(i)
		class, ok := classes[w.class]
		if !ok {
			hint := ""
			if near, ok := table.Nearest(w.class, names); ok {
				hint = fmt.Sprintf("; did you mean %q?", near)
			}
			refuse(table.BadRow{Line: int(w.line), Column: "class", Found: w.class, Reason: "the workload has no such class" + hint})
			continue
		}
		k := &spec.Classes[class]
		at := w.since(spec.Start.Time)
		when := spec.Start.Add(time.Duration(at)).UTC()
		switch {
		case at < 0:
			refuse(table.BadRow{Line: int(w.line), Column: "submitted", Found: when.Format(time.RFC3339), Reason: "before the workload's start"})
			continue
		case at > maxOffset:
			refuse(table.BadRow{
				Line: int(w.line), Column: "submitted", Found: when.Format(time.RFC3339),
				Reason: "more than 400 days after the workload's start",
			})
			continue
		case w.work < 0 && k.Work.IsZero():
			refuse(table.BadRow{Line: int(w.line), Column: "work", Found: "", Reason: "unknown, and the class has no work time to draw from"})
			continue
		}
		wants := w.wants()
		if wants == nil {
			wants = k.Wants
		}
		jobs.List = append(jobs.List, Job{
			Submitted: at, Key: chance.Name(w.id), Work: w.work, Class: class, Wants: wanted.number(wants),
			Cores: w.cores, Change: w.change, Found: w.found,
		})
		jobs.ids = append(jobs.ids, w.id)
		rows = append(rows, i)
		chained, measured = chained || w.after() != nil, measured || w.memory >= 0 || w.disk >= 0
	}
	if chained && bads.Bads == 0 {
		r.chain(jobs, rows, refuse)
	}
	if measured {
		for _, i := range rows {
			jobs.Memory, jobs.Disk = append(jobs.Memory, r.rows.at(i).memory), append(jobs.Disk, r.rows.at(i).disk)
		}
	}
	if bads.Bads > 0 {
		return nil, bads.Bad
	}
	jobs.Wants = wanted.sets
	jobs.sort()
	return jobs, nil
}

// chain finds the jobs that each job comes after.
func (r *Recording) chain(jobs *Jobs, rows []int, refuse func(table.BadRow)) {
	at := make(map[string]int32, len(jobs.ids))
	for i, id := range jobs.ids {
		at[id] = int32(i)
	}
	jobs.after = map[int32][]int32{}
	for i := range jobs.ids {
		w := r.rows.at(rows[i])
		for _, id := range w.after() {
			before, ok := at[id]
			if !ok {
				refuse(table.BadRow{Line: int(w.line), Column: "after", Found: id, Reason: "no job of that id in the file"})
				continue
			}
			if !slices.Contains(jobs.after[int32(i)], before) {
				jobs.after[int32(i)] = append(jobs.after[int32(i)], before)
			}
		}
	}
	for _, i := range jobs.circles() {
		w := r.rows.at(rows[i])
		refuse(table.BadRow{
			Line: int(w.line), Column: "after", Found: strings.Join(w.after(), " "),
			Reason: "the job would come after itself, in a circle",
		})
	}
}

// circles returns the jobs that come after themselves, through others or not,
// and those behind them.
func (j *Jobs) circles() []int32 {
	left, next := make([]int32, len(j.List)), map[int32][]int32{}
	for i, list := range j.after {
		left[i] = int32(len(list))
		for _, b := range list {
			next[b] = append(next[b], i)
		}
	}
	var free []int32
	for i, n := range left {
		if n == 0 {
			free = append(free, int32(i))
		}
	}
	done := 0
	for ; done < len(free); done++ {
		for _, i := range next[free[done]] {
			if left[i]--; left[i] == 0 {
				free = append(free, i)
			}
		}
	}
	var out []int32
	for i, n := range left {
		if n > 0 {
			out = append(out, int32(i))
		}
	}
	return out
}
