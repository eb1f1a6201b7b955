package table

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// csv reads a header that names columns, then one row a line.
func (r *reader) csv(in *bufio.Reader) error {
	src := NewRows(in, ',')
	head, _, err := src.Read()
	if err != nil {
		return errors.New("line 1: no header; the first line names the columns: " + strings.Join(r.Names, ", "))
	}
	width := len(head)
	at, err := r.header(head)
	if err != nil {
		return fmt.Errorf("line 1: %w", err)
	}
	fields := make(Row, len(r.Names))
	for {
		record, line, err := src.Read()
		var bad *csv.ParseError
		switch {
		case errors.Is(err, io.EOF):
			return nil
		case errors.As(err, &bad):
			r.refuse(BadRow{Line: line, Reason: bad.Err.Error()})
			continue
		case err != nil: // the source broke off
			return err
		case len(record) != width:
			r.refuse(BadRow{Line: line, Reason: fmt.Sprintf("%d fields where the header has %d", len(record), width)})
			continue
		}
		for i, c := range at {
			if c >= 0 {
				fields[c] = strings.TrimSpace(record[i])
			}
		}
		if err := r.take(fields, line); err != nil {
			return err
		}
	}
}

// header says which of our columns each field is; −1: none.
func (r *reader) header(head []string) (at []int, err error) {
	at, there := make([]int, len(head)), make([]bool, len(r.Names))
	for i, name := range head {
		c, err := r.ours(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))
		if err != nil {
			return nil, err
		}
		if at[i] = c; c < 0 {
			continue
		}
		if there[c] {
			return nil, fmt.Errorf("column %q is there twice", r.Names[c])
		}
		there[c] = true
	}
	return at, r.complete(there)
}
