package document

import (
	"cmp"
	"encoding/json"
)

// A Sweep is a scenario, the places in which it may be other, and what is asked of what comes of
// it.
type Sweep struct {
	APIVersion string    `json:"apiVersion" doc:"tachyphor/v1"`
	Kind       string    `json:"kind" doc:"Sweep"`
	Metadata   Meta      `json:"metadata" doc:"Name of the sweep."`
	Spec       SweepSpec `json:"spec" doc:"What is varied, and what is asked."`
}

// SweepSpec is what is varied, and what is asked.
type SweepSpec struct {
	Scenario string   `json:"scenario" doc:"Name of the scenario that is varied."`
	Knobs    []Knob   `json:"knobs" doc:"Places in its documents, and the values that each may take. A variant has one value for every knob."`
	Aims     []string `json:"aims,omitempty" doc:"What a variant must keep, as in 95 % of all jobs start within 60s; absent: the aims of the scenario. The words are in docs/exploring.md."`
	Least    Least    `json:"least,omitempty" doc:"What is as little as can be, of the variants that keep all aims: bill, delay (the start delay's 95th percentile), lead (the mean lead time), or worth (the bill and what waiting is worth)."`
	Across   []string `json:"across,omitempty" doc:"Names of workloads that every variant is run with in place of the scenario's own: an aim is kept where it is with each of them, figures are of all together, the bill is their mean."`
	Budget   Runs     `json:"budget,omitempty" doc:"How much may be run."`
}

// Defaults fills what a sweep may leave out.
func (s *SweepSpec) Defaults() { s.Least = LeastBill }

// With is what is asked with more aims, and with another least and budget where those are said.
func (s SweepSpec) With(aims, across []string, least Least, runs int) SweepSpec {
	s.Aims = append(append([]string{}, s.Aims...), aims...)
	if len(across) > 0 {
		s.Across = across
	}
	s.Least, s.Budget.Runs = cmp.Or(least, s.Least), cmp.Or(runs, s.Budget.Runs)
	return s
}

// A Knob is one place in the documents of a scenario, or several that move as one, and the values
// that it may take.
type Knob struct {
	Name     string   `json:"name,omitempty" doc:"What it is called; absent: the last part of its place."`
	At       string   `json:"at,omitempty" doc:"Its place: a kind, for a PodTemplate its name, and the way down, as in Scenario/spec/templates/compile-wide/agents/ceiling. Entries of a list go by their name."`
	Values   []Value  `json:"values,omitempty" doc:"Values that it may take, each as the field has it."`
	From     *float64 `json:"from,omitempty" doc:"Of numbers: the least, in place of values."`
	To       *float64 `json:"to,omitempty" doc:"Of numbers: the most."`
	By       *float64 `json:"by,omitempty" doc:"Of numbers: from one to the next; absent: 1."`
	Together []Knob   `json:"together,omitempty" doc:"Knobs that move as one, with as many values each, in place of at and values."`
}

// Runs bounds how much is run.
type Runs struct {
	Runs int `json:"runs,omitempty" doc:"Most runs of one repeat of one variant."`
}

// Defaults fills what a budget may leave out.
func (r *Runs) Defaults() { r.Runs = 2000 }

// Least is what is to be as little as can be.
type Least string

// What may be as little as can be.
const (
	LeastBill  Least = "bill"
	LeastDelay Least = "delay"
	LeastLead  Least = "lead"
	LeastWorth Least = "worth"
)

// Values lists what a document may say.
func (Least) Values() []string {
	return []string{string(LeastBill), string(LeastDelay), string(LeastLead), string(LeastWorth)}
}

// A Value is a value of any field, as JSON has it.
type Value struct{ Plain any }

// UnmarshalJSON reads it.
func (v *Value) UnmarshalJSON(b []byte) error { return json.Unmarshal(b, &v.Plain) }

// MarshalJSON writes it.
func (v Value) MarshalJSON() ([]byte, error) { return json.Marshal(v.Plain) }

// String writes it in a line.
func (v Value) String() string {
	if s, ok := v.Plain.(string); ok {
		return s
	}
	b, err := json.Marshal(v.Plain)
	if err != nil {
		return ""
	}
	return string(b)
}
