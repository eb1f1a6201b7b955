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
const MaxJobs = 10_000_000

// Make draws the jobs of a made workload for one repeat: for each class a
// Poisson process with the rate of the hour of the week in the class's zone,
// and the bursts. Each quarter of an hour of each class has a draw of its own,
// so that changing one hour's rate moves no other hour's jobs.
func Make(spec *document.WorkloadSpec, span units.Duration, root chance.Key) (*Jobs, error) {
	jobs := &Jobs{classes: spec.Classes}
	var table wantsTable
	for class, k := range spec.Classes {
		wants := table.number(k.Wants)
		if k.Follows != nil {
			continue
		}
		first := len(jobs.List)
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
			jobs.List = append(jobs.List, Job{Submitted: t, Work: -1, Class: int32(class), Wants: wants, Cores: -1})
			jobs.made = append(jobs.made, int32(i+1))
		}
		branches(jobs.List[first:], k.TrunkShare, root, uint64(class))
	}
	if err := jobs.follow(spec, &table); err != nil {
		return nil, err
	}
	jobs.Wants = table.sets
	jobs.sort()
	return jobs, nil
}

// branches draws which jobs of a class build change requests.
func branches(list []Job, trunk *float64, root chance.Key, class uint64) {
	if trunk == nil {
		return
	}
	for i := range list {
		list[i].Change = root.For(chance.Branch, class, uint64(i)).Uniform() >= *trunk
	}
}

// follow makes the jobs of classes that follow others: they are submitted with
// the job they come after and build the same branch.
func (j *Jobs) follow(spec *document.WorkloadSpec, table *wantsTable) error {
	done := make([]bool, len(spec.Classes))
	for c, k := range spec.Classes {
		done[c] = k.Follows == nil
	}
	for again := true; again; {
		again = false
		for c, k := range spec.Classes {
			if done[c] {
				continue
			}
			lead := slices.IndexFunc(spec.Classes, func(x document.JobClass) bool { return x.Name == k.Follows.Class })
			if lead < 0 || !done[lead] {
				continue
			}
			wants, n := table.number(k.Wants), int32(0)
			for i, end := 0, len(j.List); i < end; i++ {
				if int(j.List[i].Class) != lead {
					continue
				}
				for range k.Follows.Count {
					n++
					if j.after == nil {
						j.after = map[int32][]int32{}
					}
					j.after[int32(len(j.List))] = []int32{int32(i)}
					j.List = append(j.List, Job{Submitted: j.List[i].Submitted, Work: -1, Class: int32(c), Wants: wants, Cores: -1, Change: j.List[i].Change})
					j.made = append(j.made, n)
				}
				if len(j.List) > MaxJobs {
					return errTooMany
				}
			}
			done[c], again = true, true
		}
	}
	return nil
}

// sort orders the jobs by submission; ties stay in the order of classes.
func (j *Jobs) sort() {
	order := make([]int32, len(j.List))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return cmp.Compare(j.List[a].Submitted, j.List[b].Submitted) })
	j.List, j.made, j.ids = reorder(j.List, order), reorder(j.made, order), reorder(j.ids, order)
	j.Memory, j.Disk = reorder(j.Memory, order), reorder(j.Disk, order)
	if j.after == nil {
		return
	}
	now := make([]int32, len(order)) // where each job went
	for i, o := range order {
		now[o] = int32(i)
	}
	after := make(map[int32][]int32, len(j.after))
	for i, list := range j.after {
		moved := make([]int32, len(list))
		for k, x := range list {
			moved[k] = now[x]
		}
		slices.Sort(moved)
		after[now[i]] = moved
	}
	j.after = after
}

// reorder returns list in a new order; nil stays nil.
func reorder[T any](list []T, order []int32) []T {
	if list == nil {
		return nil
	}
	out := make([]T, len(order))
	for i, o := range order {
		out[i] = list[o]
	}
	return out
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
