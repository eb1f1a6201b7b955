package sizing

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/table"
	"tachyphor/core/units"
)

// Limits on a file of samples.
const (
	MaxSamples = 20_000_000
	// mostAlike bounds the samples that room is made for beforehand.
	mostAlike = 4096
	// maxRestarts bounds how often one container can have begun anew.
	maxRestarts = 1_000_000
)

// A Log is the samples of a file, by container.
type Log struct {
	Series []Series // in the order of their first samples
	table.Refused
	at   map[string]int // by pod and container: index into Series
	last int            // series of the row before
	// samples counts the rows that were read.
	samples int
}

func newLog() *Log { return &Log{at: map[string]int{}} }

// Samples counts the samples in the log's series.
func (l *Log) Samples() int {
	n := 0
	for _, s := range l.Series {
		n += len(s.Samples)
	}
	return n
}

// Only keeps the series of one container, and those that name none. It returns how
// many it left out.
func (l *Log) Only(container string) int {
	before := len(l.Series)
	l.Series = slices.DeleteFunc(l.Series, func(s Series) bool { return s.Container != "" && s.Container != container })
	return before - len(l.Series)
}

// Read reads samples, told apart by the first bytes: CSV with a header, Parquet with
// the same columns, or answers of Prometheus to range queries. Times are RFC 3339 or
// seconds; memory and disk are written as Kubernetes does or in bytes; an empty field was
// not measured. Bad rows are counted and described and are in no series. The error is for
// a file that cannot be read as samples at all.
func Read(src io.Reader) (*Log, error) {
	log, rate := newLog(), false
	err := table.Read(src, table.Columns{
		Names: Columns(), Must: []string{columnNames[podColumn], columnNames[atColumn]},
		There: func(there []bool) error {
			if rate = there[coresColumn]; rate && there[cpuColumn] {
				return errTwoCPU
			}
			return nil
		},
		JSON: func(in *bufio.Reader) (err error) {
			log, err = readAnswers(in)
			return err
		},
	}, func(row table.Row, line int) error { return log.take(row, rate, line) }, log.Refuse)
	return log, err
}

// take puts one row's sample into its series, or refuses it. rate says that CPU is
// told as cores in use. The error is for more rows than are taken.
func (l *Log) take(row table.Row, rate bool, line int) error {
	if l.samples++; l.samples > MaxSamples {
		return fmt.Errorf("more than %d samples; use fewer runs or a longer interval", MaxSamples)
	}
	var bad table.BadRow
	refuse := func(c int, reason string) {
		if bad.Reason == "" {
			bad = table.BadRow{Column: columnNames[c], Found: strings.Clone(row[c]), Reason: reason}
		}
	}
	figure := func(c int) float64 {
		s := row[c]
		if s == "" {
			return math.NaN()
		}
		if x, ok := plain(s); ok {
			return x
		}
		x, err := strconv.ParseFloat(s, 64)
		if err != nil || !(x >= 0) || math.IsInf(x, 0) {
			refuse(c, "expected a number, 0 or more")
		}
		return x
	}
	size := func(c int) float64 {
		s := row[c]
		if s == "" {
			return math.NaN()
		}
		if x, ok := plain(s); ok {
			return math.Ceil(x)
		}
		b, err := units.ParseBytes(s)
		if err != nil {
			refuse(c, err.Error())
		}
		return float64(b)
	}
	pod := row[podColumn]
	if pod == "" {
		refuse(podColumn, "expected the name of a pod")
	}
	x := Sample{
		At: moment(row[atColumn]), CPU: figure(cpuColumn), Memory: size(memoryColumn), Throttled: figure(throttledColumn),
		Disk: size(diskColumn),
	}
	if math.IsNaN(x.At) {
		refuse(atColumn, "expected a time such as 2026-09-14T06:00:00Z, or seconds")
	}
	if rate {
		x.CPU = figure(coresColumn)
	}
	killed, evicted := false, false
	switch strings.ToLower(row[killedColumn]) {
	case "", "false", "no", "0":
	case "true", "yes", "1", "memory":
		killed = true
	case "disk":
		evicted = true
	default:
		refuse(killedColumn, "expected true, false, memory or disk")
	}
	limit, restarts := size(limitColumn), figure(restartsColumn)
	if restarts > maxRestarts {
		refuse(restartsColumn, "more than a run can have")
	}
	if bad.Reason != "" {
		bad.Line = line
		l.Refuse(bad)
		return nil
	}
	s := l.series(pod, row[containerColumn], rate)
	s.Samples = append(s.Samples, x)
	s.Killed, s.Evicted = s.Killed || killed, s.Evicted || evicted
	s.Limit = max(s.Limit, units.Bytes(orZero(limit)))
	s.Restarts = max(s.Restarts, int(orZero(restarts)))
	return nil
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
		like := 0 // files go run by run, or moment by moment; runs are much alike
		if i > 0 {
			like = min(len(l.Series[l.last].Samples), mostAlike)
		}
		l.Series = append(l.Series, Series{
			Pod: strings.Clone(pod), Container: strings.Clone(container), Rate: rate,
			Samples: make([]Sample, 0, like),
		})
	}
	l.last = i
	return &l.Series[i]
}

// moment reads a time as seconds; NaN when it is none.
func moment(s string) float64 {
	if x, ok := plain(s); ok {
		return x
	}
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
