package forecast

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
)

// weekHours is how many hours a week has.
const weekHours = 168

// An HourAhead is an hour of the week ahead.
type HourAhead struct {
	Jobs    outcome.Band `json:"jobs" doc:"Jobs that come."`
	Delay   outcome.Band `json:"delayNs" doc:"Mean start delay of these; of runs in which any come."`
	Waiting outcome.Band `json:"waiting" doc:"Jobs submitted and not started, on average."`
	Agents  outcome.Band `json:"agents" doc:"Agents that there are, on average."`
	Nodes   outcome.Band `json:"nodes" doc:"Nodes, booting ones included, on average."`
}

// A DayForecast is a day of the week ahead.
type DayForecast struct {
	Day   time.Time    `json:"day" doc:"When it begins."`
	Jobs  outcome.Band `json:"jobs" doc:"Jobs that come."`
	Delay outcome.Band `json:"delayNs" doc:"The 90th percentile of their start delays."`
}

// A PercentileForecast is a percentile of the week's start delays.
type PercentileForecast struct {
	P     float64      `json:"p" doc:"Which."`
	Delay outcome.Band `json:"delayNs" doc:"Start delays of all jobs."`
}

// A LongQueue is a time of the day, on some days of the week, in which jobs wait long.
type LongQueue struct {
	Days  []int        `json:"days" doc:"The days, 0 is Monday."`
	From  int          `json:"from" doc:"Hour of the day at which it begins."`
	Until int          `json:"until" doc:"Hour of the day at which it is over, 1 to 24."`
	Jobs  outcome.Band `json:"jobs" doc:"Jobs that come within it, a day."`
	Delay outcome.Band `json:"delayNs" doc:"Their mean start delay."`
	Share float64      `json:"share" doc:"Part of all the week's waiting that falls into it."`
	Says  string       `json:"says" doc:"The same in words."`
}

// A Forecast is what to expect of a week.
type Forecast struct {
	Scenario string               `json:"scenario" doc:"Name of the scenario."`
	Currency string               `json:"currency" doc:"Currency of the bill."`
	Zone     string               `json:"zone" doc:"Time zone of days and hours."`
	Monday   time.Time            `json:"monday" doc:"When the week begins."`
	Weeks    []PastWeek           `json:"weeks" doc:"Whole weeks before it, the oldest first."`
	Drawn    int                  `json:"drawn" doc:"Of the last so many of them days are drawn from."`
	Repeats  int                  `json:"repeats" doc:"Weeks that were drawn and simulated."`
	Level    WeekLevel            `json:"level" doc:"How many jobs are expected, by the weeks before."`
	Jobs     outcome.Band         `json:"jobs" doc:"Jobs of the week."`
	Bill     outcome.Band         `json:"bill" doc:"What the week costs, in the currency."`
	Delay    []PercentileForecast `json:"delay" doc:"Start delays of the week."`
	Days     []DayForecast        `json:"days" doc:"Its days."`
	Hours    []HourAhead          `json:"hours" doc:"Its hours, from Monday 00:00."`
	Queues   []LongQueue          `json:"queues" doc:"When jobs wait long, in the order in which most waiting falls into them."`
	Says     []string             `json:"says" doc:"The same in sentences."`
	Came     *CameAhead           `json:"came,omitempty" doc:"How far it came true, of the days that are over; absent: none is."`
}

// A reading is what is read of one week.
type reading struct {
	jobs, waited           [weekHours]float64 // jobs, and their waiting, ns
	waiting, agents, nodes [weekHours]float64
	dayDelays              [7][]float64 // sorted, ns
	delays                 []float64
	bill                   float64
}

// percentilesAhead are told of a week.
var percentilesAhead = []float64{50, 90, 95, 99}

func (q *Question) read(t *sim.Trace) reading {
	var r reading
	warm, span := t.World.Plan.Warmup, t.World.Plan.Span
	for i := range t.Records {
		at := t.Jobs.List[i].Submitted - warm
		if at < 0 || at >= units.Week {
			continue
		}
		h := int(at / units.Hour)
		r.jobs[h]++
		rec, from := &t.Records[i], t.From(i)
		var waited float64
		switch {
		case rec.Started >= 0:
			waited = float64(rec.Started - from)
		case rec.Template >= 0: // it waits at least so long
			waited = float64(max(0, max(rec.Ended, span)-from))
		default: // nothing takes it: no wait of a design
			continue
		}
		r.waited[h] += waited
		r.dayDelays[h/24] = append(r.dayDelays[h/24], waited)
		r.delays = append(r.delays, waited)
	}
	for d := range r.dayDelays {
		slices.Sort(r.dayDelays[d])
	}
	slices.Sort(r.delays)
	r.waiting = hourly(t, t.Lines.Waiting)
	for _, l := range t.Lines.Agents {
		add(&r.agents, hourly(t, l))
	}
	for _, l := range t.Lines.Nodes {
		add(&r.nodes, hourly(t, l))
	}
	r.bill = float64(units.AmountOf(outcome.Paid(t)))
	return r
}

func add(to *[weekHours]float64, what [weekHours]float64) {
	for h := range to {
		to[h] += what[h]
	}
}

// hourly are the means of a line over the week's hours.
func hourly(t *sim.Trace, l sim.Line) (out [weekHours]float64) {
	width, warm := t.Lines.Width, t.World.Plan.Warmup
	for b, area := range l.Area {
		from := units.Duration(b) * width
		until := min(from+width, t.World.Plan.Span)
		if until <= from {
			continue
		}
		mean := area.Float() / float64(until-from)
		for at := from; at < until; { // a stretch may lie in several hours
			end := until
			if at < warm {
				end = min(end, warm)
			} else {
				h := (at - warm) / units.Hour
				end = min(end, warm+(h+1)*units.Hour)
				if h < weekHours {
					out[h] += mean * float64(end-at) / float64(units.Hour)
				}
			}
			at = end
		}
	}
	return out
}

// told rounds to what is told: four digits.
func told(x float64) float64 {
	out, _ := strconv.ParseFloat(strconv.FormatFloat(x, 'g', 4, 64), 64) // of what was just written
	return out
}

// of takes a value of each run.
func of(read []reading, value func(r *reading) (v float64, is bool)) outcome.Band {
	var list []float64
	for i := range read {
		if v, is := value(&read[i]); is {
			list = append(list, v)
		}
	}
	return outcome.BandOf(list, told)
}

func sum(list []float64) (s float64) {
	for _, x := range list {
		s += x
	}
	return s
}

// answer says what the runs come to.
func (q *Question) answer(read []reading) *Forecast {
	out := &Forecast{
		Scenario: q.w.Scenario, Currency: q.w.Currency, Zone: q.w.Zone.String(), Monday: q.monday, Weeks: q.weeks, Drawn: len(q.from), Repeats: len(read),
		Level: q.level, Queues: []LongQueue{},
	}
	out.Jobs = of(read, func(r *reading) (float64, bool) { return sum(r.jobs[:]), true })
	out.Bill = of(read, func(r *reading) (float64, bool) { return r.bill, true })
	for _, p := range percentilesAhead {
		out.Delay = append(out.Delay, PercentileForecast{p, of(read, func(r *reading) (float64, bool) {
			if len(r.delays) == 0 {
				return 0, false
			}
			return stats.Percentile(r.delays, p), true
		})})
	}
	for d := range 7 {
		out.Days = append(out.Days, DayForecast{
			Day:  q.monday.AddDate(0, 0, d),
			Jobs: of(read, func(r *reading) (float64, bool) { return sum(r.jobs[24*d : 24*d+24]), true }),
			Delay: of(read, func(r *reading) (float64, bool) {
				if len(r.dayDelays[d]) == 0 {
					return 0, false
				}
				return stats.Percentile(r.dayDelays[d], 90), true
			}),
		})
	}
	for h := range weekHours {
		out.Hours = append(out.Hours, HourAhead{
			Jobs:    of(read, func(r *reading) (float64, bool) { return r.jobs[h], true }),
			Delay:   of(read, func(r *reading) (float64, bool) { return r.waited[h] / max(1, r.jobs[h]), r.jobs[h] > 0 }),
			Waiting: of(read, func(r *reading) (float64, bool) { return r.waiting[h], true }),
			Agents:  of(read, func(r *reading) (float64, bool) { return r.agents[h], true }),
			Nodes:   of(read, func(r *reading) (float64, bool) { return r.nodes[h], true }),
		})
	}
	q.queues(out, read)
	out.Came = q.held(out, read)
	out.words()
	return out
}

// Bounds of queues that are told.
const (
	longWait   = float64(2 * units.Minute) // mean start delay of an hour, in the middle of the runs
	fewJobs    = 3                         // an hour with fewer is no queue
	mostQueues = 6
)

// queues finds the times in which jobs wait long: of each day its stretches of long hours, those of several
// days that are alike as one.
func (q *Question) queues(out *Forecast, read []reading) {
	long := func(h int) bool { return out.Hours[h].Delay.Mid >= longWait && out.Hours[h].Jobs.Mid >= fewJobs }
	all := 0.0
	for i := range read {
		all += sum(read[i].waited[:])
	}
	for day := range 7 {
		for from := 0; from < 24; from++ {
			until := from
			for until < 24 && long(24*day+until) {
				until++
			}
			if until == from {
				continue
			}
			i := slices.IndexFunc(out.Queues, func(x LongQueue) bool { return x.From == from && x.Until == until })
			if i < 0 {
				i = len(out.Queues)
				out.Queues = append(out.Queues, LongQueue{From: from, Until: until})
			}
			out.Queues[i].Days = append(out.Queues[i].Days, day)
			from = until
		}
	}
	for i := range out.Queues {
		x := &out.Queues[i]
		within := func(what *[weekHours]float64) (s float64) {
			for _, d := range x.Days {
				s += sum(what[24*d+x.From : 24*d+x.Until])
			}
			return s
		}
		share := 0.0
		for r := range read {
			share += within(&read[r].waited)
		}
		x.Share = told(share / max(1, all))
		x.Jobs = of(read, func(r *reading) (float64, bool) { return within(&r.jobs) / float64(len(x.Days)), true })
		x.Delay = of(read, func(r *reading) (float64, bool) {
			n := within(&r.jobs)
			return within(&r.waited) / max(1, n), n > 0
		})
		jobs := counted(x.Jobs.Mid) + " jobs"
		if len(x.Days) > 1 {
			jobs += " a day"
		}
		x.Says = fmt.Sprintf("%s %02d:00 to %02d:00: about %s wait %s on average (%s to %s), %.0f %% of the week's waiting.",
			daysInWords(x.Days), x.From, x.Until, jobs, short(x.Delay.Mid), short(x.Delay.Low), short(x.Delay.High), 100*x.Share)
	}
	slices.SortStableFunc(out.Queues, func(a, b LongQueue) int { return cmp.Compare(b.Share, a.Share) })
	out.Queues = out.Queues[:min(len(out.Queues), mostQueues)]
}

// daysInWords names days of the week.
func daysInWords(days []int) string {
	if len(days) == 7 {
		return "every day"
	}
	names := [7]string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}
	var parts []string
	for i := 0; i < len(days); {
		end := i
		for end+1 < len(days) && days[end+1] == days[end]+1 {
			end++
		}
		switch end - i {
		case 0:
			parts = append(parts, names[days[i]])
		case 1:
			parts = append(parts, names[days[i]], names[days[end]])
		default:
			parts = append(parts, names[days[i]]+" to "+names[days[end]])
		}
		i = end + 1
	}
	return strings.Join(parts, ", ")
}

func short(ns float64) string { return units.Duration(math.Round(ns)).Short() }

func counted(x float64) string { return units.Count(int64(x)) }

func (a *Forecast) money(x float64) string { return units.Amount(x).Short(a.Currency) }

// words says it in sentences.
func (a *Forecast) words() {
	a.Says = append(a.Says, fmt.Sprintf("In the week of %s about %s jobs come (%s to %s). %s", a.Monday.Format("2 January"),
		counted(a.Jobs.Mid), counted(a.Jobs.Low), counted(a.Jobs.High), a.Level.Says))
	a.Says = append(a.Says, fmt.Sprintf("The week costs %s (%s to %s).", a.money(a.Bill.Mid), a.money(a.Bill.Low), a.money(a.Bill.High)))
	for _, d := range a.Delay {
		if d.P == 95 {
			a.Says = append(a.Says, fmt.Sprintf("95 %% of jobs start within %s (%s to %s).", short(d.Delay.Mid), short(d.Delay.Low), short(d.Delay.High)))
		}
	}
	if len(a.Queues) == 0 {
		a.Says = append(a.Says, fmt.Sprintf("In no hour do jobs wait %s or longer on average, in most runs.", short(longWait)))
		return
	}
	a.Says = append(a.Says, "Queues are long "+a.Queues[0].Says)
}
