package sizing

import (
	"cmp"
	"math"
	"slices"

	"tachyphor/core/demand"
)

// Matched counts what matching samples with a job log came to.
type Matched struct {
	Jobs    int `json:"jobs" doc:"Runs whose job was found in the job log."`
	Alone   int `json:"alone" doc:"Pods that the job log does not name; each is one run of an unknown class."`
	Between int `json:"between" doc:"Samples of pods of several jobs that lie between jobs; they were left out."`
}

// Match cuts the log's series by the jobs that ran in their pods: a pod of one job
// is that job's run; where the job log says when jobs began and ended, a pod of
// several is cut into one run for each. A counter's last sample before a job is the
// count it began with.
func (l *Log) Match(jobs []demand.Ran) Matched {
	byPod := map[string][]demand.Ran{}
	for _, j := range jobs {
		byPod[j.Pod] = append(byPod[j.Pod], j)
	}
	for _, list := range byPod {
		slices.SortStableFunc(list, func(a, b demand.Ran) int { return cmp.Compare(a.From, b.From) })
	}
	var out []Series
	var m Matched
	for _, s := range l.Series {
		list := byPod[s.Pod]
		switch {
		case len(list) == 0:
			m.Alone++
			out = append(out, s)
		case len(list) == 1 && math.IsNaN(list[0].From):
			s.Job, s.Class = list[0].ID, list[0].Class
			m.Jobs++
			out = append(out, s)
		default:
			cut, between := s.cut(list)
			m.Jobs, m.Between = m.Jobs+len(cut), m.Between+between
			out = append(out, cut...)
		}
	}
	l.Series = out
	return m
}

// cut makes one series of each job's samples.
func (s *Series) cut(jobs []demand.Ran) (out []Series, between int) {
	used := 0
	for i, j := range jobs {
		if math.IsNaN(j.From) || math.IsNaN(j.To) {
			continue
		}
		part := *s
		part.Job, part.Class, part.Samples = j.ID, j.Class, nil
		part.Killed, part.Evicted = s.Killed && i == len(jobs)-1, s.Evicted && i == len(jobs)-1
		if len(out) > 0 {
			part.Restarts = 0 // counted once
		}
		for at, x := range s.Samples {
			if x.At < j.From || x.At > j.To {
				continue
			}
			if at > 0 && len(part.Samples) == 0 && !s.Rate && x.At > j.From {
				part.Samples = append(part.Samples, s.Samples[at-1].counters(x, j.From)...)
			}
			part.Samples = append(part.Samples, x)
			used++
		}
		if len(part.Samples) > 0 {
			out = append(out, part)
		}
	}
	return out, len(s.Samples) - used
}

// counters are what counters stood at between two samples, their growth taken as
// even; nothing where that cannot be told.
func (x Sample) counters(next Sample, at float64) []Sample {
	if !(x.At < at) || !(next.At > at) || math.IsNaN(x.CPU) && math.IsNaN(x.Throttled) {
		return nil
	}
	share := (at - x.At) / (next.At - x.At)
	count := func(before, now float64) float64 {
		if now < before {
			return 0 // it began anew
		}
		return before + float64(share*(now-before))
	}
	return []Sample{{At: at, CPU: count(x.CPU, next.CPU), Memory: math.NaN(), Throttled: count(x.Throttled, next.Throttled), Disk: math.NaN()}}
}
