// Package table reads rows of named fields from files whose format is told by their
// first bytes, and writes them: CSV, JSON Lines, Parquet.
package table

import (
	"bufio"
	"fmt"
	"io"
	"slices"
	"strings"
)

// parquetMagic are a Parquet file's first bytes.
const parquetMagic = "PAR1"

// Columns say what the columns of a file are to a reader.
type Columns struct {
	Names []string // of ours; their places are their numbers
	Lists []string // of these, those that may hold lists; their entries are put together with blanks
	Must  []string // those that must be there
	// Theirs gives the file's own names of ours; with some, columns that are neither are
	// left out. nil: the file has ours.
	Theirs map[string]string
	// There is told which of ours a file with a header has, and may refuse it; may be nil.
	There func(there []bool) error
	// JSON reads a file that begins as a JSON object does; nil: it is JSON Lines.
	JSON func(in *bufio.Reader) error
}

// A Row is the fields of a row by our numbers of their columns, without blanks around them;
// empty where there is none. It is only good until the next row.
type Row []string

// reader reads one file.
type reader struct {
	Columns
	mapped map[string]string // Theirs, the other way round
	take   func(Row, int) error
	refuse func(BadRow)
}

// Read reads a table: CSV with a header that names columns, JSON Lines, one object a line,
// or Parquet, told apart by the first bytes. take is given each row with its line, from
// which an error ends reading; refuse is told of rows that are none. The error is for a
// file that cannot be read as a table at all.
func Read(src io.Reader, c Columns, take func(row Row, line int) error, refuse func(BadRow)) error {
	r := &reader{Columns: c, mapped: make(map[string]string, len(c.Theirs)), take: take, refuse: refuse}
	for ours, their := range c.Theirs {
		if twice, ok := r.mapped[their]; ok {
			return fmt.Errorf("column %q of the file is to be both %s and %s; map it once", their, min(ours, twice), max(ours, twice))
		}
		r.mapped[their] = ours
	}
	in := bufio.NewReaderSize(src, 64<<10)
	if magic, err := in.Peek(len(parquetMagic)); err == nil && string(magic) == parquetMagic {
		return r.parquet(in)
	}
	for {
		b, err := in.Peek(1)
		switch {
		case err == nil && (b[0] == ' ' || b[0] == '\t' || b[0] == '\n' || b[0] == '\r'):
			_, _ = in.Discard(1)
			continue
		case err == nil && b[0] == '{' && r.JSON != nil:
			return r.JSON(in)
		case err == nil && b[0] == '{':
			return r.jsonLines(in)
		}
		return r.csv(in)
	}
}

// ours returns our number of a file's column; −1 for one that is left out, and an error
// for one that nothing is known of.
func (r *reader) ours(name string) (int, error) {
	if our, ok := r.mapped[name]; ok {
		return slices.Index(r.Names, our), nil
	}
	if _, taken := r.Theirs[name]; !taken {
		if c := slices.Index(r.Names, name); c >= 0 {
			return c, nil
		}
	}
	if len(r.Theirs) > 0 {
		return -1, nil
	}
	hint := ""
	if near, ok := Nearest(name, r.Names); ok {
		hint = fmt.Sprintf("; did you mean %q?", near)
	}
	return -1, fmt.Errorf("unknown column %q; the columns are %s%s", name, strings.Join(r.Names, ", "), hint)
}

// complete reports what must be there and is not.
func (r *reader) complete(there []bool) error {
	for _, name := range r.Must {
		if there[slices.Index(r.Names, name)] {
			continue
		}
		said := ""
		if their, ok := r.Theirs[name]; ok {
			said = fmt.Sprintf(" (as %q, by the mapping of columns)", their)
		}
		return fmt.Errorf("column %q is missing; it must be there%s", name, said)
	}
	if r.There != nil {
		return r.There(there)
	}
	return nil
}
