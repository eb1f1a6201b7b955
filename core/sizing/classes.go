package sizing

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/template"
	"tachyphor/core/units"
)

// A ClassUse is what the runs of one class used.
type ClassUse struct {
	Class    string      `json:"class" doc:"Name of the class; empty: runs whose class is not known."`
	Runs     int         `json:"runs" doc:"Runs."`
	Killed   int         `json:"killed" doc:"Runs that were ended for memory."`
	Wall     float64     `json:"wall" doc:"Median time of a run, seconds."`
	Cores    float64     `json:"cores" doc:"Mean cores in use."`
	Peak     float64     `json:"peakCores" doc:"Median of the most cores over a minute."`
	Parallel float64     `json:"parallel" doc:"Estimated share of the work that runs on all its peak cores; 0 where it cannot be told."`
	Half     units.Bytes `json:"half" doc:"Half of the runs need no more memory; 0: not known."`
	Memory   units.Bytes `json:"memory" doc:"Request of memory for this class alone; with kills or few runs a trial or the most that was seen without a kill."`
	Bounded  bool        `json:"bounded" doc:"The request is a bound as wished."`
}

// A Division is one way to share the classes out among templates.
type Division struct {
	Templates int     `json:"templates" doc:"How many templates."`
	Parts     []Part  `json:"parts" doc:"The templates."`
	PerRun    float64 `json:"perRun" doc:"What a run costs on average."`
	Saves     float64 `json:"saves" doc:"Share of the cost of one template that it saves; below 0: it costs more."`
}

// A Part is a template for some classes.
type Part struct {
	Classes []string `json:"classes" doc:"Its classes; the rest, where there are many, are other."`
	Point
}

// mostClasses bounds how many classes are told apart; the smallest go together.
const mostClasses = 5

// otherClasses is the name of those.
const otherClasses = "other"

// divide says what each class used, and what two or three templates would save.
func (a *Advice) divide(here *arena, runs []Run, q Question) {
	a.Bound = here.splitBound(runs, a.Best)
	byClass := map[string][]Run{}
	for _, r := range runs {
		byClass[r.Class] = append(byClass[r.Class], r)
	}
	names := make([]string, 0, len(byClass))
	for name := range byClass {
		names = append(names, name)
	}
	slices.SortFunc(names, func(x, y string) int {
		return cmp.Or(cmp.Compare(len(byClass[y]), len(byClass[x])), strings.Compare(x, y))
	})
	if len(names) == 1 && names[0] == "" {
		return
	}
	for _, name := range names {
		a.Classes = append(a.Classes, classUse(name, byClass[name], q))
	}
	if len(names) > mostClasses {
		var rest []Run
		for _, name := range names[mostClasses-1:] {
			rest = append(rest, byClass[name]...)
		}
		names = append(names[:mostClasses-1:mostClasses-1], otherClasses)
		byClass[otherClasses] = rest
	}
	if len(names) < 2 {
		return
	}
	parts := map[uint]*Part{}
	total := float64(len(runs))
	cost := func(set uint) (float64, *Part) { // of the set's share of an average run
		p, ok := parts[set]
		if !ok {
			var some []Run
			p = &Part{}
			for i, name := range names {
				if set&(1<<i) != 0 {
					some = append(some, byClass[name]...)
					p.Classes = append(p.Classes, name)
				}
			}
			p.Point = here.with(some, q.Wish, q.Now).size(some, q, a.Now)
			parts[set] = p
		}
		n := 0
		for i, name := range names {
			if set&(1<<i) != 0 {
				n += len(byClass[name])
			}
		}
		if p.Agents == 0 {
			return math.Inf(1), p
		}
		return p.PerRun * float64(n) / total, p
	}
	all := uint(1)<<len(names) - 1
	one, p := cost(all)
	a.Splits = append(a.Splits, Division{1, []Part{*p}, one, 0})
	for k := 2; k <= min(3, len(names)); k++ {
		best, sets := math.Inf(1), []uint(nil)
		partitions(all, k, func(list []uint) {
			sum, sizes := 0.0, map[template.Request]bool{}
			for _, set := range list {
				c, p := cost(set)
				sum += c
				sizes[template.Request{CPU: p.CPU, Memory: p.Memory}] = true
			}
			if sum < best && len(sizes) == len(list) { // two of one size are one template
				best, sets = sum, slices.Clone(list)
			}
		})
		if sets == nil {
			continue
		}
		d := Division{Templates: k, PerRun: best, Saves: 1 - best/one, Parts: []Part{}}
		for _, set := range sets {
			_, p := cost(set)
			d.Parts = append(d.Parts, *p)
		}
		a.Splits = append(a.Splits, d)
	}
	a.Verdict = a.verdict()
}

// partitions lists the ways to part a set into k, each once.
func partitions(set uint, k int, f func([]uint)) {
	var cut func(rest uint, parts []uint)
	cut = func(rest uint, parts []uint) {
		if len(parts) == k-1 {
			f(append(parts, rest))
			return
		}
		first := rest & -rest // the part that has the least element
		for sub := rest; sub > 0; sub = (sub - 1) & rest {
			if sub&first != 0 && sub != rest {
				cut(rest&^sub, append(slices.Clone(parts), sub))
			}
		}
	}
	cut(set, nil)
}

func classUse(name string, runs []Run, q Question) ClassUse {
	u := ClassUse{Class: name, Runs: len(runs)}
	var walls, peaks, parallel []float64
	cpu, busy := 0.0, 0.0
	for i := range runs {
		r := &runs[i]
		if r.Killed {
			u.Killed++
		}
		walls, peaks = append(walls, r.Wall.Seconds()), append(peaks, r.PeakCores)
		cpu, busy = cpu+r.CPU.Seconds(), busy+r.Curve.Seconds()
		if !math.IsNaN(r.Parallel) {
			parallel = append(parallel, r.Parallel)
		}
	}
	slices.Sort(walls)
	slices.Sort(peaks)
	slices.Sort(parallel)
	u.Wall, u.Peak = walls[len(walls)/2], peaks[len(peaks)/2]
	if busy > 0 {
		u.Cores = cpu / busy
	}
	if 2*len(parallel) > len(runs) {
		u.Parallel = parallel[len(parallel)/2]
	}
	m := Memory(runs, q.Now, q.Wish)
	u.Half = m.Half
	u.Memory, u.Bounded = sizeOf(m), m.Request > 0
	return u
}

// sizeOf is the memory that runs are given when they are looked at alone: their bound,
// or a quarter more than killed runs reached, or the most that was seen without a kill.
func sizeOf(m PeakAdvice) units.Bytes {
	switch {
	case m.Request > 0:
		return m.Request
	case m.Killed > 0:
		return m.leastTrial()
	}
	return m.AtLeast
}

// size is the cheapest point for some runs.
func (a *arena) size(runs []Run, q Question, today Point) Point {
	memory, disk := sizeOf(Memory(runs, q.Now, q.Wish)), sizeOf(Disk(runs, q.Now, q.Wish))
	if memory == 0 {
		memory = today.Memory
	}
	if disk == 0 {
		disk = today.Disk
	}
	points := a.curve(memory, disk, q.Stretch)
	best, _ := cheapest(points, q.Stretch)
	return best
}

// splitBound is the share of cost that two sizes of memory could save if each run's
// need were known before it is sent to one of them.
func (a *arena) splitBound(runs []Run, best Point) float64 {
	uses := make([]Use, len(runs))
	for i := range runs {
		uses[i] = Use{runs[i].Memory, runs[i].Wall}
	}
	price := func(size units.Bytes) float64 {
		return a.perHour(math.Max(float64(a.holds(best.CPU, size, best.Disk)), 1e-3))
	}
	cost := func(k int) float64 {
		sum := 0.0
		for _, g := range Split(uses, k, price) {
			sum += g.Cost
		}
		return sum
	}
	one := cost(1)
	if !(one > 0) {
		return 0
	}
	return max(1-cost(2)/one, 0)
}

// verdict says whether to split.
func (a *Advice) verdict() string {
	if len(a.Splits) < 2 {
		return ""
	}
	best := slices.MaxFunc(a.Splits[1:], func(x, y Division) int { return cmp.Compare(x.Saves, y.Saves) })
	two := a.Splits[1]
	if two.Saves > 0 && best.Saves < two.Saves+0.02 {
		best = two // a third is a template more to look after
	}
	if best.Saves < 0.03 {
		return fmt.Sprintf("One template is enough: two would save %.0f %% of its cost.", 100*max(two.Saves, 0))
	}
	var parts []string
	for _, p := range best.Parts {
		parts = append(parts, fmt.Sprintf("%s with %s CPU and %s", strings.Join(p.Classes, ", "), p.CPU, p.Memory.Short()))
	}
	return fmt.Sprintf("%d templates would save %.0f %%: %s.", best.Templates, 100*best.Saves, strings.Join(parts, "; "))
}
