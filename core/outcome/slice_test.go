package outcome_test

import (
	"cmp"
	"math"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// looked runs the first repeat of a world and looks at it.
func looked(t *testing.T, seed uint64) (*sim.Trace, *outcome.Looker) {
	t.Helper()
	w, err := worlds.Random(seed)
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, w.Plan.Seed, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	return trace, outcome.NewLooker(trace)
}

// The whole as a part is what the outcome's sample of that repeat says, and parts of it add up to it: jobs, what they
// waited for, money.
func TestPartsAddUp(t *testing.T) {
	near := func(a, b float64) bool { return math.Abs(a-b) <= 1e-9*math.Max(1, math.Abs(b)) }
	for seed := range uint64(12) {
		trace, l := looked(t, seed)
		sample := outcome.Measure(trace, 0).Groups[0]
		whole := l.Slice(outcome.Filter{})
		if whole.Jobs != sample.Jobs || whole.Started != sample.Started || whole.Wrong != sample.Jobs-sample.Results[sim.Succeeded] ||
			!near(whole.Delay.MeanNs, sample.Delay.Mean) || whole.Delay.MaxNs != sample.Delay.Max ||
			whole.Delay.P95Ns != nil && *whole.Delay.P95Ns != sample.Delay.P95 {
			t.Errorf("seed %d: the whole is %+v, the sample %+v", seed, whole, sample.Delay)
		}
		hours := func(p outcome.Slice) (sum float64) {
			for _, c := range p.Causes {
				sum += c.JobHours
			}
			return sum
		}
		var jobs, started int
		var waited, money, own float64
		step := whole.To.Sub(whole.From) / 7
		for i := range 7 {
			f := outcome.Filter{From: whole.From.Add(time.Duration(i) * step), To: whole.From.Add(time.Duration(i+1) * step)}
			if i == 0 {
				f.From = time.Time{} // jobs that come after others may come before
			}
			if i == 6 {
				f.To = time.Time{}
			}
			p := l.Slice(f)
			jobs, started, waited, money, own = jobs+p.Jobs, started+p.Started, waited+hours(p), money+p.Money, own+p.Own
		}
		if jobs != whole.Jobs || started != whole.Started || !near(waited, hours(whole)) || !near(money, whole.Money) || !near(own, whole.Own) {
			t.Errorf("seed %d: parts add up to %d jobs, %d started, %v h, %v and %v; the whole is %d, %d, %v, %v and %v", seed, jobs, started, waited, money, own,
				whole.Jobs, whole.Started, hours(whole), whole.Money, whole.Own)
		}
		byClass := 0
		for _, c := range whole.Classes {
			if p := l.Slice(outcome.Filter{Class: c.Name}); p.Jobs != c.Jobs || len(p.Classes) != 1 {
				t.Errorf("seed %d: class %s has %d jobs, filtered %d", seed, c.Name, c.Jobs, p.Jobs)
			}
			byClass += c.Jobs
		}
		if byClass != whole.Jobs {
			t.Errorf("seed %d: %d jobs by class, %d in all", seed, byClass, whole.Jobs)
		}
	}
}

// Filters mean what rows say, and every order is one by what rows say.
func TestJobsAreFilteredAndSorted(t *testing.T) {
	for seed := range uint64(6) {
		trace, l := looked(t, seed)
		var rows []outcome.JobRow
		for j := range trace.Records {
			rows = append(rows, l.Row(j))
		}
		some := rows[len(rows)/2]
		filters := map[string]struct {
			f    outcome.Filter
			want func(r *outcome.JobRow) bool
		}{
			"all":      {outcome.Filter{}, func(*outcome.JobRow) bool { return true }},
			"class":    {outcome.Filter{Class: some.Class}, func(r *outcome.JobRow) bool { return r.Class == some.Class }},
			"template": {outcome.Filter{Template: "none"}, func(r *outcome.JobRow) bool { return r.Template == "" }},
			"result":   {outcome.Filter{Result: some.Result}, func(r *outcome.JobRow) bool { return r.Result == some.Result }},
			"text":     {outcome.Filter{Text: some.ID[1:]}, func(r *outcome.JobRow) bool { return strings.Contains(r.ID, some.ID[1:]) }},
			"nobody":   {outcome.Filter{Class: "nobody"}, func(*outcome.JobRow) bool { return false }},
			"from":     {outcome.Filter{From: some.Submitted}, func(r *outcome.JobRow) bool { return !r.Submitted.Before(some.Submitted) }},
			"to":       {outcome.Filter{To: some.Submitted}, func(r *outcome.JobRow) bool { return r.Submitted.Before(some.Submitted) }},
			"cause":    {outcome.Filter{Cause: cmp.Or(some.Cause, "x")}, func(r *outcome.JobRow) bool { return r.Cause == cmp.Or(some.Cause, "x") }},
		}
		for name, c := range filters {
			want := []int32{}
			for j := range rows {
				if c.want(&rows[j]) {
					want = append(want, int32(j))
				}
			}
			if got := l.Jobs(c.f); !slices.Equal(got, want) {
				t.Errorf("seed %d: by %s %d jobs, want %d", seed, name, len(got), len(want))
			}
		}
		for _, by := range outcome.Orders() {
			for _, down := range []bool{false, true} {
				jobs := l.Jobs(outcome.Filter{})
				if err := l.Sort(jobs, by, down); err != nil {
					t.Fatal(err)
				}
				for i := 1; i < len(jobs); i++ {
					a, b := &rows[jobs[i-1]], &rows[jobs[i]]
					if down {
						a, b = b, a
					}
					if !inOrder(by, a, b) {
						t.Fatalf("seed %d, by %s, down %v: %+v stands before %+v", seed, by, down, rows[jobs[i-1]], rows[jobs[i]])
					}
				}
			}
		}
		if err := l.Sort(nil, "colour", false); err == nil {
			t.Error("sorted by colour")
		}
	}
}

// inOrder reports whether one row may stand before another.
func inOrder(by string, a, b *outcome.JobRow) bool {
	never := func(ns int64) int64 {
		if ns < 0 {
			return math.MaxInt64
		}
		return ns
	}
	switch by {
	case "submitted":
		return !a.Submitted.After(b.Submitted)
	case "id":
		return a.ID <= b.ID
	case "class":
		return a.Class <= b.Class
	case "template":
		return a.Template <= b.Template
	case "result":
		return a.Result <= b.Result
	case "cause":
		return a.Cause <= b.Cause
	case "delay":
		return never(a.DelayNs) <= never(b.DelayNs)
	case "lead":
		return never(a.LeadNs) <= never(b.LeadNs)
	}
	return a.CostNano <= b.CostNano
}
