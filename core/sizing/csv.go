package sizing

import (
	"encoding/csv"
	"errors"
	"io"
	"math"
	"slices"
	"strconv"
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

var columnNames = [columnCount]string{
	"pod", "container", "at", "cpu_seconds", "cores", "memory", "throttled_seconds", "disk", "killed",
	"limit", "restarts",
}

// Columns are what a file of samples may have. pod and at must be there, and one of
// the figures.
func Columns() []string { return columnNames[:] }

var errTwoCPU = errors.New("cpu_seconds and cores are both there; keep one of them")

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
			if err := w.Write([]string{
				s.Pod, s.Container, figure(x.At), figure(x.CPU), figure(x.Memory), figure(x.Throttled), figure(x.Disk),
				killed, limit, restarts,
			}); err != nil {
				return err
			}
		}
	}
	w.Flush()
	return w.Error()
}
