package backtest

import (
	"fmt"
	"io"
	"math"
	"strconv"
	"time"

	"tachyphor/core/sim"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

// MostCounts is how many moments a record of agents and nodes may have.
const MostCounts = 200_000

// A CountSeen is how many agents and nodes there were at a moment, as somebody recorded it.
type CountSeen struct {
	At     time.Time `json:"at" doc:"When."`
	Agents *float64  `json:"agents,omitempty" doc:"Agents that there were; absent: not recorded."`
	Nodes  *float64  `json:"nodes,omitempty" doc:"Nodes for them, booting ones included; absent: not recorded."`
}

// An HourCounted is an hour of the week, as recorded and as predicted.
type HourCounted struct {
	Hour      int     `json:"hour" doc:"From Monday 00:00."`
	Observed  float64 `json:"observed" doc:"The mean of what was recorded."`
	Predicted float64 `json:"predicted" doc:"What the runs say of the same moments, in the middle."`
	Low       float64 `json:"low" doc:"As far as chance goes, it is above this at 95 %."`
	High      float64 `json:"high" doc:"And below this."`
}

// A Counted is agents, or nodes, over time, as recorded beside what is predicted.
type Counted struct {
	What      string        `json:"what" enum:"agents,nodes" doc:"What was counted."`
	Records   int           `json:"records" doc:"Moments of which it is recorded within what is scored."`
	Observed  float64       `json:"observed" doc:"The mean of what was recorded."`
	Predicted float64       `json:"predicted" doc:"What the runs say of the same moments, in the middle."`
	Low       float64       `json:"low" doc:"As far as chance goes, it is above this at 95 %."`
	High      float64       `json:"high" doc:"And below this."`
	Off       bool          `json:"off" doc:"It is further off than chance explains, and by more than a twentieth."`
	Hours     []HourCounted `json:"hours" doc:"By hour of the week; hours without a record are left out."`
	Says      string        `json:"says" doc:"The same in words."`
}

// letPass is how far a count or a bill may be off, whatever chance says: a simulation is a model.
const letPass = 0.05

// ReadCounts reads a record of agents and nodes over time: CSV with a header, JSON Lines or Parquet with
// the columns at (RFC 3339, or seconds since 1970), agents and nodes, of which one may be left out.
func ReadCounts(src io.Reader) ([]CountSeen, error) {
	var out []CountSeen
	var bad table.Refused
	err := table.Read(src, table.Columns{
		Names: []string{"at", "agents", "nodes"}, Must: []string{"at"},
		There: func(there []bool) error {
			if !there[1] && !there[2] {
				return fmt.Errorf("neither agents nor nodes is among the columns")
			}
			return nil
		},
	}, func(row table.Row, line int) error {
		if len(out) >= MostCounts {
			return fmt.Errorf("more than %d moments; record every few minutes", MostCounts)
		}
		var x CountSeen
		seconds, err := strconv.ParseFloat(row[0], 64)
		switch {
		case err == nil && seconds >= 0 && seconds < 1e11:
			x.At = time.UnixMilli(int64(math.Round(seconds * 1000))).UTC()
		default:
			if x.At, err = time.Parse(time.RFC3339Nano, row[0]); err != nil {
				bad.Refuse(table.BadRow{Line: line, Column: "at", Found: row[0], Reason: "expected a time such as 2026-09-14T06:00:00Z, or seconds since 1970"})
				return nil
			}
		}
		for c, into := range map[int]**float64{1: &x.Agents, 2: &x.Nodes} {
			if row[c] == "" {
				continue
			}
			v, err := strconv.ParseFloat(row[c], 64)
			if err != nil || !(v >= 0) || v > 1e7 {
				bad.Refuse(table.BadRow{Line: line, Column: []string{"at", "agents", "nodes"}[c], Found: row[c], Reason: "expected a number, 0 or more"})
				return nil
			}
			*into = &v
		}
		out = append(out, x)
		return nil
	}, bad.Refuse)
	switch {
	case err != nil:
		return nil, err
	case bad.Bads > 0:
		return nil, fmt.Errorf("%d of %d rows cannot be read: %s", bad.Bads, bad.Bads+len(out), bad.Bad[0])
	case len(out) == 0:
		return nil, fmt.Errorf("it has no rows")
	}
	return out, nil
}

// counted holds what was recorded of agents and nodes beside what the runs say.
func (q *Question) counted(read [][]reading) []Counted {
	out := []Counted{}
	for _, x := range []struct {
		what string
		seen func(*CountSeen) *float64
		of   func(*reading) []float64
	}{
		{"agents", func(c *CountSeen) *float64 { return c.Agents }, func(r *reading) []float64 { return r.agents }},
		{"nodes", func(c *CountSeen) *float64 { return c.Nodes }, func(r *reading) []float64 { return r.nodes }},
	} {
		type sum struct {
			n        int
			observed float64
			runs     []float64
		}
		all, hours := sum{runs: make([]float64, len(read[0]))}, make([]sum, weekHours)
		for i := range q.seen {
			value, design, bin := x.seen(&q.seen[i]), q.designAt(q.seen[i].At), q.binAt(q.seen[i].At)
			if value == nil || bin < 0 || bin >= len(x.of(&read[design][0])) {
				continue
			}
			h := &hours[q.zone.MinuteOfWeek(q.seen[i].At)/60]
			if h.runs == nil {
				h.runs = make([]float64, len(read[0]))
			}
			for _, s := range []*sum{&all, h} {
				s.n++
				s.observed += *value
				for r := range s.runs {
					s.runs[r] += x.of(&read[design][r])[bin]
				}
			}
		}
		if all.n == 0 {
			continue
		}
		mean := func(s *sum) (observed, mid, low, high float64) {
			for r := range s.runs {
				s.runs[r] /= float64(s.n)
			}
			mid, low, high = ranged(s.runs, 0.95)
			return s.observed / float64(s.n), mid, low, high
		}
		c := Counted{What: x.what, Records: all.n, Hours: []HourCounted{}}
		c.Observed, c.Predicted, c.Low, c.High = mean(&all)
		c.Off = beyond(c.Observed, c.Predicted, c.Low, c.High)
		c.Says = fmt.Sprintf("On average %.1f %s were recorded where %.1f are predicted (by chance %.1f to %.1f)%s.", c.Observed, x.what, c.Predicted, c.Low, c.High,
			map[bool]string{true: ", more than chance explains"}[c.Off])
		for h := range hours {
			if hours[h].n > 0 {
				y := HourCounted{Hour: h}
				y.Observed, y.Predicted, y.Low, y.High = mean(&hours[h])
				c.Hours = append(c.Hours, y)
			}
		}
		out = append(out, c)
	}
	return out
}

// beyond reports whether what was observed is further off than chance explains, and more than is let pass.
func beyond(observed, predicted, low, high float64) bool {
	return (observed < low || observed > high) && math.Abs(observed-predicted) > float64(letPass*predicted)
}

// binAt is the bin of lines that a moment falls into, below 0 where it is not scored.
func (q *Question) binAt(t time.Time) int {
	w := q.designs[0].w
	at := units.Duration(t.Sub(w.Start))
	if at < w.Plan.Warmup || at >= w.Plan.Span || t.Before(q.split.From) {
		return -1
	}
	return int(at / sim.LineWidth(w.Plan.Span))
}

// designAt is the design in force at a moment.
func (q *Question) designAt(t time.Time) (out int) {
	for d := range q.designs {
		if !t.Before(q.designs[d].From) {
			out = d
		}
	}
	return out
}
