package document

import (
	"fmt"
	"slices"
	"strings"
)

// A Fault is one thing wrong with a document: where, what was found and what
// was expected. Line and Column count from 1; 0 means the whole document.
type Fault struct {
	File     string `json:"file,omitempty" doc:"File or name the document came from."`
	Line     int    `json:"line,omitempty" doc:"Line, from 1; absent for the document as a whole."`
	Column   int    `json:"column,omitempty" doc:"Column, from 1."`
	Path     string `json:"path,omitempty" doc:"Field, as in spec.templates[0].agents.floor."`
	Found    string `json:"found,omitempty" doc:"What is written there."`
	Expected string `json:"expected" doc:"What is expected there, and what to do."`
}

// String writes the fault on one line: file:line:column: path: found; expected.
func (f Fault) String() string {
	var b strings.Builder
	if f.File != "" {
		b.WriteString(f.File + ":")
	}
	if f.Line > 0 {
		fmt.Fprintf(&b, "%d:%d:", f.Line, f.Column)
	}
	if b.Len() > 0 {
		b.WriteByte(' ')
	}
	if f.Path != "" {
		b.WriteString(f.Path + ": ")
	}
	if f.Found != "" {
		b.WriteString("found " + f.Found + "; ")
	}
	b.WriteString(f.Expected)
	return b.String()
}

// Faults are all that is wrong, in the order of their places. It is an error
// when there is at least one.
type Faults []Fault

// Error lists the faults, one a line.
func (fs Faults) Error() string {
	lines := make([]string, len(fs))
	for i, f := range fs {
		lines[i] = f.String()
	}
	return strings.Join(lines, "\n")
}

// Err returns fs as an error, or nil when there is none.
func (fs Faults) Err() error {
	if len(fs) == 0 {
		return nil
	}
	return fs
}

// maxFaults is how many faults of one file are kept; the rest are counted.
const maxFaults = 200

// settle orders the faults by place and cuts a flood short.
func (fs Faults) settle() Faults {
	slices.SortStableFunc(fs, func(a, b Fault) int {
		if a.Line != b.Line {
			return a.Line - b.Line
		}
		return a.Column - b.Column
	})
	if n := len(fs); n > maxFaults {
		fs = append(fs[:maxFaults:maxFaults], Fault{File: fs[0].File, Expected: fmt.Sprintf("%d more faults; mend these first", n-maxFaults)})
	}
	return fs
}
