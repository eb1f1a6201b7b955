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

// Columns are what a file of samples may have. pod and at must be there, and one of
// the figures.
func Columns() []string {
	return []string{"pod", "container", "at", "cpu_seconds", "cores", "memory", "throttled_seconds", "disk", "killed", "limit"}
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
	names := slices.Clone(head)
	at := map[string]int{}
	for i, name := range names {
		name = strings.TrimSpace(strings.TrimPrefix(name, "\ufeff"))
		if names[i] = name; !slices.Contains(Columns(), name) {
			hint := ""
			if near, ok := document.Nearest(name, Columns()); ok {
				hint = fmt.Sprintf("; did you mean %q?", near)
			}
			return nil, fmt.Errorf("column %q is not known; there are %s%s", name, strings.Join(Columns(), ", "), hint)
		}
		if _, twice := at[name]; twice {
			return nil, fmt.Errorf("column %q is there twice", name)
		}
		at[name] = i
	}
	for _, must := range []string{"pod", "at"} {
		if _, ok := at[must]; !ok {
			return nil, fmt.Errorf("column %q is missing; it must be there", must)
		}
	}
	if _, both := at["cores"]; both {
		if _, too := at["cpu_seconds"]; too {
			return nil, errors.New("cpu_seconds and cores are both there; keep one of them")
		}
	}
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
		if err != nil || len(row) != len(names) {
			var bad *csv.ParseError
			if err != nil && !errors.As(err, &bad) {
				return log, err // the source broke off
			}
			if bad != nil {
				line = bad.StartLine
			}
			log.refuse(demand.BadRow{Line: line, Reason: fmt.Sprintf("expected %d fields", len(names))})
			continue
		}
		if n >= MaxSamples {
			return log, fmt.Errorf("more than %d samples; take fewer runs or a longer interval", MaxSamples)
		}
		if bad := log.take(row, at); bad.Reason != "" {
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
func (l *Log) take(row []string, at map[string]int) demand.BadRow {
	text := func(name string) string {
		if i, ok := at[name]; ok {
			return strings.TrimSpace(row[i])
		}
		return ""
	}
	var bad demand.BadRow
	refuse := func(name, reason string) {
		if bad.Reason == "" {
			bad = demand.BadRow{Column: name, Found: text(name), Reason: reason}
		}
	}
	figure := func(name string) float64 {
		if text(name) == "" {
			return math.NaN()
		}
		x, err := strconv.ParseFloat(text(name), 64)
		if err != nil || !(x >= 0) || math.IsInf(x, 0) {
			refuse(name, "expected a number, 0 or more")
		}
		return x
	}
	size := func(name string) float64 {
		if text(name) == "" {
			return math.NaN()
		}
		b, err := units.ParseBytes(text(name))
		if err != nil {
			refuse(name, err.Error())
		}
		return float64(b)
	}
	pod := text("pod")
	if pod == "" {
		refuse("pod", "expected the name of a pod")
	}
	x := Sample{At: moment(text("at")), CPU: figure("cpu_seconds"), Memory: size("memory"), Throttled: figure("throttled_seconds"), Disk: size("disk")}
	if math.IsNaN(x.At) {
		refuse("at", "expected a time such as 2026-09-14T06:00:00Z, or seconds")
	}
	_, rate := at["cores"]
	if rate {
		x.CPU = figure("cores")
	}
	killed := false
	switch strings.ToLower(text("killed")) {
	case "", "false", "no", "0":
	case "true", "yes", "1":
		killed = true
	default:
		refuse("killed", "expected true or false")
	}
	limit := size("limit")
	if bad.Reason != "" {
		return bad
	}
	s := l.series(pod, text("container"), rate)
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
