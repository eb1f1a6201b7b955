package sizing

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
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
	columnCount
)

var columnNames = [columnCount]string{"pod", "container", "at", "cpu_seconds", "cores", "memory", "throttled_seconds", "disk", "killed", "limit"}

// Columns are what a file of samples may have. pod and at must be there, and one of
// the figures.
func Columns() []string { return columnNames[:] }

// A layout says where in a row each column is; −1: nowhere.
type layout [columnCount]int

// header reads the names of a file's columns.
func header(head []string) (layout, error) {
	var at layout
	for c := range at {
		at[c] = -1
	}
	for i, name := range head {
		name = strings.TrimSpace(strings.TrimPrefix(name, "\ufeff"))
		c := slices.Index(columnNames[:], name)
		if c < 0 {
			hint := ""
			if near, ok := document.Nearest(name, Columns()); ok {
				hint = fmt.Sprintf("; did you mean %q?", near)
			}
			return at, fmt.Errorf("column %q is not known; there are %s%s", name, strings.Join(Columns(), ", "), hint)
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
		return at, errors.New("cpu_seconds and cores are both there; keep one of them")
	}
	return at, nil
}

// Limits on a file of samples.
const (
	MaxSamples = 20_000_000
	maxBad     = 100
)

// A Log is the samples of a file, by container.
type Log struct {
	Series []Series        // in the order of their first samples
	Bad    []demand.BadRow // the first maxBad of the rows that were refused
	Bads   int             // how many were
	at     map[string]int  // by pod and container: index into Series
	last   int             // series of the row before
}

// ReadCSV reads samples: a header that names columns, then one sample a row. Times
// are RFC 3339 or seconds; memory and disk are written as Kubernetes does or in bytes;
// an empty field was not measured. Bad rows are counted and described and are in no
// series. The error is for a file that cannot be read as samples at all.
func ReadCSV(src io.Reader) (*Log, error) {
	in := csv.NewReader(src)
	in.ReuseRecord, in.FieldsPerRecord = true, -1
	head, err := in.Read()
	if err != nil {
		return nil, errors.New("no header; the first row names the columns: " + strings.Join(Columns(), ", "))
	}
	at, err := header(head)
	if err != nil {
		return nil, err
	}
	width := len(head)
	log := &Log{at: map[string]int{}}
	for n := 0; ; n++ {
		row, err := in.Read()
		if errors.Is(err, io.EOF) {
			return log, nil
		}
		line := 0
		if err == nil {
			line, _ = in.FieldPos(0)
		}
		if err != nil || len(row) != width {
			var bad *csv.ParseError
			if err != nil && !errors.As(err, &bad) {
				return log, err // the source broke off
			}
			if bad != nil {
				line = bad.StartLine
			}
			log.refuse(demand.BadRow{Line: line, Reason: fmt.Sprintf("expected %d fields", width)})
			continue
		}
		if n >= MaxSamples {
			return log, fmt.Errorf("more than %d samples; take fewer runs or a longer interval", MaxSamples)
		}
		if bad := log.take(row, &at); bad.Reason != "" {
			bad.Line = line
			log.refuse(bad)
		}
	}
}

func (l *Log) refuse(b demand.BadRow) {
	if l.Bads++; len(l.Bad) < maxBad {
		l.Bad = append(l.Bad, b)
	}
}

// take puts one row's sample into its series, or says what is wrong with it.
func (l *Log) take(row []string, at *layout) (bad demand.BadRow) {
	text := func(c int) string {
		if at[c] < 0 {
			return ""
		}
		return strings.TrimSpace(row[at[c]])
	}
	refuse := func(c int, reason string) {
		if bad.Reason == "" {
			bad = demand.BadRow{Column: columnNames[c], Found: strings.Clone(text(c)), Reason: reason}
		}
	}
	figure := func(c int) float64 {
		s := text(c)
		if s == "" {
			return math.NaN()
		}
		x, err := strconv.ParseFloat(s, 64)
		if err != nil || !(x >= 0) || math.IsInf(x, 0) {
			refuse(c, "expected a number, 0 or more")
		}
		return x
	}
	size := func(c int) float64 {
		s := text(c)
		if s == "" {
			return math.NaN()
		}
		b, err := units.ParseBytes(s)
		if err != nil {
			refuse(c, err.Error())
		}
		return float64(b)
	}
	pod := text(podColumn)
	if pod == "" {
		refuse(podColumn, "expected the name of a pod")
	}
	x := Sample{At: moment(text(atColumn)), CPU: figure(cpuColumn), Memory: size(memoryColumn), Throttled: figure(throttledColumn), Disk: size(diskColumn)}
	if math.IsNaN(x.At) {
		refuse(atColumn, "expected a time such as 2026-09-14T06:00:00Z, or seconds")
	}
	rate := at[coresColumn] >= 0
	if rate {
		x.CPU = figure(coresColumn)
	}
	killed := false
	switch strings.ToLower(text(killedColumn)) {
	case "", "false", "no", "0":
	case "true", "yes", "1":
		killed = true
	default:
		refuse(killedColumn, "expected true or false")
	}
	limit := size(limitColumn)
	if bad.Reason != "" {
		return bad
	}
	s := l.series(pod, text(containerColumn), rate)
	s.Samples = append(s.Samples, x)
	s.Killed = s.Killed || killed
	s.Limit = max(s.Limit, units.Bytes(orZero(limit)))
	return bad
}

// series finds or makes a container's series; as a rule it is that of the row before.
func (l *Log) series(pod, container string, rate bool) *Series {
	if l.last < len(l.Series) && l.Series[l.last].Pod == pod && l.Series[l.last].Container == container {
		return &l.Series[l.last]
	}
	key := pod + "\x00" + container
	i, ok := l.at[key]
	if !ok {
		i = len(l.Series)
		l.at[key] = i
		l.Series = append(l.Series, Series{Pod: strings.Clone(pod), Container: strings.Clone(container), Rate: rate})
	}
	l.last = i
	return &l.Series[i]
}

// moment reads a time as seconds; NaN when it is none.
func moment(s string) float64 {
	if x, err := strconv.ParseFloat(s, 64); err == nil && !math.IsInf(x, 0) {
		return x
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return math.NaN()
	}
	return float64(t.UnixNano()) / 1e9
}

// Runs reduces every series of the log. odd counts what was wrong with the samples,
// and short the series that were too short to be runs.
func (l *Log) Runs() (runs []Run, odd Oddities, short int) {
	for _, s := range l.Series {
		r, ok := Reduce(s)
		odd.Add(r.Oddities)
		if !ok {
			short++
			continue
		}
		runs = append(runs, r)
	}
	return runs, odd, short
}
