package demand

import (
	"cmp"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/document"
	"tachyphor/core/units"
)

// A Group is people who wait for their own results: each thinks, submits a job, and thinks
// again once it and all that follow it are over. When their jobs come depends on how the
// jobs before fared, so they are drawn as a run goes on.
type Group struct {
	Class  int32 // of the jobs that they submit
	First  int   // number of the first of them among those of the class, from 0
	Count  int
	Think  chance.Dist // ns
	Window document.Window
	Always bool // they think at all times, not only in the window
	key    chance.Key
}

// leastThought is the least time that somebody thinks.
const leastThought = units.Millisecond

// Thinks is how long person i of a group, counted from 0, thinks before their nth job,
// counted from 1.
func (g *Group) Thinks(i, nth int) units.Duration {
	return max(leastThought, units.Duration(g.Think.Quantile(g.who(i).For(chance.Think, uint64(nth), 0).Uniform())))
}

// who is the key of a person's draws.
func (g *Group) who(i int) chance.Key { return g.key.For(chance.Person, uint64(i), 0) }

// groupsOf are the people of a class. What a group draws depends on when it is there, and
// on its place among those that are there at the same times by their size.
func groupsOf(class int32, k *document.JobClass, root chance.Key) []Group {
	list := make([]int, len(k.Arrivals.People))
	for i := range list {
		list[i] = i
	}
	slices.SortStableFunc(list, func(a, b int) int {
		return cmp.Compare(k.Arrivals.People[b].Count, k.Arrivals.People[a].Count)
	})
	out := make([]Group, len(list))
	alike := map[string]uint64{}
	for _, i := range list {
		p := &k.Arrivals.People[i]
		g := Group{Class: class, Count: p.Count, Think: p.Think.Dist(), Always: p.When == nil}
		name := "always"
		if p.When != nil {
			g.Window = document.Window{When: *p.When, Zone: cmp.Or(p.Zone, k.Arrivals.Zone)}
			name = p.When.String() + " " + g.Window.Zone.String()
		}
		alike[name]++
		g.key = root.For(chance.Person, chance.Name(k.Name), chance.Name(name)).For(chance.Person, alike[name], 0)
		out[i] = g
	}
	for i := 1; i < len(out); i++ {
		out[i].First = out[i-1].First + out[i-1].Count
	}
	return out
}

// peopled notes who will submit jobs, and all that is needed to add them.
func (j *Jobs) peopled(order []int, table *wantsTable, root chance.Key) {
	for _, c := range order {
		j.people = append(j.people, groupsOf(int32(c), &j.classes[c], root)...)
	}
	if len(j.people) == 0 {
		return
	}
	j.root, j.wants, j.followers = root, make([]int32, len(j.classes)), make([][]int32, len(j.classes))
	for _, c := range order {
		if f := j.classes[c].Follows; f != nil {
			lead := slices.IndexFunc(j.classes, func(k document.JobClass) bool { return k.Name == f.Class })
			j.followers[lead] = append(j.followers[lead], int32(c))
		}
	}
	var asked func(c int32)
	asked = func(c int32) {
		j.wants[c] = table.number(j.classes[c].Wants)
		for _, f := range j.followers[c] {
			asked(f)
		}
	}
	for _, g := range j.people {
		asked(g.Class)
	}
}

// A turn says how a job came about that somebody submitted, or that follows one.
type turn struct{ person, nth int32 } // of the class's people, from 1, and which of their jobs of that class; person 0: it came by itself

// People are the groups of people who submit jobs beside those listed.
func (j *Jobs) People() []Group { return j.people }

// WithRoom returns the same jobs, to which those that people submit can be added.
func (j *Jobs) WithRoom() *Jobs {
	own := *j
	own.List, own.made = slices.Clone(j.List), slices.Clone(j.made)
	own.turns = make([]turn, len(j.List))
	own.after = make(map[int32][]int32, len(j.after))
	for i, list := range j.after {
		own.after[i] = list
	}
	return &own
}

// Submit adds the nth job of person i of a group, both as Thinks has them, and the jobs
// that follow it: each of those after the one that it comes after. It returns where they
// begin; they are the last.
func (j *Jobs) Submit(g *Group, i, nth int, at units.Duration) (first int) {
	first = len(j.List)
	person := int32(g.First + i + 1)
	class := &j.classes[g.Class]
	key := g.who(i).For(chance.ArrivalTime, uint64(nth), 0)
	change := class.TrunkShare != nil && j.root.For(chance.Branch, uint64(key), 0).Uniform() >= *class.TrunkShare
	j.append(Job{Submitted: at, Key: uint64(key), Work: -1, Class: g.Class, Wants: j.wants[g.Class], Cores: -1, Change: change},
		turn{person, int32(nth)})
	count := map[int32]int32{} // of this turn's jobs by class
	for lead := first; lead < len(j.List); lead++ {
		for _, c := range j.followers[j.List[lead].Class] {
			f := j.classes[c].Follows
			for again := range f.Count {
				count[c]++
				j.after[int32(len(j.List))] = []int32{int32(lead)}
				job := j.List[lead]
				job.Key = uint64(followKey(chance.Key(job.Key), j.classes[c].Name, again))
				job.Class, job.Wants = c, j.wants[c]
				j.append(job, turn{person, int32(nth-1)*j.perTurn(c, g.Class) + count[c]})
			}
		}
	}
	return first
}

func (j *Jobs) append(job Job, t turn) {
	j.List, j.made, j.turns = append(j.List, job), append(j.made, 0), append(j.turns, t)
}

// perTurn is how many jobs of a class follow one of another, by way of others or not.
func (j *Jobs) perTurn(c, lead int32) int32 {
	n := int32(1)
	for c != lead {
		f := j.classes[c].Follows
		n *= int32(f.Count)
		c = int32(slices.IndexFunc(j.classes, func(k document.JobClass) bool { return k.Name == f.Class }))
	}
	return n
}

// InOrder brings the jobs into the order of their submission, those of one moment as they
// were added, and returns where each one went. People add no more.
func (j *Jobs) InOrder() (now []int32) {
	j.people = nil
	return j.sort()
}
