package explore

import (
	"slices"

	"tachyphor/core/aim"
	"tachyphor/core/paired"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// What agents can carry at most, whatever the design does with them: a bound on the share of jobs
// that are in time.

// windows are the lengths of time within which it is asked what agents can carry; the whole span is
// one more.
var windows = [...]units.Duration{units.Hour, 6 * units.Hour, units.Day}

// A load is what jobs keep busy at the least, in one repeat, for one aim.
type load struct {
	jobs      int // that the aim may count
	templates []teamLoad
	together  teamLoad // of all templates
}

// A teamLoad has the jobs of a template, or of all, by length of the windows in which they come.
type teamLoad struct {
	lengths []units.Duration
	windows [][][]float64 // by length, window: what the shortest k jobs keep busy together, for k from 1 on, ns
}

// late is how many of the jobs cannot start within a time of their coming, however they are
// ordered, where at most so many agents are there at once: those that do start in a window or within
// that time behind it. All but the last of each agent are over by then.
func (t *teamLoad) late(agents int, within units.Duration) int {
	most := 0
	for i, list := range t.windows {
		room := float64(agents) * float64(t.lengths[i]+within)
		late := 0
		for _, sums := range list {
			n, _ := slices.BinarySearchFunc(sums, room, func(x, r float64) int {
				if x <= r {
					return -1
				}
				return 1
			})
			late += max(0, len(sums)-n-agents)
		}
		most = max(most, late)
	}
	return most
}

// share is the largest share of the jobs that can be in time.
func (l *load) share(w *world.World, within units.Duration) (share float64, template int) {
	if l.jobs == 0 {
		return 1, -1
	}
	each, all := w.MostAgents()
	late, worst, template := 0, 0, -1
	for t := range l.templates {
		n := l.templates[t].late(each[t], within)
		if late += n; n > worst {
			worst, template = n, t
		}
	}
	if n := l.together.late(all, within); n > late {
		late, template = n, -1
	}
	return 1 - float64(late)/float64(l.jobs), template
}

// bounded reports whether what agents can carry bounds an aim of a world: none of its agents are
// taken back or pushed off before their job is over, and nobody waits for a result before the next job.
func bounded(w *world.World, a aim.Aim) bool {
	if a.Kind != aim.Share && a.Kind != aim.Never || w.People() > 0 {
		return false
	}
	if slices.ContainsFunc(w.Pools, func(p world.Pool) bool { return p.Spot != nil && p.Max > 0 }) {
		return false
	}
	if len(w.Later) > 0 || slices.ContainsFunc(w.Templates, func(t world.Template) bool { return t.Early }) {
		return false // agents of other sizes; jobs that fail before they have worked
	}
	return !w.Preempts || !slices.ContainsFunc(w.Templates, func(t world.Template) bool { return t.Rank != w.Templates[0].Rank })
}

// loadOf is what the jobs of a repeat keep busy, for an aim.
func loadOf(w *world.World, a aim.Aim, repeat int) (*load, error) {
	jobs, err := paired.Draw{Repeat: repeat}.Jobs(w)
	if err != nil {
		return nil, err
	}
	class := w.ClassNamed(a.Class)
	if a.Class != "" && class < 0 {
		return &load{templates: make([]teamLoad, len(w.Templates))}, nil
	}
	type one struct{ came, keeps units.Duration }
	l := &load{}
	lists := make([][]one, len(w.Templates)+1)
	for j, s := range sim.ShortestOf(w, jobs, repeat) {
		job := &jobs.List[j]
		if job.Submitted < w.Plan.Warmup || job.Submitted >= w.Plan.Span || a.Class != "" && int(job.Class) != class || s.Template < 0 {
			continue
		}
		l.jobs++
		// What waits for other jobs comes when the run says; what comes last may not be counted.
		if len(jobs.After(j)) == 0 && job.Submitted < w.Plan.Span-a.Within {
			x := one{job.Submitted - w.Plan.Warmup, s.Keeps}
			lists[s.Template], lists[len(w.Templates)] = append(lists[s.Template], x), append(lists[len(w.Templates)], x)
		}
	}
	for _, list := range lists {
		var t teamLoad
		for _, length := range append(windows[:], w.Plan.Span-w.Plan.Warmup) {
			if len(t.lengths) > 0 && length <= t.lengths[len(t.lengths)-1] {
				continue
			}
			var in [][]float64
			for rest := list; len(rest) > 0; {
				end := (rest[0].came/length + 1) * length
				n := slices.IndexFunc(rest, func(x one) bool { return x.came >= end })
				if n < 0 {
					n = len(rest)
				}
				sums := make([]float64, n)
				for i, x := range rest[:n] {
					sums[i] = float64(x.keeps)
				}
				slices.Sort(sums)
				for i := 1; i < n; i++ {
					sums[i] += sums[i-1]
				}
				in, rest = append(in, sums), rest[n:]
			}
			t.lengths, t.windows = append(t.lengths, length), append(t.windows, in)
		}
		l.templates = append(l.templates, t)
	}
	l.together = l.templates[len(w.Templates)]
	l.templates = l.templates[:len(w.Templates)]
	return l, nil
}
