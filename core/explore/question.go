// Package explore answers what a design should be: it runs variants of a scenario on the same
// draws, leaves those that are surely worse, and tells the least that keeps what it must, tried
// on fresh draws, with the single changes that lead to it.
package explore

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/shelf"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A place is a field of a scenario's documents.
type place struct {
	at      string // as the sweep names it
	kind    string
	name    string // of the document
	pointer string
}

// says writes a value of a place in a line.
func (p *place) says(x any) string {
	if p.kind == document.KindScenario && p.pointer == "/spec/caching" {
		if text, ok := saidRules(x); ok {
			return text
		}
	}
	return document.Value{Plain: x}.String()
}

// A knob is one place or several that move as one.
type knob struct {
	name   string
	places []place
	values [][]any  // by value, then place
	text   []string // by value, as people read it
	base   int      // the value that the scenario has; −1: another
	was    string   // what it has
}

// A Question is a scenario, its knobs, and what is asked of its variants.
type Question struct {
	Sweep string
	Spec  document.SweepSpec
	ins   []world.Input // what every variant is run with: the scenario, with each workload that it is to hold on; places are looked up in the first
	bases []*world.World
	knobs []knob
	aims  []aim.Aim
}

// Ask puts a question together: places are looked up, aims read, and each value is tried by
// itself, so that what is wrong is told before anything runs. name is the sweep's, in errors too.
// ins are the scenario with each of the workloads that the sweep is across; of none, with its own.
func Ask(name string, spec document.SweepSpec, ins ...world.Input) (*Question, error) {
	q := &Question{Sweep: name, Spec: spec}
	for _, in := range ins {
		in.Bound = new(world.Bound)
		base, faults := world.Assemble(in)
		if err := faults.Err(); err != nil {
			return nil, err
		}
		q.ins, q.bases = append(q.ins, in), append(q.bases, base)
	}
	if len(spec.Aims) == 0 { // none of its own: those of the scenario
		spec.Aims = ins[0].Scenario.Value.(*document.Scenario).Spec.Aims
		q.Spec = spec
	}
	for _, text := range spec.Aims {
		a, err := aim.Parse(text)
		if err != nil {
			return nil, err
		}
		if err := q.known(a); err != nil {
			return nil, err
		}
		q.aims = append(q.aims, a)
	}
	for i := range spec.Knobs {
		k, err := q.knob(&spec.Knobs[i])
		if err != nil {
			return nil, fmt.Errorf("knob %s: %w", spec.Knobs[i].Called(), err)
		}
		q.knobs = append(q.knobs, k)
	}
	if len(spec.Across) > 0 {
		return q, q.checkAcross()
	}
	return q, nil
}

// Inputs are what every variant is run with.
func (q *Question) Inputs() []world.Input { return q.ins }

// jobs are about how many jobs a run has: with the workload that has most, and with all together.
func (q *Question) jobs() (most, all units.Bytes) {
	for _, b := range q.bases {
		n := units.Bytes(b.ExpectedJobs())
		most, all = max(most, n), all+n
	}
	return most, all
}

// Need is about how much memory answering takes at most, on so many workers: the runs that are
// under way and the recorded jobs; a world for each variant, and what is read of its runs.
func (q *Question) Need(workers int) units.Bytes {
	jobs, all := q.jobs()
	variants := units.Bytes(q.Spec.Budget.Runs)
	if len(q.knobs) > 0 { // else they are not known yet
		variants = units.Bytes(min(q.Spec.Budget.Runs, q.many(q.Spec.Budget.Runs)))
	}
	return jobs*sim.RunBytes*units.Bytes(workers) + all*sim.TraceBytes + variants*units.Bytes(len(q.ins))*worldBytes + units.Bytes(q.Spec.Budget.Runs)*runBytes
}

// What a variant and a run of one take, about.
const (
	worldBytes = 64 << 10
	runBytes   = 2 << 10
)

// known refuses an aim of a class that there is not.
func (q *Question) known(a aim.Aim) error {
	if a.Class == "" {
		return nil
	}
	var there []string
	for _, b := range q.bases {
		for _, c := range b.Classes {
			if c.Name == a.Class {
				return nil
			}
			if !slices.Contains(there, c.Name) {
				there = append(there, c.Name)
			}
		}
	}
	return fmt.Errorf("aim %q: there is no class %s; the classes are %s", a, a.Class, strings.Join(there, ", "))
}

// document finds the document that a place begins with, and what is left of it.
func (q *Question) document(at string) (d *document.Document, steps []string, err error) {
	steps = document.Steps(at)
	kind, rest := steps[0], steps[1:]
	switch kind {
	case document.KindScenario:
		d = q.ins[0].Scenario
	case document.KindCluster:
		d = q.ins[0].Cluster
	case document.KindWorkload:
		d = q.ins[0].Workload
	case document.KindPodTemplate:
		var there []string
		for _, t := range q.ins[0].Templates {
			if there = append(there, t.Name); len(rest) > 0 && t.Name == rest[0] {
				d = t
			}
		}
		if d == nil {
			return nil, nil, fmt.Errorf("%s: a PodTemplate's place goes on with its name, one of %s", at, strings.Join(there, ", "))
		}
		rest = rest[1:]
	default:
		return nil, nil, fmt.Errorf("%s: expected a place that begins with Scenario, Cluster, Workload or PodTemplate", at)
	}
	if len(rest) == 0 {
		return nil, nil, fmt.Errorf("%s: expected a place within the document, as in Scenario/spec/agentCeiling", at)
	}
	return d, rest, nil
}

// knob looks up a knob's places and tries its values.
func (q *Question) knob(k *document.Knob) (out knob, err error) {
	out = knob{name: k.Called(), base: -1}
	parts := k.Together
	if len(parts) == 0 {
		parts = []document.Knob{*k}
	}
	was := make([]any, len(parts))
	out.values = make([][]any, k.Count())
	for i := range parts {
		d, steps, err := q.document(parts[i].At)
		if err != nil {
			return out, err
		}
		pointer, says, err := d.Field(steps)
		if err != nil {
			return out, fmt.Errorf("%s: %w", parts[i].At, err)
		}
		out.places = append(out.places, place{parts[i].At, d.Kind, d.Name, pointer})
		was[i] = says
		for v, x := range parts[i].Plain() {
			out.values[v] = append(out.values[v], x)
		}
	}
	twice := out.twice(was)
	for v := range out.values {
		var text []string
		same := true
		for i, x := range out.values[v] {
			if !twice[i] {
				text = append(text, out.places[i].says(x))
			}
			same = same && (document.Value{Plain: x}).String() == (document.Value{Plain: was[i]}).String()
		}
		if out.text = append(out.text, strings.Join(text, ", ")); same {
			out.base = v
		}
	}
	for i, x := range was {
		if twice[i] {
			continue
		}
		if i > 0 {
			out.was += ", "
		}
		if x == nil {
			out.was += "not said"
		} else {
			out.was += out.places[i].says(x)
		}
	}
	var first error
	for v := range out.values {
		if _, _, err := q.changed(q.ins[0], out.edits(v)); err == nil {
			return out, nil
		} else if first == nil {
			first = fmt.Errorf("%s: %w", out.text[v], err)
		}
	}
	return out, first
}

// twice tells of a knob's places which say what another of the same name before them says, as a
// limit beside its request: they are not told.
func (k *knob) twice(was []any) []bool {
	says := func(i, v int) string {
		x := was[i]
		if v >= 0 {
			x = k.values[v][i]
		}
		return (document.Value{Plain: x}).String()
	}
	like := func(i, j int) bool {
		if path.Base(k.places[i].pointer) != path.Base(k.places[j].pointer) {
			return false
		}
		for v := -1; v < len(k.values); v++ {
			if says(i, v) != says(j, v) {
				return false
			}
		}
		return true
	}
	out := make([]bool, len(k.places))
	for i := range out {
		for j := range i {
			out[i] = out[i] || like(i, j)
		}
	}
	return out
}

// edits are the changes that give a knob one of its values.
func (k *knob) edits(v int) []document.Changes {
	var out []document.Changes
	for i, p := range k.places {
		e := document.Edit{Op: "add", Path: p.pointer, Value: k.values[v][i]}
		out = append(out, document.Changes{Kind: p.kind, Name: p.name, Edits: []document.Edit{e}})
	}
	return out
}

// changed is a world with changes made first, and what it was put together from.
func (q *Question) changed(in world.Input, list []document.Changes) (world.Input, *world.World, error) {
	named, faults, err := in.Named.With(list)
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return in, nil, err
	}
	in.Named = named
	w, faults := world.Assemble(in)
	return in, w, faults.Err()
}

// worlds are those of a variant, with each workload, and the digest of what they are computed from.
func (q *Question) worlds(list []document.Changes) (out []*world.World, digest string, err error) {
	var named []shelf.Named
	for _, in := range q.ins {
		in, w, err := q.changed(in, list)
		if err != nil {
			return nil, "", err
		}
		out, named = append(out, w), append(named, in.Named)
	}
	return out, q.digest(named), nil
}
