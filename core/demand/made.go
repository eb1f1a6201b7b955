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
// so that changing one hour's rate moves no other hour's jobs. The span begins as long
// before the workload's start as it takes to warm up, and times count from there; what is
// drawn for a moment is the same however long that is.
func Make(spec *document.WorkloadSpec, warmup, span units.Duration, root chance.Key) (*Jobs, error) {
	jobs := &Jobs{classes: spec.Classes}
	var table wantsTable
	order := byName(spec.Classes)
	for _, class := range order {
		k := &spec.Classes[class]
		if k.Follows != nil {
			continue
		}
		first := len(jobs.List)
		p := profile{
			class: chance.Name(k.Name), hours: k.Arrivals.Hours, zone: k.Arrivals.Zone, start: spec.Start.Time, warmup: warmup,
			span: span, root: root,
		}
		if p.zone == (units.Zone{}) {
			p.zone = spec.Zone
		}
		at := append(p.draw(), p.bursts(k.Arrivals.Bursts)...)
		if len(jobs.List)+len(at) > MaxJobs {
			return nil, errTooMany
		}
		slices.SortFunc(at, func(a, b arrival) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.key, b.key)) })
		if len(at) == 0 {
			continue
		}
		wants := table.number(k.Wants)
		jobs.List, jobs.made = slices.Grow(jobs.List, len(at)), slices.Grow(jobs.made, len(at))
		for i, a := range at {
			jobs.List = append(jobs.List, Job{Submitted: a.at, Key: uint64(a.key), Work: -1, Class: int32(class), Wants: wants, Cores: -1})
			jobs.made = append(jobs.made, int32(i+1))
		}
		branches(jobs.List[first:], k.TrunkShare, root)
	}
	if err := jobs.follow(spec, order, &table); err != nil {
		return nil, err
	}
	jobs.peopled(order, &table, root)
	jobs.Wants = table.sets
	jobs.sort()
	return jobs, nil
}

// byName lists the classes in the order of their names, so that nothing depends on the
// order in which they are written.
func byName(classes []document.JobClass) []int {
	order := make([]int, len(classes))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(classes[a].Name, classes[b].Name) })
	return order
}

// An arrival is a moment at which a job comes, with the key that it was drawn from.
type arrival struct {
	at  units.Duration
	key chance.Key
}

// branches draws which jobs of a class build change requests.
func branches(list []Job, trunk *float64, root chance.Key) {
	if trunk == nil {
		return
	}
	for i := range list {
		list[i].Change = root.For(chance.Branch, list[i].Key, 0).Uniform() >= *trunk
	}
}

// follow makes the jobs of classes that follow others: they are submitted with
// the job they come after and build the same branch.
func (j *Jobs) follow(spec *document.WorkloadSpec, order []int, table *wantsTable) error {
	done := make([]bool, len(spec.Classes))
	for c, k := range spec.Classes {
		done[c] = k.Follows == nil
	}
	for again := true; again; {
		again = false
		for _, c := range order {
			k := &spec.Classes[c]
			if done[c] {
				continue
			}
			lead := slices.IndexFunc(spec.Classes, func(x document.JobClass) bool { return x.Name == k.Follows.Class })
			if lead < 0 || !done[lead] {
				continue
			}
			if err := j.followed(int32(lead), int32(c), k, table); err != nil {
				return err
			}
			done[c], again = true, true
		}
	}
	return nil
}

// followed makes the jobs of class c, which follow those of class lead.
func (j *Jobs) followed(lead, c int32, k *document.JobClass, table *wantsTable) error {
	n := int32(0)
	for i, end := 0, len(j.List); i < end; i++ {
		if j.List[i].Class != lead {
			continue
		}
		for again := range k.Follows.Count {
			n++
			if j.after == nil {
				j.after = map[int32][]int32{}
			}
			j.after[int32(len(j.List))] = []int32{int32(i)}
			key := followKey(chance.Key(j.List[i].Key), k.Name, again)
			j.List = append(j.List, Job{
				Submitted: j.List[i].Submitted, Key: uint64(key), Work: -1, Class: c, Wants: table.number(k.Wants),
				Cores: -1, Change: j.List[i].Change,
			})
			j.made = append(j.made, n)
		}
		if len(j.List) > MaxJobs {
			return errTooMany
		}
	}
	return nil
}

// followKey is what draws know one of the jobs by that follow another.
func followKey(lead chance.Key, class string, again int) chance.Key {
	return lead.For(chance.Follow, chance.Name(class), uint64(again))
}

// sort orders the jobs by submission; ties stay in the order in which they were entered.
// It returns where each job went.
func (j *Jobs) sort() (now []int32) {
	order := make([]int32, len(j.List))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortStableFunc(order, func(a, b int32) int { return cmp.Compare(j.List[a].Submitted, j.List[b].Submitted) })
	j.List, j.made, j.ids = reorder(j.List, order), reorder(j.made, order), reorder(j.ids, order)
	j.Memory, j.Disk, j.turns = reorder(j.Memory, order), reorder(j.Disk, order), reorder(j.turns, order)
	now = make([]int32, len(order))
	for i, o := range order {
		now[o] = int32(i)
	}
	if j.after == nil {
		return now
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
	return now
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
	class  uint64 // its name
	hours  []document.HourRate
	zone   units.Zone
	start  time.Time
	warmup units.Duration // before the start
	span   units.Duration // with it
	root   chance.Key
}

// add enters an arrival, at a moment since the start, if it lies within the span.
func (p *profile) add(list []arrival, at units.Duration, key chance.Key) []arrival {
	if at += p.warmup; at < 0 || at >= p.span {
		return list
	}
	return append(list, arrival{at, key})
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
func (p *profile) draw() []arrival {
	var out []arrival
	if len(p.hours) == 0 {
		return nil
	}
	first := -((p.warmup + slot - 1) / slot)
	for s := first; s*slot < p.span-p.warmup; s++ {
		from := s * slot
		minute := p.zone.MinuteOfWeek(p.start.Add(time.Duration(from)))
		var upTo [int(slot/units.Minute) + 1]float64 // expected jobs before each minute of the slot
		for m := range len(upTo) - 1 {
			upTo[m+1] = upTo[m] + p.rate((minute+m)%units.WeekMinutes)/60
		}
		total := upTo[len(upTo)-1]
		n := chance.Poisson(total, p.root.For(chance.Arrivals, p.class, uint64(s)))
		times := p.root.For(chance.ArrivalTime, p.class, uint64(s))
		for i := range n {
			key := times.For(chance.ArrivalTime, uint64(i), 0)
			u := float64(key.Uniform() * total)
			m := 0
			for m+2 < len(upTo) && upTo[m+1] <= u {
				m++
			}
			out = p.add(out, from+units.Duration((float64(m)+(u-upTo[m])/(upTo[m+1]-upTo[m]))*float64(units.Minute)), key)
		}
		if len(out) > MaxJobs {
			break
		}
	}
	return out
}

// bursts returns the moments of the bursts that begin within the span.
func (p *profile) bursts(list []document.Burst) []arrival {
	var out []arrival
	alike := map[string]uint64{} // bursts of the same moment, the larger first
	list = slices.Clone(list)
	slices.SortStableFunc(list, func(a, b document.Burst) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(b.Over, a.Over))
	})
	for _, burst := range list {
		when := burst.When.String()
		alike[when]++
		times := p.root.For(chance.BurstTime, p.class, chance.Name(when)).For(chance.BurstTime, alike[when], 0)
		local := p.start.In(p.zone.Location())
		for day := -int(p.warmup/units.Day) - 1; ; day++ {
			midnight := time.Date(local.Year(), local.Month(), local.Day()+day, 0, 0, 0, 0, p.zone.Location())
			if midnight.Sub(p.start) > time.Duration(p.span-p.warmup) {
				break
			}
			minute, on := burst.When.On((int(midnight.Weekday()) + 6) % 7)
			at := time.Date(local.Year(), local.Month(), local.Day()+day, 0, minute, 0, 0, p.zone.Location()).Sub(p.start)
			if !on || at < -time.Duration(p.warmup) || at >= time.Duration(p.span-p.warmup) || len(out) > MaxJobs {
				continue
			}
			for i := range burst.Count {
				key := times.For(chance.BurstTime, uint64(day), uint64(i))
				out = p.add(out, units.Duration(at)+units.Duration(key.Uniform()*float64(burst.Over)), key)
			}
		}
	}
	return out
}
