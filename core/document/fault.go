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
	Found    string `json:"found,omitempty" doc:"What stands there."`
	Expected string `json:"expected" doc:"What should stand there, and what to do."`
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

// Nearest returns the candidate with the fewest letters' difference from word,
// if that is at most a third of its length (and at least one letter is right).
func Nearest(word string, candidates []string) (string, bool) {
	if len(word) > 64 {
		return "", false
	}
	best, at := "", max(1, len(word)/3)+1
	for _, c := range candidates {
		if d := editDistance(strings.ToLower(word), strings.ToLower(c)); d < at {
			best, at = c, d
		}
	}
	return best, best != ""
}

// Letters counts the letters in which two words differ: to insert, delete, replace
// or swap with a neighbour.
func Letters(a, b string) int { return editDistance(a, b) }

// editDistance counts the letters to insert, delete, replace or swap with a
// neighbour to make a into b (optimal string alignment; Damerau 1964).
func editDistance(a, b string) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			d := min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				d = min(d, rows[i-2][j-2]+1)
			}
			rows[i][j] = d
		}
	}
	return rows[len(a)][len(b)]
}
