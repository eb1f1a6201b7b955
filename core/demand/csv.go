package demand

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
)

// readCSV reads a header that names columns, then one job a row.
func (r *Recording) readCSV(src io.Reader) error {
	c := csv.NewReader(src)
	c.ReuseRecord = true
	c.FieldsPerRecord = -1
	at, width, err := r.readHeader(c)
	if err != nil {
		return err
	}
	for {
		record, err := c.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			var parse *csv.ParseError
			if !errors.As(err, &parse) {
				return err
			}
			r.refuse(BadRow{Line: parse.Line, Reason: parse.Err.Error()})
			continue
		}
		line, _ := c.FieldPos(0)
		if len(record) != width {
			r.refuse(BadRow{Line: line, Reason: fmt.Sprintf("%d fields where the header has %d", len(record), width)})
			continue
		}
		get := func(name string) string {
			if i, ok := at[name]; ok {
				return strings.TrimSpace(record[i])
			}
			return ""
		}
		if err := r.take(get, line); err != nil {
			return err
		}
	}
}

// readHeader says where each column stands, and how many there are.
func (r *Recording) readHeader(c *csv.Reader) (at map[string]int, width int, err error) {
	head, err := c.Read()
	if err != nil {
		return nil, 0, errors.New("line 1: no header; the first line names the columns, as in id,submitted,class,work")
	}
	head[0] = strings.TrimPrefix(head[0], "\ufeff")
	at = map[string]int{}
	for i, name := range head {
		name = strings.TrimSpace(name)
		name, err := r.ours(name)
		if err != nil {
			return nil, 0, fmt.Errorf("line 1: %w", err)
		}
		if name == "" {
			continue
		}
		if _, twice := at[name]; twice {
			return nil, 0, fmt.Errorf("line 1: column %q stands twice", name)
		}
		at[strings.Clone(name)] = i
	}
	for _, name := range []string{"submitted", "class"} {
		if _, ok := at[name]; !ok {
			return nil, 0, fmt.Errorf("line 1: column %q is missing; it must be there%s", name, r.said(name))
		}
	}
	return at, len(head), nil
}

// said names the file's column that a mapping promised for one of ours.
func (r *Recording) said(name string) string {
	if their, ok := r.theirs[name]; ok {
		return fmt.Sprintf(" (as %q, by the workload's columns)", their)
	}
	return ""
}
