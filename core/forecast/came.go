package forecast

import (
	"fmt"
	"math"
	"slices"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/core/stats"
)

// A HeldAhead is a quantity as it was expected, and as it came.
type HeldAhead struct {
	What     string       `json:"what" doc:"What it is of."`
	Unit     string       `json:"unit" enum:"jobs,ns" doc:"What it is counted in."`
	Expected outcome.Band `json:"expected" doc:"As it was expected."`
	Observed float64      `json:"observed" doc:"As it came."`
	Within   bool         `json:"within" doc:"It came within the band, as nine in ten do."`
}

// An HourCame is an hour of the week as it came.
type HourCame struct {
	Hour  int      `json:"hour" doc:"From Monday 00:00."`
	Jobs  int      `json:"jobs" doc:"Jobs that came."`
	Delay *float64 `json:"delayNs,omitempty" doc:"Their mean start delay; absent: of none it is known."`
}

// A CameAhead is how far it came true.
type CameAhead struct {
	Until  time.Time   `json:"until" doc:"Days until then are over."`
	Held   []HeldAhead `json:"held" doc:"Quantities beside each other."`
	Hours  int         `json:"hours" doc:"Hours that are held beside each other: those of which five jobs were expected."`
	Within int         `json:"within" doc:"Of these, those whose mean start delay came within the band; nine in ten should."`
	Model  float64     `json:"modelNs" doc:"Score of the hours' mean start delays: pinball loss over all shares, the mean over hours; less is better."`
	Again  float64     `json:"againNs" doc:"Of the forecast that each hour will be as in the week before."`
	ByHour float64     `json:"byHourNs" doc:"Of the forecast that each hour will be as in one of the weeks before."`
	Scored int         `json:"scored" doc:"Hours for which the other two have a forecast: the scores are of these."`
	ByTime []HourCame  `json:"byTime" doc:"Hours as they came, of days that are over."`
	Says   string      `json:"says" doc:"The same in words."`
}

// leastHour is how few jobs may be expected of an hour for it to be held beside what came.
const leastHour = 5

// meanDelays are the mean delays of a week's hours, ns, below 0 where nothing is known.
func (q *Question) meanDelays(list []seenJob) (out [weekHours]float64) {
	var n [weekHours]float64
	for _, j := range list {
		if h := q.hourOf(j.at); j.waited >= 0 {
			out[h], n[h] = out[h]+j.waited, n[h]+1
		}
	}
	for h := range out {
		if n[h] == 0 {
			out[h] = -1
			continue
		}
		out[h] /= n[h]
	}
	return out
}

// held holds what came beside what was expected, of days that are over.
func (q *Question) held(a *Forecast, read []reading) *CameAhead {
	if q.whole == 0 || len(q.came) == 0 {
		return nil
	}
	out := &CameAhead{Until: q.monday.AddDate(0, 0, q.whole), Held: []HeldAhead{}}
	hold := func(what, unit string, expected outcome.Band, observed float64) {
		out.Held = append(out.Held, HeldAhead{what, unit, expected, observed, observed >= expected.Low && observed <= expected.High})
	}
	byDay, delays := make([]int, 7), []float64{}
	dayDelays := make([][]float64, 7)
	jobs := 0
	for _, j := range q.came {
		day := q.hourOf(j.at) / 24
		if day >= q.whole {
			continue
		}
		jobs++
		byDay[day]++
		if j.waited >= 0 {
			delays, dayDelays[day] = append(delays, j.waited), append(dayDelays[day], j.waited)
		}
	}
	days := q.whole * 24
	hold("jobs", "jobs", of(read, func(r *reading) (float64, bool) { return sum(r.jobs[:days]), true }), float64(jobs))
	slices.Sort(delays)
	for _, p := range percentilesAhead {
		if !stats.Supports(len(delays), p) && p != 50 || len(delays) == 0 {
			continue
		}
		hold(fmt.Sprintf("start delay, %g %%", p), "ns", of(read, func(r *reading) (float64, bool) {
			var list []float64
			for d := range q.whole {
				list = append(list, r.dayDelays[d]...)
			}
			slices.Sort(list)
			if len(list) == 0 {
				return 0, false
			}
			return stats.Percentile(list, p), true
		}), stats.Percentile(delays, p))
	}
	for d := range q.whole {
		hold("jobs on "+a.Days[d].Day.Format("Monday"), "jobs", a.Days[d].Jobs, float64(byDay[d]))
	}
	q.score(out, a, read)
	q.byTime(out)
	within := 0
	for _, h := range out.Held {
		if h.Within {
			within++
		}
	}
	out.Says = fmt.Sprintf("Of what was expected %d of %d came within the bands.", within, len(out.Held))
	if out.Hours > 0 {
		out.Says = fmt.Sprintf("Of what was expected %d of %d came within the bands, and so did %d of %d hours' mean delays.", within, len(out.Held), out.Within, out.Hours)
	}
	if out.Scored > 0 {
		out.Says += fmt.Sprintf(" By hour, mean delays are off by %s (pinball loss); that each hour is as in the week before, by %s; as in any of the weeks before, by %s.",
			short(out.Model), short(out.Again), short(out.ByHour))
	}
	return out
}

// byTime tells the hours as they came.
func (q *Question) byTime(out *CameAhead) {
	is := q.meanDelays(q.came)
	out.ByTime = make([]HourCame, q.whole*24)
	for h := range out.ByTime {
		if out.ByTime[h].Hour = h; is[h] >= 0 {
			out.ByTime[h].Delay = new(told(is[h]))
		}
	}
	for _, j := range q.came {
		if h := q.hourOf(j.at); h < len(out.ByTime) {
			out.ByTime[h].Jobs++
		}
	}
}

// hourOf is the hour of the week of a moment.
func (q *Question) hourOf(t time.Time) int { return q.w.Zone.MinuteOfWeek(t) / 60 }

// score scores the hours' mean delays, beside two forecasts that know nothing of the design.
func (q *Question) score(out *CameAhead, a *Forecast, read []reading) {
	is := q.meanDelays(q.came)
	var past [][weekHours]float64
	for w, list := range q.before {
		if !q.weeks[w].Odd {
			past = append(past, q.meanDelays(list))
		}
	}
	again := q.meanDelays(q.before[len(q.before)-1])
	for h := range q.whole * 24 {
		if is[h] < 0 || a.Hours[h].Jobs.Mid < leastHour {
			continue
		}
		band := a.Hours[h].Delay
		if out.Hours++; is[h] >= band.Low && is[h] <= band.High {
			out.Within++
		}
		var model, byHour []float64
		for i := range read {
			if read[i].jobs[h] > 0 {
				model = append(model, read[i].waited[h]/read[i].jobs[h])
			}
		}
		for _, p := range past {
			if p[h] >= 0 {
				byHour = append(byHour, p[h])
			}
		}
		if len(model) == 0 || len(byHour) == 0 || again[h] < 0 {
			continue
		}
		out.Scored++
		out.Model += stats.Pinball(model, is[h])
		out.Again += stats.Pinball([]float64{again[h]}, is[h])
		out.ByHour += stats.Pinball(byHour, is[h])
	}
	if n := float64(out.Scored); n > 0 {
		out.Model, out.Again, out.ByHour = math.Round(out.Model/n), math.Round(out.Again/n), math.Round(out.ByHour/n)
	}
}
