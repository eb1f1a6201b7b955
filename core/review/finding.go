package review

import (
	"slices"
	"strings"

	"tachyphor/core/document"
)

// A Severity says how much a finding matters.
type Severity string

// The severities, the gravest first.
const (
	WillNotWork Severity = "will-not-work"
	Risky       Severity = "risky"
	Wasteful    Severity = "wasteful"
	Advice      Severity = "advice"
)

// Severities lists them, the gravest first.
func Severities() []Severity { return []Severity{WillNotWork, Risky, Wasteful, Advice} }

// AtLeast reports whether s is as grave as t or graver.
func (s Severity) AtLeast(t Severity) bool {
	return slices.Index(Severities(), s) <= slices.Index(Severities(), t)
}

// Words writes it for people.
func (s Severity) Words() string { return strings.ReplaceAll(string(s), "-", " ") }

// A Finding is one thing that a rule has to say about a template.
type Finding struct {
	ID       string          `json:"id" doc:"Stable name of the rule."`
	Severity Severity        `json:"severity" enum:"will-not-work,risky,wasteful,advice" doc:"How much it matters."`
	Title    string          `json:"title" doc:"What it is about."`
	File     string          `json:"file,omitempty" doc:"File it stands in."`
	Line     int             `json:"line,omitempty" doc:"Line, from 1."`
	Column   int             `json:"column,omitempty" doc:"Column, from 1."`
	Path     string          `json:"path,omitempty" doc:"Field, as in template.spec.containers[0].image."`
	Scenario string          `json:"scenario,omitempty" doc:"The scenario in which it holds; absent: in any."`
	Says     string          `json:"says" doc:"What will happen, and why."`
	Do       string          `json:"do" doc:"What to do."`
	Fix      []document.Edit `json:"fix,omitempty" doc:"Changes of the template that mend it for certain, as a JSON Patch."`
}
