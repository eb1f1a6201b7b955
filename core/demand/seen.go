package demand

import (
	"cmp"
	"slices"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/core/units"
)

// weekHours are the hours of a week, Monday 00:00 first.
const weekHours = units.WeekMinutes / 60

// A Seen workload is what people look at of it before they simulate it.
type Seen struct {
	Recorded bool        `json:"recorded" doc:"Its jobs are recorded; otherwise they are made by its classes."`
	Jobs     int         `json:"jobs" doc:"Recorded jobs; 0 of made ones."`
	From     time.Time   `json:"from,omitzero" doc:"When the first recorded job came."`
	To       time.Time   `json:"to,omitzero" doc:"When the last did."`
	Hours    []float64   `json:"hours" doc:"Jobs an hour on average, by hour of the week from Monday 00:00 in its zone."`
	Zone     string      `json:"zone" doc:"Its zone."`
	Classes  []SeenClass `json:"classes" doc:"Classes, those with most jobs first."`
}

// A SeenClass is a class of it.
type SeenClass struct {
	Name    string   `json:"name" doc:"Name of the class."`
	PerWeek float64  `json:"perWeek" doc:"Jobs a week on average."`
	Wants   []string `json:"wants" doc:"Words that a template must offer."`
	Median  float64  `json:"medianNs" doc:"Half of its jobs work longer."`
	P95     float64  `json:"p95Ns" doc:"One in twenty works longer."`
	Memory  float64  `json:"memoryP95,omitempty" doc:"One in twenty has a higher peak of memory, bytes; absent: not known."`
	Bursts  []string `json:"bursts,omitempty" doc:"When many come together."`
	Follows string   `json:"follows,omitempty" doc:"The class that its jobs come after."`
	Chained float64  `json:"chained" doc:"Share of its recorded jobs that come after another, 0 to 1."`

	Ended document.Ended `json:"ended,omitzero" doc:"How those ended that it was learned from, where not all went well."`
}

// See looks at a workload; r is its recording, nil where jobs are made. Rows that cannot be
// bound are returned.
func See(spec *document.WorkloadSpec, r *Recording) (*Seen, []table.BadRow) {
	s := &Seen{Hours: make([]float64, weekHours), Zone: spec.Zone.String(), Recorded: r != nil}
	perWeek := PerWeek(spec, r)
	var jobs *Jobs
	if r != nil {
		var bad []table.BadRow
		if jobs, bad = r.Bind(spec); bad != nil {
			return nil, bad
		}
		s.recorded(spec, jobs)
	} else {
		s.made(spec)
	}
	of := make([]recordedClass, len(spec.Classes))
	if jobs != nil {
		for i := range jobs.List {
			of[jobs.List[i].Class].add(jobs, i)
		}
	}
	for c, k := range spec.Classes {
		x := SeenClass{Name: k.Name, PerWeek: perWeek[k.Name], Wants: k.Wants, Ended: k.Ended}
		if k.Follows != nil {
			x.Follows = k.Follows.Class
		}
		for _, b := range k.Arrivals.Bursts {
			x.Bursts = append(x.Bursts, b.When.String())
		}
		there := &of[c]
		x.Median, x.P95 = ranks(there.work)
		if len(there.work) == 0 && !k.Work.IsZero() {
			x.Median, x.P95 = k.Work.Dist().Quantile(0.5), k.Work.Dist().Quantile(0.95)
		}
		if _, x.Memory = ranks(there.memory); len(there.memory) == 0 && !k.Memory.IsZero() {
			x.Memory = k.Memory.Dist().Quantile(0.95)
		}
		if there.jobs > 0 {
			x.Chained = float64(there.chained) / float64(there.jobs)
		}
		s.Classes = append(s.Classes, x)
	}
	slices.SortStableFunc(s.Classes, func(a, b SeenClass) int { return cmp.Compare(b.PerWeek, a.PerWeek) })
	return s, nil
}

// A recordedClass is what recorded jobs of a class say.
type recordedClass struct {
	jobs, chained int
	work, memory  []float64 // ns, bytes; of those that say it
}

// add counts a job.
func (k *recordedClass) add(jobs *Jobs, i int) {
	k.jobs++
	if j := &jobs.List[i]; j.Work >= 0 {
		k.work = append(k.work, float64(j.Work))
	}
	if jobs.Memory != nil && jobs.Memory[i] >= 0 {
		k.memory = append(k.memory, float64(jobs.Memory[i]))
	}
	if len(jobs.After(i)) > 0 {
		k.chained++
	}
}

// ranks are the median and the 95th percentile of some values; 0 of none.
func ranks(list []float64) (median, p95 float64) {
	if len(list) == 0 {
		return 0, 0
	}
	slices.Sort(list)
	return list[len(list)/2], list[min(len(list)-1, len(list)*95/100)]
}

// Covered is how often each hour of a zone's week, from Monday 00:00, is in a time: by
// quarters of hours, the first and the last whole.
func Covered(from, to time.Time, zone units.Zone) (hours [units.WeekMinutes / 60]float64) {
	for t := from.Truncate(15 * time.Minute); !t.After(to); t = t.Add(15 * time.Minute) {
		hours[zone.MinuteOfWeek(t)/60] += 0.25
	}
	return hours
}

// recorded counts recorded jobs by the hour of the week that they came in.
func (s *Seen) recorded(spec *document.WorkloadSpec, jobs *Jobs) {
	if s.Jobs = len(jobs.List); s.Jobs == 0 {
		return
	}
	at := func(d units.Duration) time.Time { return spec.Start.Add(time.Duration(d)) }
	hour := func(t time.Time) int { return spec.Zone.MinuteOfWeek(t) / 60 }
	s.From, s.To = at(jobs.List[0].Submitted).UTC(), at(jobs.List[len(jobs.List)-1].Submitted).UTC()
	covered := Covered(s.From, s.To, spec.Zone)
	for i := range jobs.List {
		s.Hours[hour(at(jobs.List[i].Submitted))]++
	}
	for h := range s.Hours {
		if covered[h] > 0 {
			s.Hours[h] /= covered[h]
		}
	}
}

// made adds up what classes make in each hour of the week; people are left out, who come as
// a run goes on, and so are jobs that follow others.
func (s *Seen) made(spec *document.WorkloadSpec) {
	for _, k := range spec.Classes {
		// Hours of a class's own zone are those of the week where its offset is the same.
		for h := range weekHours {
			for minute := range 60 {
				for _, x := range k.Arrivals.Hours {
					if x.When.Covers(60*h + minute) {
						s.Hours[h] += x.PerHour / 60
						break
					}
				}
			}
		}
		for _, b := range k.Arrivals.Bursts {
			for day := range 7 {
				if minute, on := b.When.On(day); on {
					s.Hours[24*day+minute/60] += float64(b.Count)
				}
			}
		}
	}
}
