// Package ahead says what to expect of a week to come: how many jobs, when queues will be long, what
// the bill will be, each between bounds. The jobs are drawn from those that came, day by day, at the
// level that the weeks before bear, and simulated under the design. Of a week that is over it says too
// how far that came true.
package forecast

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/portable"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

const (
	// repeats is how many weeks are drawn and simulated.
	repeats = 24
	// drawWeeks is how many of the last weeks days are drawn from at most.
	drawWeeks = 4
	// quiet is how long before its end the last job of a whole week may have come: a weekend, and more.
	quiet = 3 * 24 * time.Hour
	// leastJobs is how few jobs the weeks may have that are drawn from.
	leastJobs = 50
)

// MostBack is how far before the week ahead records are of use.
const MostBack = mostWeeks * 7 * 24 * time.Hour

// ErrTooLittle says that the records bear no forecast.
var ErrTooLittle = errors.New("too little is recorded to look ahead")

// Options say which week is looked ahead to.
type Options struct {
	Monday time.Time // a moment within that week; zero: the week after the last job
	Until  time.Time // records are whole until then; zero: until the last job
}

// A Question is a scenario, the weeks before, and what came of the week itself where it is known.
type Question struct {
	w     *world.World // its jobs are those that are drawn from, after the warm-up
	weeks []PastWeek
	level WeekLevel
	from  [][]seenJob // jobs of the weeks that are drawn from
	// daySpread is how far, on the scale of logarithms, a day's jobs are from those that the days like it
	// have on average, beyond what a Poisson process of that rate is.
	daySpread [7]float64
	monday    time.Time
	until     time.Time
	guessed   bool // until is when the last job came
	before    [][]seenJob
	came      []seenJob
	whole     int // days of the week that are over
}

type seenJob struct {
	at     time.Time
	waited float64 // ns; below 0: not known
}

// Ask puts a question together: in has the scenario with the recorded jobs, from a Monday or later on.
func Ask(in world.Input, o Options) (*Question, error) {
	zone := in.Workload.Value.(*document.Workload).Spec.Zone
	first := in.Workload.Value.(*document.Workload).Spec.Start.Time
	start := MondayOf(first.In(zone.Location()))
	named, faults, err := in.Named.With([]document.Changes{{
		Kind: document.KindWorkload, Name: in.Workload.Name,
		Edits: []document.Edit{{Op: "replace", Path: "/spec/start", Value: document.Plain(units.Instant{Time: start})}},
	}})
	if err == nil {
		err = faults.Err()
	}
	if err != nil {
		return nil, err
	}
	in.Named = named
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, err
	}
	if w.Log == nil || len(w.Log.List) == 0 {
		return nil, fmt.Errorf("%w: the workload's jobs are not recorded", ErrTooLittle)
	}
	q := new(Question)
	warm := w.Plan.Warmup
	began := w.Start.Add(time.Duration(warm))
	if q.until = o.Until; q.until.IsZero() {
		q.guessed = true
		q.until = began.Add(time.Duration(w.Log.List[len(w.Log.List)-1].Submitted - warm))
	}
	if q.monday = MondayOf(o.Monday.In(zone.Location())); o.Monday.IsZero() {
		q.monday = MondayOf(q.until.In(zone.Location()))
		if began.Before(q.monday.AddDate(0, 0, 7).Add(-quiet)) && q.until.After(q.monday.AddDate(0, 0, 7).Add(-quiet)) {
			q.monday = q.monday.AddDate(0, 0, 7)
		}
	}
	if err := q.split(w, began, in.Recording.Observed()); err != nil {
		return nil, err
	}
	q.w = w.AsTaken()
	q.w.Plan.Repeats = repeats
	last := q.weeks[len(q.weeks)-1].Monday
	q.level = levelOf(q.weeks, int(q.monday.Sub(last).Hours()/24/7+0.5))
	var from []units.Duration
	for n := len(q.weeks) - 1; n >= 0 && len(q.from) < drawWeeks; n-- {
		if x := &q.weeks[n]; !x.Odd {
			x.Drawn, q.from = true, append(q.from, q.before[n])
			from = append(from, warm+units.Duration(x.Monday.Sub(began)))
		}
	}
	slices.Reverse(from)
	slices.Reverse(q.from)
	q.w.Log = q.w.Log.Pieces(from, units.Week, warm)
	q.spreads()
	if n := len(q.w.Log.List); n < leastJobs {
		return nil, fmt.Errorf("%w: of the weeks before %d jobs are known; %d are needed", ErrTooLittle, n, leastJobs)
	}
	return q, nil
}

// MondayOf is when the week of a moment began, where it is.
func MondayOf(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day()-(int(t.Weekday())+6)%7, 0, 0, 0, 0, t.Location())
}

// split tells the weeks before from that which is looked ahead to.
func (q *Question) split(w *world.World, began time.Time, observed map[string]demand.Observed) error {
	at := func(i int) time.Time { return began.Add(time.Duration(w.Log.List[i].Submitted - w.Plan.Warmup)) }
	end := q.monday.AddDate(0, 0, 7)
	var last time.Time
	for i := range w.Log.List {
		if w.Log.List[i].Submitted < w.Plan.Warmup {
			continue
		}
		t := at(i)
		j := seenJob{at: t, waited: -1}
		if x, known := observed[w.Log.ID(i)]; known {
			j.waited = float64(x.Waited)
		}
		if !t.Before(end) {
			continue
		}
		if !t.Before(q.monday) {
			q.came = append(q.came, j)
			continue
		}
		last = t
		monday := MondayOf(t.In(w.Zone.Location()))
		for len(q.weeks) == 0 || q.weeks[len(q.weeks)-1].Monday.Before(monday) {
			next := monday
			if n := len(q.weeks); n > 0 {
				next = q.weeks[n-1].Monday.AddDate(0, 0, 7) // a week without a job is one too
			}
			q.weeks, q.before = append(q.weeks, PastWeek{Monday: next}), append(q.before, nil)
		}
		n := len(q.weeks) - 1
		q.weeks[n].Jobs++
		q.before[n] = append(q.before[n], j)
	}
	if n := len(q.weeks); n > 0 && q.before[0][0].at.After(q.weeks[0].Monday.Add(24*time.Hour)) { // it began in the middle
		q.weeks, q.before = q.weeks[1:], q.before[1:]
	}
	if n := len(q.weeks); n > 0 && last.Before(q.weeks[n-1].Monday.AddDate(0, 0, 7).Add(-quiet)) && q.until.Before(q.weeks[n-1].Monday.AddDate(0, 0, 7)) {
		q.weeks, q.before = q.weeks[:n-1], q.before[:n-1] // it ends in the middle
	}
	if len(q.weeks) == 0 {
		return fmt.Errorf("%w: no whole week, from Monday on, is recorded before the week of %s", ErrTooLittle, q.monday.Format("2 January 2006"))
	}
	for q.whole = 0; q.whole < 7 && !q.monday.AddDate(0, 0, q.whole+1).After(q.until); q.whole++ {
	}
	if q.guessed && len(q.came) > 0 && q.until.After(end.Add(-quiet)) {
		q.whole = 7 // a week whose end has no jobs
	}
	if len(q.came) == 0 && q.until.Before(end) {
		q.whole = 0
	}
	return nil
}

// Need is how much memory trying takes with so many workers, about.
func (q *Question) Need(workers int) units.Bytes { return outcome.Need(q.w, workers) }

// Try draws weeks and simulates them.
func (q *Question) Try(workers int, progress paired.Progress) (*Forecast, error) {
	jobs := make([]*demand.Jobs, repeats)
	from := q.w.Log.Weeks(q.w.Plan.Warmup, len(q.from))
	err := sim.Each(workers, repeats, func(r int) error {
		jobs[r] = q.draw(from, r)
		return nil
	})
	if err != nil {
		return nil, err
	}
	by := q.factors(jobs)
	week := *q.w
	week.Plan.Span = week.Plan.Warmup + units.Week
	read := make([]reading, repeats)
	came := far{tell: progress, done: make([]float64, repeats)}
	err = sim.Each(workers, repeats, func(r int) error {
		t, err := sim.RunJobs(&week, jobs[r].Times(by[r]), week.Plan.Seed, r, func(now units.Duration) bool {
			return came.to(r, min(1, float64(now)/float64(week.Plan.Span)))
		})
		if err != nil {
			return err
		}
		if err := t.Check(); err != nil {
			return err
		}
		read[r] = q.read(t)
		jobs[r] = nil
		return nil
	})
	if err != nil {
		return nil, err
	}
	return q.answer(read), nil
}

// far is how far runs have come, told together.
type far struct {
	tell paired.Progress
	mu   sync.Mutex
	done []float64
}

func (f *far) to(run int, share float64) (goOn bool) {
	if f.tell == nil {
		return true
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.done[run] = share
	return f.tell(sum(f.done) / float64(len(f.done)))
}

// draw draws the jobs of a week like those before, each day with the spread that days have.
func (q *Question) draw(from *demand.Weeks, r int) *demand.Jobs {
	root := chance.Root(q.w.Plan.Seed, r)
	var by [7]float64
	for d := range by {
		u := root.For(chance.Alike, uint64(d), 4).Uniform()
		by[d] = portable.Exp(portable.NormalQuantile(u) * q.daySpread[d])
	}
	return from.Draw(by, root)
}

// factors are by what the drawn weeks are multiplied, so that as many jobs come as are expected, with
// the spread that weeks have among each other and do not have by being drawn of days, evenly over its
// quantiles.
func (q *Question) factors(drawn []*demand.Jobs) []float64 {
	n := float64(len(drawn))
	var sum, squares float64
	for _, j := range drawn {
		x := portable.Log(float64(max(1, q.within(j))))
		sum, squares = sum+x/n, squares+float64(x*x)/n
	}
	own := max(0, squares-float64(sum*sum)) // what days bring by themselves
	among := float64(q.level.among * q.level.among)
	spread := math.Sqrt(max(0, among-own) + max(0, float64(q.level.spread*q.level.spread)-among))
	out := make([]float64, len(drawn))
	for r := range out {
		off := 0.0
		if q.level.free > 0 {
			u := (float64(r*7%len(out)) + 0.5) / n // 7 and the repeats have no divisor in common
			t := portable.StudentBeyond(q.level.free, 1-math.Abs(2*u-1))
			if off = min(float64(t*spread), mostOff); u < 0.5 {
				off = -off
			}
		}
		out[r] = min(10, max(0.1, portable.Exp(q.level.mid-sum+off)))
	}
	return out
}

// within counts jobs of the week itself.
func (q *Question) within(j *demand.Jobs) (n int) {
	for i := range j.List {
		if j.List[i].Submitted >= q.w.Plan.Warmup {
			n++
		}
	}
	return n
}
