package learn

import (
	"math"
	"slices"
	"time"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/portable"
	"tachyphor/core/units"

	"gonum.org/v1/gonum/stat"
)

// Likeness is how near what a made workload has is to what the log has: the largest
// difference of shares between the two (Smirnov's), and the chance of one at least as large
// between two draws of the same.
type Likeness struct {
	Arrivals       float64 `json:"arrivals" doc:"Difference of shares of when in the week jobs come, 0 to 1."`
	ArrivalsChance float64 `json:"arrivalsChance" doc:"Chance of that much between two draws of one."`
	Work           float64 `json:"work" doc:"Difference of shares of how long jobs work, 0 to 1."`
	WorkChance     float64 `json:"workChance" doc:"Chance of that much between two draws of one."`
	// Unsteady is how many times as much the number of jobs in an hour varies as it would if
	// each came by itself: 1 is what made ones do.
	Unsteady float64 `json:"unsteady" doc:"How many times as much the jobs of an hour vary as if each came by itself; made ones have 1."`
}

// mostCompared bounds the jobs that are compared.
const mostCompared = 200_000

// compare makes a workload by the classes' arrivals and holds it against the log.
func (out *LearnedJobs) compare(t *taking, spec *document.WorkloadSpec, kinds []*kindOfJob, cal *calendar) error {
	made := *spec
	made.Jobs = nil
	span := units.Duration(cal.to.Sub(spec.Start.Time)) + units.Second
	out.Made = make([]float64, weekHours)
	perWeek := 0.0
	for _, n := range demand.PerWeek(&made, nil) {
		perWeek += n
	}
	if perWeek == 0 {
		return nil
	}
	weeks := span.Hours() / weekHours
	if most := float64(int(mostCompared / perWeek)); weeks > max(1, most) { // whole weeks, as many as tell it
		weeks = max(1, most)
		span = units.Duration(weeks * float64(7*units.Day))
	}
	if perWeek*weeks > demand.MaxJobs/2 {
		return nil
	}
	stride := max(1, len(t.rows)/mostCompared)
	jobs, err := demand.Make(&made, 0, span, chance.Root(1, 0))
	if err != nil {
		return err
	}
	zone := spec.Zone
	minute := func(at time.Time) float64 { return float64(zone.MinuteOfWeek(at)) + float64(at.Second())/60 }
	theirs := make([][]float64, len(spec.Classes))
	first := cal.from.Truncate(time.Hour)
	for _, j := range jobs.List {
		at := spec.Start.Add(time.Duration(j.Submitted))
		if at.Before(first) { // the log began in the middle of a day
			continue
		}
		theirs[j.Class] = append(theirs[j.Class], minute(at))
		out.Made[hourOf(at.In(cal.loc))]++
	}
	covered := calendarOf(first.UnixNano(), int64(min(units.Duration(cal.to.UnixNano()), units.Duration(spec.Start.UnixNano())+span)), spec.Zone)
	for h := range out.Made {
		if covered.hours[h] > 0 {
			out.Made[h] = rounded(out.Made[h]/covered.hours[h], 4)
		}
	}
	var all, others []float64
	at := 0
	for _, k := range kinds {
		if t.begun(k) == 0 {
			continue
		}
		var ours, work []float64
		for n, i := range k.rows {
			j := &t.rows[i]
			if j.ending == Never || n%stride != 0 {
				continue
			}
			ours = append(ours, minute(time.Unix(0, j.at)))
			if j.work >= 0 && caches[j.cache] != "none" && len(work) < mostCompared/10 {
				work = append(work, j.work)
			}
		}
		seen, dist := &out.Classes[at], spec.Classes[at].Work.Dist()
		drawn := make([]float64, len(work))
		for i := range drawn {
			drawn[i] = dist.Draw(chance.Root(2, 0).For(chance.Work, chance.Name(k.name), uint64(i))) / 1e9
		}
		seen.Likes = &Likeness{Unsteady: seen.unsteady}
		seen.Likes.Arrivals, seen.Likes.ArrivalsChance = smirnov(sorted(ours), sorted(theirs[at]))
		seen.Likes.Work, seen.Likes.WorkChance = smirnov(sorted(work), sorted(drawn))
		all, others = append(all, ours...), append(others, theirs[at]...)
		at++
	}
	out.Likes = &Likeness{}
	out.Likes.Arrivals, out.Likes.ArrivalsChance = smirnov(sorted(all), sorted(others))
	var moments []moment
	for i := range t.rows {
		if t.rows[i].ending != Never {
			moments = append(moments, t.rows[i].at)
		}
	}
	out.Likes.Unsteady = unsteady(moments, cal)
	return nil
}

func sorted(list []float64) []float64 {
	slices.Sort(list)
	return list
}

// smirnov is the largest difference of shares of two sorted samples, and the chance of one
// as large between two samples of one distribution, by Smirnov's limit.
func smirnov(a, b []float64) (d, p float64) {
	d, p = smirnovOf(a, b)
	return rounded(d, 3), rounded(p, 3)
}

// smirnovOf is smirnov in all its digits.
func smirnovOf(a, b []float64) (d, p float64) {
	if len(a) == 0 || len(b) == 0 {
		return 0, 1
	}
	n, m := float64(len(a)), float64(len(b))
	d = stat.KolmogorovSmirnov(a, nil, b, nil)
	lambda := (math.Sqrt(n*m/(n+m)) + 0.12 + 0.11/math.Sqrt(n*m/(n+m))) * d
	return d, kolmogorov(lambda)
}

// kolmogorov is the chance that Kolmogorov's statistic is above x.
func kolmogorov(x float64) float64 {
	if x < 0.2 {
		return 1
	}
	sum, sign := 0.0, 1.0
	for k := 1; k <= 100; k++ {
		term := portable.Exp(-2 * float64(k*k) * x * x)
		sum += float64(sign * term)
		if term < 1e-12 {
			break
		}
		sign = -sign
	}
	return min(1, max(0, 2*sum))
}

// unsteady is the variance of jobs in an hour around what its hour of the week has on
// average, over that average: by hours that come at least twice.
func unsteady(at []moment, cal *calendar) float64 {
	count := map[int64]float64{}
	for _, m := range at {
		count[m/int64(time.Hour)]++
	}
	type sums struct{ n, sum, squares float64 }
	var hours [weekHours]sums
	for h := cal.from.Truncate(time.Hour); !h.After(cal.to); h = h.Add(time.Hour) {
		s := &hours[hourOf(h.In(cal.loc))]
		n := count[h.UnixNano()/int64(time.Hour)]
		s.n, s.sum, s.squares = s.n+1, s.sum+n, s.squares+float64(n*n)
	}
	above, below := 0.0, 0.0
	for _, s := range hours {
		if s.n < 2 || s.sum == 0 {
			continue
		}
		above += (s.squares - float64(s.sum*s.sum)/s.n) / (s.n - 1)
		below += s.sum / s.n
	}
	if below == 0 {
		return 0
	}
	return rounded(above/below, 3)
}
