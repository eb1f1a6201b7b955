package demand

import (
	"cmp"
	"slices"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// slot is the grain at which rates are integrated. Every zone's offset is a
// multiple of it.
const slot = 15 * units.Minute

// MaxJobs is the most jobs that a workload may have.
const MaxJobs = 5_000_000

// Make draws the jobs of a made workload for one repeat: for each class a
// Poisson process with the rate of the hour of the week in the class's zone,
// and the bursts. Each quarter of an hour of each class has a draw of its own,
// so that changing one hour's rate moves no other hour's jobs.
func Make(spec *document.WorkloadSpec, span units.Duration, root chance.Key) (*Jobs, error) {
	jobs := &Jobs{classes: spec.Classes}
	var table wantsTable
	for class, k := range spec.Classes {
		wants := table.number(k.Wants)
		p := profile{class: class, hours: k.Arrivals.Hours, zone: k.Arrivals.Zone, start: spec.Start.Time, span: span, root: root}
		if p.zone == (units.Zone{}) {
			p.zone = spec.Zone
		}
		at := p.draw()
		at = append(at, p.bursts(k.Arrivals.Bursts)...)
		if len(jobs.List)+len(at) > MaxJobs {
			return nil, errTooMany
		}
		slices.Sort(at)
		jobs.List, jobs.made = slices.Grow(jobs.List, len(at)), slices.Grow(jobs.made, len(at))
		for i, t := range at {
			jobs.List = append(jobs.List, Job{Submitted: t, Work: -1, Class: int32(class), Wants: wants})
			jobs.made = append(jobs.made, int32(i+1))
		}
	}
	jobs.Wants = table.sets
	jobs.sort()
	return jobs, nil
}

// sort orders the jobs by submission; ties stay in the order of classes.
func (j *Jobs) sort() {
	order := make([]int32, len(j.List))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return cmp.Compare(j.List[a].Submitted, j.List[b].Submitted) })
	list := make([]Job, len(order))
	for i, o := range order {
		list[i] = j.List[o]
	}
	j.List = list
	if j.made != nil {
		made := make([]int32, len(order))
		for i, o := range order {
			made[i] = j.made[o]
		}
		j.made = made
	}
	if j.ids != nil {
		ids := make([]string, len(order))
		for i, o := range order {
			ids[i] = j.ids[o]
		}
		j.ids = ids
	}
}

// profile draws the arrivals of one class.
type profile struct {
	class int
	hours []document.HourRate
	zone  units.Zone
	start time.Time
	span  units.Duration
	root  chance.Key
}

// rate returns the jobs an hour at a local minute of the week.
func (p *profile) rate(minute int) float64 {
	for _, h := range p.hours {
		if h.When.Covers(minute) {
			return h.PerHour
		}
	}
	return 0
}

// draw returns the moments of the Poisson process, slot by slot: the number in
// a slot, then the place of each by inverting the slot's cumulated rate.
func (p *profile) draw() []units.Duration {
	var out []units.Duration
	if len(p.hours) == 0 {
		return nil
	}
	for s := units.Duration(0); s*slot < p.span; s++ {
		from := s * slot
		minute := p.zone.MinuteOfWeek(p.start.Add(time.Duration(from)))
		var upTo [int(slot/units.Minute) + 1]float64 // expected jobs before each minute of the slot
		for m := range len(upTo) - 1 {
			upTo[m+1] = upTo[m] + p.rate((minute+m)%units.WeekMinutes)/60
		}
		total := upTo[len(upTo)-1]
		n := chance.Poisson(total, p.root.For(chance.Arrivals, uint64(p.class), uint64(s)))
		for i := range n {
			u := p.root.For(chance.ArrivalTime, uint64(p.class)<<32|uint64(s), uint64(i)).Uniform() * total
			m := 0
			for m+2 < len(upTo) && upTo[m+1] <= u {
				m++
			}
			t := from + units.Duration((float64(m)+(u-upTo[m])/(upTo[m+1]-upTo[m]))*float64(units.Minute))
			if t < p.span {
				out = append(out, t)
			}
		}
		if len(out) > MaxJobs {
			break
		}
	}
	return out
}

// bursts returns the moments of the bursts that begin within the span.
func (p *profile) bursts(list []document.Burst) []units.Duration {
	var out []units.Duration
	for b, burst := range list {
		local := p.start.In(p.zone.Location())
		for day := 0; ; day++ {
			midnight := time.Date(local.Year(), local.Month(), local.Day()+day, 0, 0, 0, 0, p.zone.Location())
			if midnight.Sub(p.start) > time.Duration(p.span) {
				break
			}
			minute, on := burst.When.On((int(midnight.Weekday()) + 6) % 7)
			at := time.Date(local.Year(), local.Month(), local.Day()+day, 0, minute, 0, 0, p.zone.Location()).Sub(p.start)
			if !on || at < 0 || at >= time.Duration(p.span) || len(out) > MaxJobs {
				continue
			}
			for i := range burst.Count {
				u := p.root.For(chance.BurstTime, uint64(p.class)<<32|uint64(b), uint64(day)<<32|uint64(i)).Uniform()
				if t := units.Duration(at) + units.Duration(u*float64(burst.Over)); t < p.span {
					out = append(out, t)
				}
			}
		}
	}
	return out
}
