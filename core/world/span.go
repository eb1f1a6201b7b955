package world

import (
	"fmt"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

const (
	// mostLog bounds the span that a scenario gets from its log when it names none.
	mostLog = 35 * units.Day
	// quiet is how long a log may be silent at its end and still go on: a weekend, with a
	// holiday beside it.
	quiet = 3 * units.Day
)

// logLength is how much time a log covers whose last job comes at a moment: whole hours
// when it is less than a day, otherwise whole days, or whole weeks where it ends no
// longer before one does than a log may be silent.
func logLength(last units.Duration) units.Duration {
	up := func(grain units.Duration) units.Duration { return (last/grain + 1) * grain }
	switch weeks := up(units.Week); {
	case last < units.Day:
		return up(units.Hour)
	case weeks-last <= quiet:
		return weeks
	default:
		return up(units.Day)
	}
}

// spanOf settles the span of a run: as the plan says, for a log no longer than there are
// jobs, and where the plan says nothing the log's own length, or a week. notes say what
// was settled and what is left out.
func (w *World) spanOf(plan *document.RunPlan) (notes []string) {
	w.Plan = *plan
	if w.Log == nil || len(w.Log.List) == 0 {
		if plan.Span == 0 {
			w.Plan.Span = units.Week
		}
		return nil
	}
	list := w.Log.List
	last := list[len(list)-1].Submitted
	length := logLength(last)
	switch {
	case plan.Span == 0:
		w.Plan.Span = min(length, mostLog)
	case plan.Span > length && plan.Span-last > quiet:
		w.Plan.Span = length
		notes = append(notes, fmt.Sprintf("The log's last job comes after %s of the span of %s. What follows has no demand and "+
			"would dilute every figure a month: the run ends after %s.", last.Short(), plan.Span, length))
	}
	out := 0
	for i := len(list) - 1; i >= 0 && list[i].Submitted >= w.Plan.Span; i-- {
		out++
	}
	if out > 0 {
		why := "the span of " + w.Plan.Span.String()
		if plan.Span == 0 {
			why = fmt.Sprintf("a span of %s, the most that is taken where run.span is absent,", w.Plan.Span)
		}
		notes = append(notes, fmt.Sprintf("%s of the log's %s jobs come after %s and are left out; the log covers %s.",
			units.Count(int64(out)), units.Count(int64(len(list))), why, length))
	}
	return notes
}

// warmUp lays the time to warm up before the span, so that whole days and weeks are
// counted: made jobs are drawn for those hours, and of a log those of the same hours a
// week later come before it, or a day later where it is shorter than a week. What is
// shorter than a day has no such hours: its first part warms up, which is said.
func (w *World) warmUp(b *Bound) (notes []string) {
	warm := w.Plan.Warmup
	if warm == 0 {
		return nil
	}
	if w.Log != nil && len(w.Log.List) > 0 {
		list, period := w.Log.List, units.Week
		switch length := logLength(list[len(list)-1].Submitted); {
		case length < units.Day:
			return []string{fmt.Sprintf("The log covers less than a day, so that no jobs of the same hours can come before it: its "+
				"first %s warm up and are left out of every figure.", warm)}
		case length < units.Week:
			period = units.Day
		}
		w.Log = b.after(w.Log, warm, period)
	}
	w.Start = w.Start.Add(-time.Duration(warm))
	w.Plan.Span += warm
	return nil
}

// patienceWithBacklog is how long a run goes on after its span, and as long again as
// that, to let jobs that came within it end.
const patienceWithBacklog = 30 * units.Day

// horizon is how far simulated time may go; calendars and drains reach as far.
func (w *World) Horizon() units.Duration { return 2*w.Plan.Span + patienceWithBacklog }
