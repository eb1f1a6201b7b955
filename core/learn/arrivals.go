package learn

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"
)

// hours of a week, Monday 00:00 first.
const weekHours = units.WeekMinutes / 60

// A calendar is the part of time that a log covers, in its zone.
type calendar struct {
	loc      *time.Location
	from, to time.Time
	hours    [weekHours]float64 // how often each hour of the week is in it
	days     [7]int             // how often each day of the week is, in part at least
}

// calendarOf is the part of time from the first job to the last.
func calendarOf(first, last moment, zone units.Zone) *calendar {
	loc := zone.Location()
	c := &calendar{loc: loc, from: time.Unix(0, first).In(loc), to: time.Unix(0, last).In(loc)}
	c.hours = demand.Covered(c.from, c.to, zone)
	for day := midnight(c.from); !day.After(c.to); day = day.AddDate(0, 0, 1) {
		c.days[weekday(day)]++
	}
	return c
}

func weekday(t time.Time) int { return (int(t.Weekday()) + 6) % 7 }

func hourOf(t time.Time) int { return weekday(t)*24 + t.Hour() }

func midnight(t time.Time) time.Time {
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
}

// weeks is how many weeks it covers.
func (c *calendar) weeks() float64 { return c.to.Sub(c.from).Hours() / weekHours }

// slots of five minutes in a day, in which bursts are looked for.
const (
	slotMinutes = 5
	daySlots    = 24 * 60 / slotMinutes
)

// A profile is when jobs of a class came.
type profile struct {
	cal    *calendar
	came   [weekHours]float64 // jobs by hour of the week
	hours  [weekHours]float64 // of these, without bursts
	bursts []document.Burst
	burst  int // jobs that came in bursts
	jobs   int
}

// profileOf tells bursts apart from the weekly profile of moments in order.
func profileOf(cal *calendar, at []moment) *profile {
	p := &profile{cal: cal, jobs: len(at)}
	days := map[int][]int32{} // by day: arrivals by slot
	first := midnight(cal.from)
	moments := map[int][]moment{}
	for _, m := range at {
		t := time.Unix(0, m).In(cal.loc)
		p.came[hourOf(t)]++
		day := dayOf(first, t)
		if days[day] == nil {
			days[day] = make([]int32, daySlots)
		}
		days[day][(t.Hour()*60+t.Minute())/slotMinutes]++
		moments[day] = append(moments[day], m)
	}
	p.hours = p.came
	for _, g := range burstsOf(days) {
		p.take(g, first, moments)
	}
	return p
}

// dayOf counts days, whatever clocks did between.
func dayOf(first, t time.Time) int {
	return int((midnight(t).Sub(first) + 12*time.Hour) / (24 * time.Hour))
}

// A gathering is the bursts of several days at one time of the day.
type gathering struct {
	slot int
	days []int
}

// leastBurst is how many jobs a burst has at least.
const leastBurst = 5

// burstsOf finds the slots of the day in which far more jobs come than around them, on
// several days.
func burstsOf(days map[int][]int32) []gathering {
	at := map[int][]int{} // by slot: days
	for day, slots := range days {
		before := make([]int32, daySlots+1) // jobs before each slot
		for s, n := range slots {
			before[s+1] = before[s] + n
		}
		for s, n := range slots {
			if n < leastBurst {
				continue
			}
			lo, hi := max(0, s-24), min(daySlots, s+25)
			near := before[min(daySlots, s+2)] - before[max(0, s-1)]
			around := float64(before[hi]-before[lo]-near) / float64(hi-lo-3)
			peak := n >= slots[max(0, s-1)] && n > slots[min(daySlots-1, s+1)] || s == daySlots-1 && n >= slots[s-1]
			if peak && float64(n) >= float64(6*around)+leastBurst {
				at[s] = append(at[s], day)
			}
		}
	}
	var out []gathering
	for len(at) > 0 {
		best := -1
		for s, list := range at {
			if best < 0 || len(list) > len(at[best]) || len(list) == len(at[best]) && s < best {
				best = s
			}
		}
		g := gathering{slot: best}
		for s := best - 1; s <= best+1; s++ { // a few minutes early or late are the same
			g.days = append(g.days, at[s]...)
			delete(at, s)
		}
		slices.Sort(g.days)
		g.days = slices.Compact(g.days)
		if len(g.days) >= 2 {
			out = append(out, g)
		}
	}
	slices.SortFunc(out, func(a, b gathering) int { return cmp.Compare(a.slot, b.slot) })
	return out
}

// take makes a burst of a gathering that comes again on most of some days of the week, and
// takes its jobs out of the profile.
func (p *profile) take(g gathering, first time.Time, moments map[int][]moment) {
	var on [7]int
	for _, d := range g.days {
		on[weekday(first.AddDate(0, 0, d))]++
	}
	var names []string
	var days [7]bool
	if len(g.days) < 3 && slices.Max(on[:]) < 2 {
		return // two days at one time may be chance
	}
	for w, n := range on {
		if n > 0 && 5*n >= 3*p.cal.days[w] {
			names, days[w] = append(names, []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}[w]), true
		}
	}
	if len(names) == 0 {
		return
	}
	var counts, lasts, begins []int
	for _, d := range g.days {
		day := first.AddDate(0, 0, d)
		if !days[weekday(day)] {
			continue
		}
		from := day.Add(time.Duration((g.slot-1)*slotMinutes) * time.Minute).UnixNano()
		to := day.Add(time.Duration((g.slot+2)*slotMinutes) * time.Minute).UnixNano()
		list := moments[d]
		i, _ := slices.BinarySearch(list, from)
		j, _ := slices.BinarySearch(list, to)
		begin, n := densest(list[i:j])
		if n < leastBurst {
			continue
		}
		in := list[i+begin : i+begin+n]
		counts = append(counts, n)
		lasts = append(lasts, int((in[n-1]-in[0])/int64(time.Second)))
		begins = append(begins, int((in[0]-day.UnixNano())/int64(time.Minute)))
		for _, m := range in {
			p.hours[hourOf(time.Unix(0, m).In(p.cal.loc))]--
			p.burst++
		}
		moments[d] = slices.Delete(list, i+begin, i+begin+n)
	}
	if len(counts) < 2 {
		return
	}
	slices.Sort(counts)
	slices.Sort(lasts)
	slices.Sort(begins)
	minute := begins[len(begins)/2]
	when, err := units.ParseMoment(fmt.Sprintf("%s %02d:%02d", strings.Join(names, ","), minute/60, minute%60))
	if err != nil {
		return
	}
	b := document.Burst{When: when, Count: counts[len(counts)/2]}
	if over := lasts[len(lasts)/2]; over >= 2 {
		b.Over = units.Duration(over+1) * units.Second
	}
	p.bursts = append(p.bursts, b)
}

// densest finds the jobs that came together: the longest run in which no two are further
// apart than a minute.
func densest(list []moment) (begin, n int) {
	for i := 0; i < len(list); {
		j := i + 1
		for j < len(list) && list[j]-list[j-1] <= int64(time.Minute) {
			j++
		}
		if j-i > n {
			begin, n = i, j-i
		}
		i = j
	}
	return begin, n
}

// A stretch is some hours of some days alike.
type stretch struct {
	from, to   int // hours of the day
	jobs, over float64
}

func (s *stretch) rate() float64 {
	if s.over == 0 {
		return 0
	}
	return s.jobs / s.over
}

// deviance is twice by how much the log-likelihood of two counts falls when they have one
// rate.
func deviance(a, b stretch) float64 {
	both := stretch{jobs: a.jobs + b.jobs, over: a.over + b.over}
	part := func(s stretch) float64 {
		if s.jobs == 0 || s.over == 0 || both.rate() == 0 {
			return 0
		}
		return s.jobs * portable.Log(s.rate()/both.rate())
	}
	return 2 * (part(a) + part(b))
}

// apart is the deviance from which on two neighbouring hours are told apart: one in a
// hundred pairs with one rate is.
const apart = 6.6

// rates writes the profile as hours of the week with their rates: days that are alike
// together, and hours that are.
func (p *profile) rates() (out []document.HourRate) {
	for _, days := range p.alikeDays() {
		var hours []stretch
		for h := range 24 {
			s := stretch{from: h, to: h + 1}
			for _, d := range days {
				s.jobs, s.over = s.jobs+p.hours[d*24+h], s.over+p.cal.hours[d*24+h]
			}
			hours = append(hours, s)
		}
		for len(hours) > 1 {
			best, least := -1, apart
			for i := range len(hours) - 1 {
				if d := deviance(hours[i], hours[i+1]); d < least {
					best, least = i, d
				}
			}
			if best < 0 {
				break
			}
			a, b := hours[best], hours[best+1]
			hours[best] = stretch{a.from, b.to, a.jobs + b.jobs, a.over + b.over}
			hours = slices.Delete(hours, best+1, best+2)
		}
		var names []string
		for _, d := range days {
			names = append(names, []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}[d])
		}
		for _, s := range hours {
			if s.jobs <= 0 || s.over == 0 {
				continue
			}
			period, err := units.ParsePeriod(fmt.Sprintf("%s %02d:00-%02d:00", strings.Join(names, ","), s.from, s.to))
			if err == nil {
				out = append(out, document.HourRate{When: period, PerHour: rounded(s.rate(), 3)})
			}
		}
	}
	return out
}

// alikeDays parts the days of the week into those whose hours are alike: the working days
// and the two others, if they are; else each by itself.
func (p *profile) alikeDays() [][]int {
	same := func(days []int) bool {
		sum, degrees := 0.0, 0.0
		for h := range 24 {
			var all stretch
			for _, d := range days {
				all.jobs, all.over = all.jobs+p.hours[d*24+h], all.over+p.cal.hours[d*24+h]
			}
			for _, d := range days {
				s := stretch{jobs: p.hours[d*24+h], over: p.cal.hours[d*24+h]}
				if want := float64(all.rate() * s.over); want > 0 {
					sum += float64((s.jobs-want)*(s.jobs-want)) / want
					degrees++
				}
			}
			if all.jobs > 0 {
				degrees--
			}
		}
		return sum <= degrees+float64(4*math.Sqrt(2*degrees)) // days differ a little more than chance has them
	}
	var out [][]int
	for _, days := range [][]int{{0, 1, 2, 3, 4}, {5, 6}} {
		var seen []int
		for _, d := range days {
			if p.cal.days[d] > 0 {
				seen = append(seen, d)
			}
		}
		switch {
		case len(seen) == 0:
		case same(seen):
			out = append(out, days) // days that the log does not have are as those it has
		default:
			for _, d := range seen {
				out = append(out, []int{d})
			}
		}
	}
	return out
}
