package explore

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/world"
)

// mostAcross is how many workloads a sweep may be across.
const mostAcross = 12

// With is a scenario's input with another workload and its recorded jobs in place of its own.
func With(in world.Input, workload *document.Document, jobs *demand.Recording) (world.Input, error) {
	if workload.Name != in.Workload.Name {
		text, err := document.Apply(in.Scenario.Text, []document.Edit{{Op: "replace", Path: "/spec/workload", Value: workload.Name}})
		if err != nil {
			return in, fmt.Errorf("scenario %s with workload %s: %w", in.Scenario.Name, workload.Name, err)
		}
		docs, faults := document.Parse(in.Scenario.File, []byte(text))
		if err := faults.Err(); err != nil {
			return in, err
		}
		in.Scenario = docs[0]
	}
	in.Workload, in.Recording = workload, jobs
	return in, nil
}

// checkAcross refuses what does not go with several workloads.
func (q *Question) checkAcross() error {
	if len(q.ins) > mostAcross {
		return fmt.Errorf("across: %d workloads; at most %d", len(q.ins), mostAcross)
	}
	for i, in := range q.ins {
		if slices.ContainsFunc(q.ins[:i], func(x world.Input) bool { return x.Workload.Name == in.Workload.Name }) {
			return fmt.Errorf("across: %s is named twice; name each workload once", in.Workload.Name)
		}
	}
	for i := range q.knobs {
		for _, p := range q.knobs[i].places {
			if p.kind == document.KindWorkload {
				return fmt.Errorf("knob %s: %s is of one workload, and the sweep is across several; leave the knob or across out", q.knobs[i].name, p.at)
			}
		}
	}
	return nil
}

// across says of which workloads figures are; empty: of the scenario's own.
func (q *Question) across() string {
	if len(q.Spec.Across) == 0 {
		return ""
	}
	names := make([]string, len(q.ins))
	for i, in := range q.ins {
		names[i] = in.Workload.Name
	}
	return fmt.Sprintf("Figures are of the workloads %s together, the bill is their mean; an aim is kept where it is with each.",
		strings.Join(names, " and "))
}
