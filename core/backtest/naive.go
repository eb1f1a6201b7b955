package backtest

import (
	"time"

	"tachyphor/core/units"
)

// Two forecasts that know nothing of a design: the same hour again as it was last, and the same
// hour of the week as it was so far. Both are made of what was observed before the day of the
// job that they are for, of its class.

// mostPast is how many observations a forecast keeps of an hour; the oldest go.
const mostPast = 200

// leastPast is from how many on an hour is a forecast.
const leastPast = 5

// weekHours is how many hours a week has.
const weekHours = 168

// past is what was observed of a class before a day.
type past struct {
	day     [weekHours][]float64 // by hour of the week: the last day that had it
	dayAt   [weekHours]int       // and which day that was
	profile [weekHours][]float64 // by hour of the week: all days
	kind    [48][]float64        // by kind of day and hour
	all     []float64
}

func kept(list []float64, x float64) []float64 {
	if list = append(list, x); len(list) > mostPast {
		list = append(list[:0], list[len(list)-mostPast:]...)
	}
	return list
}

// kindOf is an hour of the week as that of a day of its kind: a working day's, or, from 24 on, another's.
func kindOf(week int) int {
	if week < 5*24 {
		return week % 24
	}
	return 24 + week%24
}

func (p *past) add(week, day int, x float64) {
	kind := kindOf(week)
	if p.dayAt[week] != day {
		p.day[week], p.dayAt[week] = p.day[week][:0], day
	}
	p.day[week] = kept(p.day[week], x)
	p.profile[week], p.kind[kind], p.all = kept(p.profile[week], x), kept(p.kind[kind], x), kept(p.all, x)
}

// again is the same hour as it was last, a week before or, where there is none, on the last day
// of its kind; nil where nothing was observed then.
func (p *past) again(week, day int) []float64 {
	if len(p.day[week]) >= leastPast && day-p.dayAt[week] == 7 {
		return p.day[week]
	}
	for back := 1; back < 7; back++ {
		h := (week - 24*back + weekHours) % weekHours
		if kindOf(h) == kindOf(week) && len(p.day[h]) >= leastPast && day-p.dayAt[h] == back {
			return p.day[h]
		}
	}
	return nil
}

// byHour is the same hour of the week as it was so far; where too little was observed then, that
// of all days of its kind, and else all that was.
func (p *past) byHour(week int) []float64 {
	for _, list := range [][]float64{p.profile[week], p.kind[kindOf(week)], p.all} {
		if len(list) >= leastPast {
			return list
		}
	}
	return nil
}

// naive gives, for jobs in order of their submission, the samples of both forecasts to take, for
// those that have both.
func naive(jobs []job, start time.Time, zone units.Zone, take func(j int, again, byHour []float64)) {
	pasts := map[int32]*past{}
	when := func(j *job) (week, day int) {
		t := start.Add(time.Duration(j.at))
		y, m, d := t.In(zone.Location()).Date()
		return zone.MinuteOfWeek(t) / 60, int(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix() / 86400)
	}
	added, today := 0, 0
	for i := range jobs {
		week, day := when(&jobs[i])
		if day != today {
			for today = day; added < i; added++ {
				x := &jobs[added]
				if pasts[x.class] == nil {
					pasts[x.class] = new(past)
				}
				week, day := when(x)
				pasts[x.class].add(week, day, x.waited)
			}
		}
		if p := pasts[jobs[i].class]; p != nil {
			if a, b := p.again(week, day), p.byHour(week); a != nil && b != nil {
				take(i, a, b)
			}
		}
	}
}
