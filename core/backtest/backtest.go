// Package backtest holds what a simulation predicts of recorded jobs beside what happened to
// them: how far off its percentiles are, whether that is more than chance, how it does beside
// forecasts that know nothing of a design, and which one fact would explain most of it.
package backtest

import (
	"cmp"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Least is how many jobs with a known start delay there must be to judge at all.
const Least = 100

// Runs of a backtest: enough that the spread among them says what is chance, and, for each fact
// that is tried, enough to tell a difference on the same draws.
const (
	repeats     = 16
	factRepeats = 6
)

// A Design is a scenario as it was in force from a moment on.
type Design struct {
	From     time.Time // zero: always
	Revision int       // of the scenario; 0: not known
	In       world.Input
}

// Options say how a backtest is made; the zero value has it worked out.
type Options struct {
	From  time.Time   // only jobs that came from here on are scored; zero: by where the facts come from
	Now   time.Time   // for the age of facts
	Until time.Time   // the records are whole until then, though no more jobs came; for Days
	Facts bool        // look for the fact that would explain most
	Seen  []CountSeen // agents and nodes over time, as recorded
	Paid  float64     // for the log's whole time, in the currency; 0: not known
	Least int         // scored jobs to judge at all; 0: Least
}

// A Question is what is asked: designs, the jobs that came, and what happened to them.
type Question struct {
	designs []design
	facts   []doubt.Fact
	jobs    []job
	split   Split
	left    Left
	zone    units.Zone
	start   time.Time // of simulated time
	classes []string
	until   time.Time
	seen    []CountSeen
	paid    float64
	alone   bool // no facts are tried
	whole   bool // the log tells whole seconds
}

type design struct {
	Design
	w *world.World
}

// A job is a recorded job of which it is known how long it waited.
type job struct {
	index  int // in the world's list of jobs
	class  int32
	design int            // the one in force when it came
	at     units.Duration // when it came, in simulated time
	waited float64        // ns
	lead   float64        // ns; below 0: not known
	scored bool
	phases *demand.PhaseTimes // nil: not told
}

// Left counts jobs that are not scored, and why.
type Left struct {
	Unknown int `json:"unknown" doc:"Jobs whose wait the log does not say."`
	Before  int `json:"before" doc:"Jobs that came before the score begins: naive forecasts and facts may rest on them."`
	Unfit   int `json:"unfit" doc:"Jobs that fit no template of the design: it predicts no start of theirs."`
	Beyond  int `json:"beyond" doc:"Jobs that came after the span that is simulated."`
}

// ErrTooFew says that there are too few jobs to judge.
var ErrTooFew = errors.New("too few jobs to judge")

// Ask puts a question together. Designs are one scenario's, in the order in which they came into
// force, with the same recorded jobs; observed is what happened to these, by id.
func Ask(designs []Design, observed map[string]demand.Observed, o Options) (*Question, error) {
	if len(observed) == 0 {
		return nil, fmt.Errorf("%w: the log does not say when its jobs started; a backtest needs when they were submitted and when they started", ErrTooFew)
	}
	if !slices.ContainsFunc(slices.Collect(maps.Values(observed)), func(x demand.Observed) bool { return x.Waited > 0 }) {
		return nil, fmt.Errorf("%w: by the log no job waited at all; name the column that tells when jobs were submitted", ErrTooFew)
	}
	q := &Question{alone: !o.Facts, until: o.Until, seen: o.Seen, paid: o.Paid}
	if o.Paid > 0 && len(designs) > 1 {
		return nil, errPaid
	}
	bound := new(world.Bound)
	for _, d := range designs {
		d.In.Bound = bound
		w, faults := world.Assemble(d.In)
		if err := faults.Err(); err != nil {
			return nil, err
		}
		if w.Log == nil {
			return nil, errors.New("the workload's jobs are not recorded")
		}
		q.designs = append(q.designs, design{d, w})
	}
	first := q.designs[0].w
	q.start, q.zone = first.Start, first.Zone
	for i := range first.Classes {
		q.classes = append(q.classes, first.Classes[i].Name)
	}
	cluster := &designs[len(designs)-1].In.Cluster.Value.(*document.Cluster).Spec
	q.split = splitOf(cluster, first, o.From)
	q.take(observed)
	q.whole = wholeSeconds(q.jobs)
	for d := range q.designs {
		q.designs[d].w = q.asRun(q.designs[d].w)
	}
	if n, least := q.scored(), cmp.Or(o.Least, Least); n < least {
		return nil, fmt.Errorf("%w: of %d jobs it is known how long they waited (%s); at least %d are needed", ErrTooFew, n, q.left.says(), least)
	}
	if o.Facts {
		q.facts = doubt.Facts(cluster, first.ImageNames(), o.Now)
	}
	return q, nil
}

// asRun is a world as it is run here: jobs take as long as they took, and where a log tells whole
// seconds, came in the middle of theirs: by what was cut off they would all come half a second early,
// many of them just at a round of the controller.
func (q *Question) asRun(w *world.World) *world.World {
	w = w.AsTaken()
	w.Plan.Repeats = repeats
	if q.whole {
		w.Log.List = slices.Clone(w.Log.List)
		for i := range w.Log.List {
			w.Log.List[i].Submitted += units.Second / 2
		}
	}
	return w
}

func (l Left) says() string {
	return fmt.Sprintf("%d do not say it, %d came before the score begins, %d fit no template, %d came after the span", l.Unknown, l.Before, l.Unfit, l.Beyond)
}

// take finds the recorded jobs and what happened to them.
func (q *Question) take(observed map[string]demand.Observed) {
	w := q.designs[0].w
	from := units.Duration(q.split.From.Sub(w.Start))
	for i := range w.Log.List {
		x := &w.Log.List[i]
		if x.Submitted < w.Plan.Warmup {
			continue
		}
		seen, known := observed[w.Log.ID(i)]
		switch {
		case x.Submitted >= w.Plan.Span:
			q.left.Beyond++
			continue
		case !known:
			q.left.Unknown++
			continue
		}
		j := job{index: i, class: x.Class, at: x.Submitted, waited: float64(seen.Waited), lead: -1, scored: x.Submitted >= from, phases: seen.Phases}
		if seen.Took >= 0 {
			j.lead = float64(seen.Waited + seen.Took)
		}
		for d := range q.designs {
			if x.Submitted >= units.Duration(q.designs[d].From.Sub(w.Start)) || q.designs[d].From.IsZero() {
				j.design = d
			}
		}
		if !j.scored {
			q.left.Before++
		}
		q.jobs = append(q.jobs, j)
	}
}

// wholeSeconds reports whether a log tells whole seconds alone: a wait is then the difference of two
// moments that were cut off, and what is predicted is cut off likewise.
func wholeSeconds(jobs []job) bool {
	whole := 0
	for i := range jobs {
		if s := jobs[i].waited / second; math.Abs(s-math.Round(s)) < 2e-3 {
			whole++
		}
	}
	return whole*10 >= 9*len(jobs)
}

// scored counts the jobs that are scored.
func (q *Question) scored() (n int) {
	for i := range q.jobs {
		if q.jobs[i].scored {
			n++
		}
	}
	return n
}

// Need is how much memory trying takes with so many workers, about.
func (q *Question) Need(workers int) units.Bytes {
	return outcome.Need(q.designs[0].w, workers) + units.Bytes(len(q.jobs)*dayRuns*24)
}

// A Backtest is the answer.
type Backtest struct {
	Scenario string    `json:"scenario" doc:"Name of the scenario."`
	Currency string    `json:"currency" doc:"Currency of the bill."`
	Zone     string    `json:"zone" doc:"Time zone of hours and days."`
	From     time.Time `json:"from" doc:"When the first job that is scored came."`
	Until    time.Time `json:"until" doc:"When the last did."`
	Jobs     int       `json:"jobs" doc:"Jobs that are scored."`
	Left     Left      `json:"left" doc:"Jobs that are not, and why."`
	Repeats  int       `json:"repeats" doc:"Runs of the same jobs, each with other draws."`
	Designs  []InForce `json:"designs" doc:"The designs that were in force, in order."`
	Split    Split     `json:"split" doc:"What the facts were learned on, and what the score is of."`

	Verdict CameTrue     `json:"verdict" doc:"Whether it came true."`
	Scores  Scores       `json:"scores" doc:"How near the forecast is, beside two that know nothing of the design."`
	Groups  []HeldBeside `json:"groups" doc:"Predicted beside observed: all jobs, then each class."`
	Hours   []HourOfWeek `json:"hours" doc:"Mean start delays by hour of the week, from Monday 00:00; hours without jobs are left out."`
	Shape   []Quantile   `json:"shape" doc:"Percentiles of start delays, predicted and observed; above 90 closer together."`
	Phases  []PhaseHeld  `json:"phases" doc:"What jobs waited for, where the log tells it: means, predicted and observed."`
	Counted []Counted    `json:"counted" doc:"Agents and nodes over time, where they were recorded."`
	Paid    *Paid        `json:"paid,omitempty" doc:"What was paid, where that is told."`
	Fact    *Explained   `json:"fact,omitempty" doc:"The one fact whose change would explain most; absent where none does beyond chance."`
	Tried   []Explained  `json:"tried" doc:"Every fact that was tried, the one that would explain most first."`
	Moot    []string     `json:"moot" doc:"Facts that no job meets: nothing would change."`
	Next    string       `json:"next" doc:"What to do next."`
	spread  []float64    // scores of repeats as though each had been observed

	logScore  float64 // the same on the scale of logarithms, summed over jobs
	logSpread []float64
}

// An InForce is a design and when it was in force.
type InForce struct {
	Revision int       `json:"revision,omitempty" doc:"Revision of the scenario; absent: not stored."`
	From     time.Time `json:"from,omitzero" doc:"From when on; absent: from the beginning."`
	Jobs     int       `json:"jobs" doc:"Jobs that came while it was, scored or not."`
}

// Try runs the designs and holds what they predict beside what was observed.
func (q *Question) Try(workers int, progress paired.Progress) (*Backtest, error) {
	own := func(done float64) bool { return progress == nil || progress(done) }
	first := 0.9
	if !q.alone && len(q.facts) > 0 {
		first = 0.25
	}
	read, err := q.runDesigns(workers, func(done float64) bool { return own(done * first) })
	if err != nil {
		return nil, err
	}
	of := q.predicted(read)
	out := &Backtest{
		Scenario: q.designs[0].w.Scenario, Currency: q.designs[0].w.Currency, Zone: q.zone.String(), Repeats: repeats, Split: q.split,
		Left: q.left, Groups: []HeldBeside{}, Hours: []HourOfWeek{}, Shape: []Quantile{}, Tried: []Explained{}, Moot: []string{},
	}
	for d, x := range q.designs {
		f := InForce{Revision: x.Revision, From: x.From}
		for i := range q.jobs {
			if q.jobs[i].design == d {
				f.Jobs++
			}
		}
		out.Designs = append(out.Designs, f)
	}
	var list []int // jobs that are scored
	for i := range q.jobs {
		switch {
		case !q.jobs[i].scored:
		case of.delay[0][i] < 0:
			out.Left.Unfit++
		default:
			list = append(list, i)
		}
	}
	if len(list) < Least {
		return nil, fmt.Errorf("%w: %d are left (%s); at least %d are needed", ErrTooFew, len(list), out.Left.says(), Least)
	}
	out.Jobs = len(list)
	out.From, out.Until = q.when(list[0]), q.when(list[len(list)-1])
	out.groups(q, of, list)
	out.hours(q, of, list)
	out.score(q, of, list)
	out.Phases = q.phased(read, list)
	out.Counted, out.Paid = q.counted(read), q.paidBeside(read, out.Currency)
	out.judge()
	if !q.alone {
		if err := q.explain(out, read, list, workers, func(done float64) bool { return own(first + float64((1-first)*done)) }); err != nil {
			return nil, err
		}
	}
	out.next()
	return out, nil
}

func worldsOf(list []design) []*world.World {
	out := make([]*world.World, len(list))
	for i := range list {
		out[i] = list[i].w
	}
	return out
}

// when is when a job came.
func (q *Question) when(j int) time.Time {
	return q.start.Add(time.Duration(q.jobs[j].at)).In(q.zone.Location())
}
