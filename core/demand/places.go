package demand

import (
	"cmp"
	"slices"

	"tachyphor/core/portable"
	"tachyphor/core/units"
)

const (
	// near is how many others of its class, those nearest by the time of day, a job may
	// come among instead, and farthest how far from its own time.
	near     = 20
	farthest = units.Hour
	// leastRegular is how many jobs an hour must have for it to be seen to be regular.
	leastRegular = 3
)

// A place is where in the week a job comes that comes after none.
type place struct {
	job      int32
	day      int            // of the span
	at       units.Duration // of the day
	from, to units.Duration // of the day: among its like
	stays    bool           // on its day
	once     bool           // there, and on its day
}

// places says where the jobs of the span that lead may come: among those of its class on days that are
// like each other.
func places(jobs []Job, lead []int32, warmup, span units.Duration, like func(day int) int) (out []place) {
	type kind struct {
		class int32
		day   int
	}
	kinds := map[kind][]place{}
	var order []kind
	for i, job := range jobs {
		since := job.Submitted - warmup
		if lead[i] != int32(i) || since < 0 || since >= span {
			continue
		}
		day := int(since / units.Day)
		k := kind{job.Class, like(day)}
		if kinds[k] == nil {
			order = append(order, k)
		}
		kinds[k] = append(kinds[k], place{job: int32(i), day: day, at: since % units.Day})
	}
	for _, k := range order {
		out = append(out, among(kinds[k])...)
	}
	return out
}

// among gives jobs of a class, on days of one kind, their places: each among those that are
// nearest by the time of day.
func among(list []place) []place {
	slices.SortStableFunc(list, func(a, b place) int { return cmp.Compare(a.at, b.at) })
	regular := timetable(list)
	for i := range list {
		p := &list[i]
		low, high := nearest(list, i)
		far := min(max(p.at-list[low].at, list[high].at-p.at), farthest)
		p.from, p.to = max(p.at-far, 0), min(p.at+far, units.Day-1)
		own := 0
		for _, x := range list[low : high+1] {
			if x.day == p.day {
				own++
			}
		}
		p.stays, p.once = 2*own > high-low+1, regular[p.at/units.Hour]
	}
	return list
}

// nearest are the ends of the places that are nearest to one.
func nearest(list []place, i int) (low, high int) {
	low, high = i, i
	for range near {
		switch below, above := low > 0, high < len(list)-1; {
		case below && (!above || list[i].at-list[low-1].at <= list[high+1].at-list[i].at):
			low--
		case above:
			high++
		}
	}
	return low, high
}

// timetable says in which hours of the day there are so nearly as many jobs on every day
// that chance has it so once in a hundred times at most: by the index of dispersion of a
// Poisson process, which has the chi-squared distribution.
//
// Source: Fisher, Statistical methods for research workers (1925).
func timetable(list []place) (regular [24]bool) {
	counts := map[int]*[24]float64{}
	for _, p := range list {
		if counts[p.day] == nil {
			counts[p.day] = new([24]float64)
		}
		counts[p.day][p.at/units.Hour]++
	}
	if len(counts) < 2 {
		return regular
	}
	least := 2 * portable.GammaQuantile(float64(len(counts)-1)/2, 0.01)
	for hour := range regular {
		sum, sq := 0.0, 0.0
		for _, c := range counts {
			sum, sq = sum+c[hour], sq+float64(c[hour]*c[hour])
		}
		mean := sum / float64(len(counts))
		regular[hour] = mean >= leastRegular && sq/mean-sum < least
	}
	return regular
}
