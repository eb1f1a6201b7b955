package explore

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Bearing is how far one thing may grow before an aim is missed.
type Bearing struct {
	Aim     string      `json:"aim" doc:"The aim in words."`
	Today   aim.Verdict `json:"today" doc:"What is said of it as things are."`
	Kept    float64     `json:"kept,omitempty" doc:"The largest factor up to which it is surely kept; absent: it is at none that was tried."`
	Missed  float64     `json:"missed,omitempty" doc:"The factor from which on it is surely missed; absent: it is at none that was tried."`
	AtMost  bool        `json:"atMost,omitempty" doc:"It is kept up to the largest factor that was tried, and may be beyond."`
	Unmoved bool        `json:"unmoved,omitempty" doc:"It does not hang on this."`
}

// A Margin is how far one thing may grow.
type Margin struct {
	Of    string    `json:"of" doc:"What grows: jobs, boot times, image sizes, slow links, node prices."`
	What  string    `json:"what" doc:"What a factor is of, after \"times\"."`
	Most  float64   `json:"most" doc:"The largest factor that is tried."`
	Aims  []Bearing `json:"aims" doc:"By aim."`
	First int       `json:"first" doc:"The aim that breaks first; −1: none does."`
	Why   string    `json:"why,omitempty" doc:"What jobs wait for where it breaks that they did not before."`
}

// Margins are how far a scenario's aims bear what nobody chooses.
type Margins struct {
	Scenario string      `json:"scenario" doc:"Name of the scenario."`
	Currency string      `json:"currency" doc:"Currency of bills."`
	Sentence string      `json:"sentence" doc:"The answer in a sentence."`
	Aims     []aim.Asked `json:"aims" doc:"What must be kept."`
	Today    Measures    `json:"today" doc:"The scenario as things are."`
	Margins  []Margin    `json:"margins" doc:"By what grows."`
	Repeats  int         `json:"repeats" doc:"Repeats at each factor, on the same draws."`
	Runs     int         `json:"runs" doc:"Runs that it took."`
	Finest   float64     `json:"finest" doc:"How fine factors are: each is so many times the one before."`
}

// marginRepeats is how often each factor is run.
const marginRepeats = 8

// AskMargin puts together how far a scenario bears what may grow; without aims, with those of the scenario.
func AskMargin(in world.Input, aims []string) (*Question, error) {
	spec := document.SweepSpec{Scenario: in.Scenario.Name, Aims: aims}
	spec.Defaults()
	spec.Budget.Defaults()
	q, err := Ask("margin-"+in.Scenario.Name, spec, in)
	if err == nil && len(q.aims) == 0 {
		err = errors.New("say what must be kept, as in \"95 % of all jobs start within 60s\": with the question, or as spec.aims of the scenario")
	}
	return q, err
}

// NeedOfMargins is about how much memory finding margins takes at most, on so many workers.
func (q *Question) NeedOfMargins(workers int) units.Bytes {
	jobs := mostJobs * units.Bytes(q.bases[0].ExpectedJobs())
	return jobs*sim.RunBytes*units.Bytes(workers) + jobs*sim.TraceBytes + 100*worldBytes
}

// Margins finds how far each thing may grow before an aim is missed, by halving on the same draws:
// what is kept at a factor is taken to be kept below it. What it says does not depend on the
// number of workers.
func (q *Question) Margins(way Way) (*Margins, error) {
	list := levers(q.ins[0])
	q.knobs = nil
	for i := range list {
		q.knobs = append(q.knobs, list[i].knob())
	}
	r := newRunner(q, way, marginRepeats*(1+6*len(list)*max(1, len(q.aims))))
	if err := r.run(r.valid([]variant{q.today()}), 0, marginRepeats); err != nil {
		return nil, err
	}
	out := &Margins{
		Scenario: q.bases[0].Scenario, Currency: q.bases[0].Currency, Repeats: marginRepeats, Finest: finest, Aims: []aim.Asked{}, Margins: []Margin{},
		Today: q.measures(r.of(q.today(), 0)),
	}
	for _, a := range q.aims {
		out.Aims = append(out.Aims, a.Asked())
	}
	for k := range list {
		m, err := q.margin(r, k, &list[k], out.Today.Aims)
		if err != nil {
			return nil, err
		}
		out.Margins = append(out.Margins, *m)
	}
	out.Runs = int(r.done.Load())
	out.Sentence = q.bears(out)
	return out, nil
}

// grown is what there is with one lever at a factor of so many steps.
func (q *Question) grown(k, n int) variant {
	v := q.today()
	v[k] = q.knobs[k].base + n
	return q.settled(v)
}

// margin finds how far one lever may go.
func (q *Question) margin(r *runner, k int, l *lever, today []aim.Reading) (*Margin, error) {
	top := q.knobs[k].base
	out := &Margin{Of: l.name, What: l.what, Most: l.most, First: -1}
	// said is what runs say of an aim at a factor; false: there is no such world.
	said := func(a, n int) (aim.Reading, bool, error) {
		v := q.grown(k, n)
		if len(r.valid([]variant{v})) == 0 {
			return aim.Reading{}, false, nil
		}
		if err := r.run([]variant{v}, 0, marginRepeats); err != nil {
			return aim.Reading{}, false, err
		}
		return q.readings(r.of(v, 0)[:marginRepeats], errorOfAll)[a], true, nil
	}
	breaks := -1 // steps at which the first to break is missed
	for a := range q.aims {
		b := Bearing{Aim: q.aims[a].String(), Today: today[a].Verdict}
		if l.bills && q.aims[a].Kind != aim.Bill {
			b.Unmoved = true
			out.Aims = append(out.Aims, b)
			continue
		}
		edge := func(holds func(aim.Verdict) bool) (int, bool, error) {
			return lastOf(-top, top, func(n int) (bool, error) {
				x, ok, err := said(a, n)
				return ok && holds(x.Verdict), err
			})
		}
		kept, any, err := edge(func(v aim.Verdict) bool { return v == aim.Kept })
		if err != nil {
			return nil, err
		}
		if any {
			b.Kept, b.AtMost = factor(kept), kept == top
		}
		if !b.AtMost {
			spared, any, err := edge(func(v aim.Verdict) bool { return v != aim.Missed })
			if err != nil {
				return nil, err
			}
			switch {
			case !any:
				b.Missed = factor(-top)
			case spared < top:
				b.Missed = factor(spared + 1)
			}
			if out.First < 0 || b.Kept < out.Aims[out.First].Kept {
				out.First, breaks = a, spared+1
			}
		}
		out.Aims = append(out.Aims, b)
	}
	if out.First >= 0 && breaks > 0 && breaks <= top {
		var err error
		if out.Why, err = q.why(r, q.grown(k, breaks), q.aims[out.First]); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// lastOf finds the last number up to which something holds, which once it does not does not any
// more: from 0 by longer and longer steps, then by halving. False: it does not at least either.
func lastOf(least, most int, holds func(n int) (bool, error)) (last int, any bool, err error) {
	yes, no := least-1, most+1 // it holds at yes and not at no
	for step, n := 4, 0; ; step *= 2 {
		ok, err := holds(n)
		if err != nil {
			return 0, false, err
		}
		if ok {
			yes = n
		} else {
			no = n
		}
		if yes >= least && no <= most || n == most && ok || n == least && !ok {
			break
		}
		if ok {
			n = min(n+step, most)
		} else {
			n = max(n-step, least)
		}
	}
	for yes >= least && no-yes > 1 && yes < most {
		mid := yes + (no-yes)/2
		ok, err := holds(mid)
		if err != nil {
			return 0, false, err
		}
		if ok {
			yes = mid
		} else {
			no = mid
		}
	}
	return yes, yes >= least, nil
}

// why says what jobs of a variant's first repeat wait for beyond what they did as things are.
func (q *Question) why(r *runner, v variant, a aim.Aim) (string, error) {
	if a.Kind == aim.Bill || a.Kind == aim.Fails {
		return "", nil
	}
	now, err := r.waits(v, outcome.Waits)
	if err != nil {
		return "", err
	}
	before, err := r.waits(q.today(), outcome.Waits)
	if err != nil {
		return "", err
	}
	more := func(l outcome.Limit) float64 {
		for _, x := range before {
			if x.Cause == l.Cause && x.Name == l.Name {
				return l.JobHours - x.JobHours
			}
		}
		return l.JobHours
	}
	if len(now) == 0 {
		return "", nil
	}
	l := slices.MaxFunc(now, func(x, y outcome.Limit) int { return cmp.Compare(more(x), more(y)) })
	if more(l) <= 0 {
		return "", nil
	}
	return fmt.Sprintf("%s: jobs wait %.0f h there, %.0f h more than today", l.Label, l.JobHours, more(l)), nil
}

// waits is what jobs of a variant's first repeat wait for.
func (r *runner) waits(v variant, of func(*sim.Trace) []outcome.Limit) ([]outcome.Limit, error) {
	w, ok := r.world(v)
	if !ok {
		return nil, nil
	}
	return paired.Run(w[0], paired.Draw{}, func(units.Duration) bool { return r.tell(0) }, func(t *sim.Trace) ([]outcome.Limit, error) {
		return of(t), nil
	})
}

// bears is the answer for who reads nothing else.
func (q *Question) bears(m *Margins) string {
	var missed, idle []string
	for i, r := range m.Today.Aims {
		if r.Nobody {
			idle = append(idle, fmt.Sprintf("no job comes that %q is about", q.aims[i]))
		}
	}
	if len(idle) == len(q.aims) {
		return "Nothing can be said: " + strings.Join(idle, "; ") + "."
	}
	for i, r := range m.Today.Aims {
		if r.Verdict != aim.Kept {
			missed = append(missed, fmt.Sprintf("%q is %s today (%s)", q.aims[i], r.Verdict, m.Aims[i].Reads(r, m.Currency)))
		}
	}
	if len(missed) > 0 {
		says := strings.Join(missed, "; ")
		for _, x := range m.Margins {
			if x.Of == "jobs" && x.First >= 0 {
				if k := x.Aims[x.First].Kept; k > 0 {
					says += fmt.Sprintf(": it would be kept with %.2f times as many jobs", k)
				}
			}
		}
		return says + "."
	}
	var parts []string
	for _, x := range m.Margins {
		if x.First < 0 {
			continue
		}
		parts = append(parts, fmt.Sprintf("%.2f times %s (then %q breaks)", x.Aims[x.First].Kept, x.What, x.Aims[x.First].Aim))
	}
	if len(parts) == 0 {
		return "All aims are kept however far anything grew that was tried."
	}
	which := "All aims are kept"
	if len(q.aims) == 1 {
		which = "The aim is kept"
	}
	return which + " up to " + strings.Join(parts, ", ") + ", sure at 95 % each."
}
