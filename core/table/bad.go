package table

import (
	"fmt"
	"strconv"
	"strings"
)

// A BadRow is a row of a recording that was refused.
type BadRow struct {
	Line   int    `json:"line" doc:"Line in the file, the header being 1; 0 where it has none."`
	Series string `json:"series,omitempty" doc:"Of answers of Prometheus: the series, by its name and labels."`
	Column string `json:"column,omitempty" doc:"Name of the column."`
	Found  string `json:"found,omitempty" doc:"What is written there."`
	Reason string `json:"reason" doc:"Why the row was refused."`
}

// String writes the row's fault on one line.
func (b BadRow) String() string {
	s := "line " + strconv.Itoa(b.Line)
	if b.Series != "" {
		s = "series " + b.Series
	}
	if b.Column != "" {
		s += ", column " + b.Column
	}
	if b.Found != "" {
		s += fmt.Sprintf(": found %q", b.Found)
	}
	return s + ": " + b.Reason
}

// mostBad is how many of the rows that were refused are described.
const mostBad = 100

// Refused are the rows of a file that were refused.
type Refused struct {
	Bad  []BadRow // the first hundred of them
	Bads int      // how many there are
}

// Refuse notes a row.
func (b *Refused) Refuse(row BadRow) {
	b.Bads++
	row.Found = Clip(row.Found)
	if len(b.Bad) < mostBad {
		b.Bad = append(b.Bad, row)
	}
}

// Clip shortens a text that is shown.
func Clip(s string) string {
	if len(s) > 60 {
		return strings.ToValidUTF8(s[:57], "") + "..."
	}
	return s
}
