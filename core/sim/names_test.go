package sim_test

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/shelf"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// byNames writes all that a run observed with things by their names, in the order of
// their names, so that two runs that differ in the order of lists alone read the same.
func byNames(trace *sim.Trace) string {
	w := trace.World
	costs := outcome.JobCosts(trace)
	var lines []string
	add := func(format string, args ...any) { lines = append(lines, fmt.Sprintf(format, args...)) }
	for j, r := range trace.Records {
		var b strings.Builder
		fmt.Fprintf(&b, "job %s %v %v agent %d warm %v %v lost %d cost %d", trace.Jobs.ID(j), r.Started, r.Ended, r.Agent, r.Warm, r.Result,
			r.Lost, costs[j])
		if r.Template >= 0 {
			fmt.Fprintf(&b, " of %s", w.Templates[r.Template].Name)
		}
		if r.Node >= 0 {
			fmt.Fprintf(&b, " on %s", trace.NodeName(r.Node))
		}
		for _, s := range trace.Stays(j) {
			by := ""
			switch {
			case s.By < 0:
			case s.Cause.Phase() == sim.Held:
				by = trace.Jobs.ID(int(s.By))
			case s.Cause.Phase() == sim.Placing:
				by = trace.Verdicts[s.By].Words(w.Extended)
			default:
				by = trace.NodeName(s.By)
			}
			fmt.Fprintf(&b, "; %v %v %s", s.To, s.Cause, by)
		}
		lines = append(lines, b.String())
	}
	for n, life := range trace.Nodes {
		add("node %s %v %v %v %v %v %v", trace.NodeName(int32(n)), life.Asked, life.Ready, life.Gone, life.Billed, life.Extra, life.Spent)
	}
	for c, x := range trace.Cache.Classes {
		if x != (sim.ClassCache{}) {
			add("cache %s %+v", w.Classes[c].Name, x)
		}
	}
	c := trace.Cache
	c.Classes = nil
	add("cache %+v %v, agents %v, moved %v", c, c.Kept.Mean(units.Hour), trace.AgentTime, trace.Moved[:3])
	for p := range w.Pools {
		if life := trace.Lines.Nodes[p]; slices.ContainsFunc(life.Area, func(s units.Sum[units.Duration]) bool { return s.Sign() != 0 }) {
			add("line %s %v", w.Pools[p].Name, life.Area)
		}
	}
	add("waiting %v", trace.Lines.Waiting.Area)
	slices.Sort(lines)
	return strings.Join(lines, "\n")
}

// first puts an element before a list.
func first[T any](list []T, x T) []T { return append([]T{x}, list...) }

// turned is a list in the other order.
func turned[T any](list []T) []T {
	list = slices.Clone(list)
	slices.Reverse(list)
	return list
}

// sameWorlds are changes to documents after which nothing may happen differently.
var sameWorlds = []struct {
	name string
	edit func(in *world.Input, s *document.ScenarioSpec, c *document.ClusterSpec, l *document.WorkloadSpec)
}{
	{"an unused template first", func(in *world.Input, s *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
		docs, faults := document.Parse("x", []byte(worlds.Template("nobody", "nothing-wants-this", "100m", "64Mi", c.Images[0].Name)))
		if len(faults) > 0 {
			panic(faults)
		}
		in.Templates = first(in.Templates, docs[0])
		use := s.Templates[0]
		use.Template, use.Agents.Floor, use.Agents.Spare, use.Agents.Calendar = "nobody", 0, 0, nil
		s.Templates = first(s.Templates, use)
	}},
	{"documents on the shelf in another order", func(in *world.Input, _ *document.ScenarioSpec, _ *document.ClusterSpec,
		_ *document.WorkloadSpec,
	) {
		all := shelf.Of(turned(in.Templates)...)
		all.Put(in.Workload)
		all.Put(in.Cluster)
		in.Named, _ = all.Named(in.Scenario)
	}},
	{"an unused pool first", func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
		p := c.Pools[len(c.Pools)-1]
		p.Name, p.Min, p.Max = "aaa", 0, 0
		c.Pools = first(c.Pools, p)
	}},
	{"pools in another order", func(_ *world.Input, s *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
		if s.Nodes.Growth.Choose != document.Listed {
			c.Pools = turned(c.Pools)
		}
	}},
	{"drains in another order", func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
		c.Pools = slices.Clone(c.Pools)
		for i := range c.Pools {
			c.Pools[i].Drains = turned(c.Pools[i].Drains)
		}
	}},
	{
		"an unused node type first, and in another order",
		func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
			t := c.NodeTypes[0]
			t.Name = "nobody"
			c.NodeTypes = turned(append(slices.Clone(c.NodeTypes), t))
		},
	},
	{
		"an unused image first, and in another order",
		func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
			c.Images = turned(append(slices.Clone(c.Images), document.Image{Name: "nobody:1", Size: 7}))
		},
	},
	{
		"an unused tool first, and in another order",
		func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
			c.Agents.Tools = turned(append(slices.Clone(c.Agents.Tools), document.Tool{Name: "nobody"}))
		},
	},
	{"daemon sets in another order", func(_ *world.Input, _ *document.ScenarioSpec, c *document.ClusterSpec, _ *document.WorkloadSpec) {
		c.DaemonSets = turned(c.DaemonSets)
	}},
	{"an unused class first", func(_ *world.Input, _ *document.ScenarioSpec, _ *document.ClusterSpec, l *document.WorkloadSpec) {
		k := l.Classes[0]
		k.Name, k.Arrivals, k.Follows = "nobody", document.Arrivals{}, nil
		l.Classes = first(l.Classes, k)
	}},
	{
		"an unused class with a cache rule of its own",
		func(_ *world.Input, s *document.ScenarioSpec, _ *document.ClusterSpec, l *document.WorkloadSpec) {
			k := l.Classes[0]
			k.Name, k.Arrivals, k.Follows = "nobody", document.Arrivals{}, nil
			l.Classes = first(l.Classes, k)
			r := document.CacheRule{Classes: []string{"nobody"}, Plan: document.Archive}
			r.Defaults()
			s.Caching = first(s.Caching, r)
		},
	},
	{"classes in another order", func(_ *world.Input, _ *document.ScenarioSpec, _ *document.ClusterSpec, l *document.WorkloadSpec) {
		l.Classes = turned(l.Classes)
	}},
	{"bursts in another order", func(_ *world.Input, _ *document.ScenarioSpec, _ *document.ClusterSpec, l *document.WorkloadSpec) {
		l.Classes = slices.Clone(l.Classes)
		for i := range l.Classes {
			l.Classes[i].Arrivals.Bursts = turned(l.Classes[i].Arrivals.Bursts)
		}
	}},
}

// What a thing is called decides its draws, and which one of its kind it is; never its
// place in a list. Things that nothing uses, and another order of what is not an order
// of preference, change nothing at all.
func TestNothingDependsOnPlacesInLists(t *testing.T) {
	seeds, demos := uint64(2), []string{"cached"}
	if long {
		seeds, demos = 500, []string{"weekday-lean", "cached", "spot-night"}
	}
	texts := map[string][2]string{}
	for seed := range seeds {
		texts[fmt.Sprint("wild ", seed)] = [2]string{worlds.WildText(seed)}
	}
	for _, s := range demos {
		text, jobs, err := worlds.DemoText(s)
		if err != nil {
			t.Fatal(err)
		}
		if !long { // the first two days
			jobs = jobs[:strings.Index(jobs, "2026-09-16")]
			jobs = jobs[:strings.LastIndex(jobs, "\n")+1]
		}
		texts[s] = [2]string{text, jobs}
	}
	for name, text := range texts {
		run := func(edit func(in *world.Input, s *document.ScenarioSpec, c *document.ClusterSpec, l *document.WorkloadSpec)) string {
			in, err := worlds.Read(text[0], text[1])
			if err != nil {
				t.Fatal(err)
			}
			if edit != nil {
				edit(&in, &in.Scenario.Value.(*document.Scenario).Spec, &in.Cluster.Value.(*document.Cluster).Spec,
					&in.Workload.Value.(*document.Workload).Spec)
			}
			w, faults := world.Assemble(in)
			if len(faults) > 0 {
				return "" // an agent that fits on no node
			}
			trace, err := sim.Run(w, 3, 1, nil)
			if err != nil {
				t.Fatal(err)
			}
			return byNames(trace)
		}
		want := run(nil)
		for _, c := range sameWorlds {
			if got := run(c.edit); got != want {
				t.Errorf("%s, %s: %s", name, c.name, apart(want, got))
			}
		}
	}
}

// apart shows the first lines in which two texts differ.
func apart(a, b string) string {
	x, y := strings.Split(a, "\n"), strings.Split(b, "\n")
	n := 0
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			n++
			if n == 1 {
				a, b = x[i], y[i]
			}
		}
	}
	h := fnv.New32()
	_, _ = h.Write([]byte(b))
	return fmt.Sprintf("%d of %d lines differ, the first:\n%.400s\n%.400s", n, len(x), a, b)
}
