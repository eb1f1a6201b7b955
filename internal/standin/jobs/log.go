package jobs

import (
	"cmp"
	"compress/gzip"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"
)

// columns are those of a log of what happened.
var columns = []string{"id", "submitted", "started", "ended", "class", "project", "branch", "wants", "result", "pod"}

// stamped is how it writes moments.
const stamped = "2006-01-02T15:04:05.000Z"

// Write writes the jobs that finished as a log, packed.
func Write(out io.Writer, list []Happening) error {
	z := gzip.NewWriter(out)
	c := csv.NewWriter(z)
	if err := c.Write(columns); err != nil {
		return err
	}
	for _, h := range list {
		if h.Step != Finished {
			continue
		}
		err := c.Write([]string{
			h.ID, h.Queued.Format(stamped), h.Started.Format(stamped), h.At.Format(stamped), h.Class, h.Project, h.Branch, strings.Join(h.Wants, " "),
			h.Result, h.Pod,
		})
		if err != nil {
			return err
		}
	}
	c.Flush()
	if err := c.Error(); err != nil {
		return err
	}
	return z.Close()
}

// Read reads such a log as what happened, by time.
func Read(in io.Reader) ([]Happening, error) {
	z, err := gzip.NewReader(in)
	if err != nil {
		return nil, err
	}
	rows, err := csv.NewReader(z).ReadAll()
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 || !slices.Equal(rows[0], columns) {
		return nil, fmt.Errorf("the log's columns are not %s", strings.Join(columns, ", "))
	}
	var out []Happening
	for n, row := range rows[1:] {
		var at [3]time.Time
		for i := range at {
			if at[i], err = time.Parse(stamped, row[1+i]); err != nil {
				return nil, fmt.Errorf("line %d: %w", n+2, err)
			}
		}
		h := Happening{
			Step: Queued, At: at[0], ID: row[0], Class: row[4], Project: row[5], Branch: row[6], Wants: strings.Fields(row[7]), Queued: at[0],
		}
		out = append(out, h)
		h.Step, h.At, h.Started, h.Pod = Started, at[1], at[1], row[9]
		out = append(out, h)
		h.Step, h.At, h.Result = Finished, at[2], row[8]
		out = append(out, h)
	}
	inOrder(out)
	return out, nil
}

// inOrder puts what happened in the order in which it did.
func inOrder(list []Happening) {
	slices.SortStableFunc(list, func(a, b Happening) int { return cmp.Or(a.At.Compare(b.At), cmp.Compare(a.Step, b.Step)) })
}
