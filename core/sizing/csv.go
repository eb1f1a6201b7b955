package sizing

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
)

// The columns of a file of samples.
const (
	podColumn = iota
	containerColumn
	atColumn
	cpuColumn
	coresColumn
	memoryColumn
	throttledColumn
	diskColumn
	killedColumn
	limitColumn
	restartsColumn
	columnCount
)

var columnNames = [columnCount]string{"pod", "container", "at", "cpu_seconds", "cores", "memory", "throttled_seconds", "disk", "killed", "limit", "restarts"}

// Columns are what a file of samples may have. pod and at must be there, and one of
// the figures.
func Columns() []string { return columnNames[:] }

// A layout says where in a row each column is; −1: nowhere.
type layout [columnCount]int

// columnOf finds a column by its name.
func columnOf(name string) (int, error) {
	c := slices.Index(columnNames[:], name)
	if c < 0 {
		hint := ""
		if near, ok := document.Nearest(name, Columns()); ok {
			hint = fmt.Sprintf("; did you mean %q?", near)
		}
		return c, fmt.Errorf("column %q is not known; there are %s%s", name, strings.Join(Columns(), ", "), hint)
	}
	return c, nil
}

var errTwoCPU = errors.New("cpu_seconds and cores are both there; keep one of them")

// header reads the names of a file's columns.
func header(head []string) (layout, error) {
	var at layout
	for c := range at {
		at[c] = -1
	}
	for i, name := range head {
		name = strings.TrimSpace(strings.TrimPrefix(name, "\ufeff"))
		c, err := columnOf(name)
		if err != nil {
			return at, err
		}
		if at[c] >= 0 {
			return at, fmt.Errorf("column %q is there twice", name)
		}
		at[c] = i
	}
	for _, must := range []int{podColumn, atColumn} {
		if at[must] < 0 {
			return at, fmt.Errorf("column %q is missing; it must be there", columnNames[must])
		}
	}
	if at[coresColumn] >= 0 && at[cpuColumn] >= 0 {
		return at, errTwoCPU
	}
	return at, nil
}

// readCSV reads samples: a header that names columns, then one sample a row. Times
// are RFC 3339 or seconds; memory and disk are written as Kubernetes does or in bytes;
// an empty field was not measured. Bad rows are counted and described and are in no
// series. The error is for a file that cannot be read as samples at all.
func readCSV(src *bufio.Reader) (*Log, error) {
	in := rows{in: src}
	head, _, err := in.read()
	if err != nil {
		return nil, errors.New("no header; the first row names the columns: " + strings.Join(Columns(), ", "))
	}
	at, err := header(head)
	if err != nil {
		return nil, err
	}
	width := len(head)
	log := newLog()
	var row []string
	text := func(c int) string {
		if at[c] < 0 {
			return ""
		}
		return strings.TrimSpace(row[at[c]])
	}
	for {
		var line int
		var err error
		row, line, err = in.read()
		if errors.Is(err, io.EOF) {
			return log, nil
		}
		if err != nil || len(row) != width {
			var bad *csv.ParseError
			if err != nil && !errors.As(err, &bad) {
				return log, err // the source broke off
			}
			log.refuse(demand.BadRow{Line: line, Reason: fmt.Sprintf("expected %d fields", width)})
			continue
		}
		if err := log.take(text, at[coresColumn] >= 0, line); err != nil {
			return log, err
		}
	}
}

// WriteCSV writes the log's series as Read reads them.
func (l *Log) WriteCSV(out io.Writer) error {
	w := csv.NewWriter(out)
	var rates, counters bool
	for _, s := range l.Series {
		rates, counters = rates || s.Rate, counters || !s.Rate
	}
	if rates && counters {
		return errors.New("some CPU is told as a counter and some as cores in use; they cannot be written to one file")
	}
	names := slices.Clone(columnNames[:])
	if rates {
		names = slices.Delete(names, cpuColumn, cpuColumn+1)
	} else {
		names = slices.Delete(names, coresColumn, coresColumn+1)
	}
	if err := w.Write(names); err != nil {
		return err
	}
	figure := func(x float64) string {
		if math.IsNaN(x) {
			return ""
		}
		return strconv.FormatFloat(x, 'f', -1, 64)
	}
	for _, s := range l.Series {
		for i, x := range s.Samples {
			killed, limit, restarts := "", "", ""
			if i == len(s.Samples)-1 { // what is said of the whole run
				if s.Limit > 0 {
					limit = strconv.FormatInt(int64(s.Limit), 10)
				}
				if s.Restarts > 0 {
					restarts = strconv.Itoa(s.Restarts)
				}
				switch {
				case s.Killed:
					killed = "memory"
				case s.Evicted:
					killed = "disk"
				}
			}
			if err := w.Write([]string{s.Pod, s.Container, figure(x.At), figure(x.CPU), figure(x.Memory), figure(x.Throttled), figure(x.Disk), killed, limit, restarts}); err != nil {
				return err
			}
		}
	}
	w.Flush()
	return w.Error()
}
