package learn

import (
	"fmt"
	"slices"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// OptionsOf are options with which a log is understood as it goes with a workload: by its zone where none
// is told, with each of its classes kept, and what each job wants; of its own recorded jobs (own) by
// their columns where none is told.
func OptionsOf(workload *document.Document, o JobOptions, own bool) JobOptions {
	w := workload.Value.(*document.Workload).Spec
	o.Name, o.Least, o.Whole = workload.Name, 1, true
	if o.Zone == (units.Zone{}) {
		o.Zone = w.Zone
	}
	if own && w.Jobs != nil && len(o.Columns) == 0 {
		o.Columns = w.Jobs.Columns
	}
	return o
}

// came makes the jobs of a workload come as they came in a log: what it returns are the changes of
// the workload's document, and the log as a recording. Classes stay what the workload says; those
// that it has not are added as they were learned.
func (out *LearnedJobs) came(workload *document.Document) (document.Changes, *demand.Recording, error) {
	changes := document.Changes{Kind: document.KindWorkload, Name: workload.Name}
	docs, faults := document.Parse(out.Name, []byte(out.Workload))
	if err := faults.Err(); err != nil {
		return changes, nil, err
	}
	learned := docs[0].Value.(*document.Workload).Spec
	old := workload.Value.(*document.Workload).Spec
	jobs := map[string]any{"file": out.File}
	if old.Jobs != nil { // what its work times hold of a cache
		if old.Jobs.Cache != "" {
			jobs["cache"] = string(old.Jobs.Cache)
		}
		if old.Jobs.Cold != nil {
			jobs["cold"] = *old.Jobs.Cold
		}
	}
	changes.Edits = []document.Edit{
		{Op: "add", Path: "/spec/jobs", Value: jobs},
		{Op: "add", Path: "/spec/start", Value: document.Plain(learned.Start)},
	}
	for _, c := range learned.Classes {
		if slices.ContainsFunc(old.Classes, func(o document.JobClass) bool { return o.Name == c.Name }) {
			continue
		}
		changes.Edits = append(changes.Edits, document.Edit{Op: "add", Path: "/spec/classes/-", Value: document.Plain(c)})
	}
	r, err := demand.Parse(out.Log, nil)
	if err != nil {
		return changes, nil, fmt.Errorf("the log as it was understood cannot be read: %w", err)
	}
	return changes, r, nil
}

// In is what a world is put together from, with its jobs as they came in a log and a span that
// is as long as that: that of its scenario is left out.
func (out *LearnedJobs) In(in world.Input) (world.Input, error) {
	changes, r, err := out.came(in.Workload)
	if err != nil {
		return in, err
	}
	all := []document.Changes{changes}
	if in.Scenario.Value.(*document.Scenario).Spec.Run.Span > 0 {
		all = append(all, document.Changes{
			Kind: document.KindScenario, Name: in.Scenario.Name, Edits: []document.Edit{{Op: "remove", Path: "/spec/run/span"}},
		})
	}
	named, faults, err := in.Named.With(all)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return in, fmt.Errorf("the log's jobs do not go with the scenario: %w", err)
	}
	in.Named, in.Recording, in.Jobless = named, r, false
	return in, nil
}
