package sizing

import (
	"cmp"
	"slices"
	"strings"
)

// A Sighting is what tells one run from another: whose it was, when it was seen and how
// well.
type Sighting struct {
	Pod, Container string
	Job            string  // empty where it is not known
	From, To       float64 // of its samples, seconds
	Samples        int
}

// Sighting returns the run's.
func (r *Run) Sighting() Sighting {
	return Sighting{r.Pod, r.Container, r.Job, r.Began, r.Ended(), r.Samples}
}

// Same reports whether two sightings are of one run: of one container, at times that
// overlap.
func (s Sighting) Same(o Sighting) bool {
	return s.Pod == o.Pod && s.Container == o.Container && s.From <= o.To && o.From <= s.To
}

// Better reports whether s tells more of the same run than o: its job, then more of its
// time, then more samples of that.
func (s Sighting) Better(o Sighting) bool {
	if (s.Job != "") != (o.Job != "") {
		return s.Job != ""
	}
	if a, b := s.To-s.From, o.To-o.From; a != b {
		return a > b
	}
	return s.Samples > o.Samples
}

// Together returns runs from several sources, each once: of those that are the same the
// one that tells most, the first of equals. The order is that of the first sources.
func Together(sources ...[]Run) []Run {
	var all []Run
	for _, runs := range sources {
		all = append(all, runs...)
	}
	order := make([]int, len(all)) // by container, the better first
	for i := range order {
		order[i] = i
	}
	at := make([]Sighting, len(all))
	for i := range all {
		at[i] = all[i].Sighting()
	}
	slices.SortFunc(order, func(a, b int) int {
		x, y := at[a], at[b]
		c := cmp.Or(strings.Compare(x.Pod, y.Pod), strings.Compare(x.Container, y.Container))
		switch {
		case c != 0:
			return c
		case x.Better(y):
			return -1
		case y.Better(x):
			return 1
		}
		return cmp.Compare(a, b)
	})
	keep := make([]bool, len(all))
	for i, n := range order {
		keep[n] = true
		for j := i - 1; j >= 0 && at[order[j]].Pod == at[n].Pod && at[order[j]].Container == at[n].Container; j-- {
			if keep[order[j]] && at[n].Same(at[order[j]]) {
				keep[n] = false
				break
			}
		}
	}
	out := make([]Run, 0, len(all))
	for i := range all {
		if keep[i] {
			out = append(out, all[i])
		}
	}
	return out
}

// Merge holds runs that are told against those that are known. skip says which of the told
// are known as well; gone which of the known are told better now.
func Merge(told, known []Sighting) (skip, gone []bool) {
	skip, gone = make([]bool, len(told)), make([]bool, len(known))
	byPod := map[string][]int{}
	for i := range told {
		byPod[told[i].Pod] = append(byPod[told[i].Pod], i)
	}
	for j := range known {
		for _, i := range byPod[known[j].Pod] {
			switch {
			case !told[i].Same(known[j]):
			case told[i].Better(known[j]):
				gone[j] = true
			default:
				skip[i] = true
			}
		}
	}
	return skip, gone
}
