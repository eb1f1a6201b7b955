package explore

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Improving is what is asked of a scenario whose own numbers are the knobs; AskOwn finds those.
func Improving(scenario string) (name string, spec document.SweepSpec) {
	spec.Scenario = scenario
	spec.Defaults()
	spec.Budget.Defaults()
	return "improve-" + scenario, spec
}

// errNoKnobs says what to do where nothing can be varied.
var errNoKnobs = errors.New("the scenario has no number that could be another: say what may change in a Sweep")

// AskOwn is Ask with the knobs that the scenario has by itself, before those that are asked.
func AskOwn(name string, spec document.SweepSpec, ins ...world.Input) (*Question, error) {
	busiest, most := ins[0], 0.0
	for _, in := range ins[1:] { // of several workloads that with most jobs says how far numbers may go
		if most == 0 {
			most = jobsOf(busiest)
		}
		if n := jobsOf(in); n > most {
			busiest, most = in, n
		}
	}
	own, err := KnobsOf(busiest)
	if err != nil {
		return nil, err
	}
	spec.Knobs = append(own, spec.Knobs...)
	if len(spec.Knobs) == 0 {
		return nil, errNoKnobs
	}
	return Ask(name, spec, ins...)
}

// jobsOf is about how many jobs an input has in a month; 0 where it is no world.
func jobsOf(in world.Input) float64 {
	w, faults := world.Assemble(in)
	if faults.Err() != nil {
		return 0
	}
	return w.ExpectedJobs() / float64(w.Plan.Span)
}

// KnobsOf are the knobs that a scenario has by itself: the numbers of its agents, their
// calendars, how its nodes grow and shrink and of which types they are, its cache plan, and where
// pods go; each with values around what stands there, of ceilings and pools also what its own
// demand suggests. The scenario is run once for that.
func KnobsOf(in world.Input) (out []document.Knob, err error) {
	w, faults := world.Assemble(in)
	if err := faults.Err(); err != nil {
		return nil, err
	}
	t, err := sim.Run(w, w.Plan.Seed, 0, nil)
	if err != nil {
		return nil, err
	}
	wanted := offered(t)
	s := &in.Scenario.Value.(*document.Scenario).Spec
	// add adds a knob that is something now, whether the document says it or leaves it out.
	add := func(name, at string, is any, values []any) {
		k := document.Knob{Name: name, At: "Scenario/spec/" + at}
		_, says, err := in.Scenario.Field(document.Steps("spec/" + at))
		now := document.Value{Plain: is}.String()
		others := 0
		for _, v := range values {
			value := document.Value{Plain: v}
			if value.String() != now {
				others++
			} else if says == nil {
				continue // the scenario's own value
			}
			k.Values = append(k.Values, value)
		}
		if err == nil && others > 0 {
			out = append(out, k)
		}
	}
	for i, t := range s.Templates {
		at, a := "templates"+document.Pointer(t.Template)+"/agents/", &t.Agents
		if a.Ceiling != nil {
			list := append(about(*a.Ceiling, 1, 0.5, 0.75, 1, 1.25, 1.5), wanted[i]...)
			add(t.Template+" ceiling", at+"ceiling", float64(*a.Ceiling), numbers(list))
		}
		add(t.Template+" reuse", at+"reuse", string(a.Reuse), anyOf(a.Reuse.Values()))
		if a.Settle > 0 {
			add(t.Template+" settle", at+"settle", a.Settle.String(), times(a.Settle, 0.25, 0.5, 1, 2))
		}
		if a.Reuse != document.Never {
			add(t.Template+" linger", at+"linger", a.Linger.String(), times(a.Linger, 0.25, 0.5, 1, 2))
			add(t.Template+" spare", at+"spare", float64(a.Spare), around(a.Spare, 0, 0, 0.5, 1, 2))
		}
		for i, c := range a.Calendar {
			way := fmt.Sprintf("%scalendar/%d/", at, i)
			when := t.Template + " " + c.When.String()
			if c.Floor != nil {
				add(when+" floor", way+"floor", float64(*c.Floor), around(*c.Floor, 0, 0, 0.5, 1, 2))
			}
			if c.Spare != nil {
				add(when+" spare", way+"spare", float64(*c.Spare), around(*c.Spare, 0, 0, 0.5, 1, 2))
			}
		}
		if len(a.Calendar) == 0 && a.Floor > 0 {
			add(t.Template+" floor", at+"floor", float64(a.Floor), around(a.Floor, 0, 0, 0.5, 1, 2))
		}
	}
	if g := s.Nodes.Growth.ShrinkAfter; g > 0 {
		add("shrinkAfter", "nodes/growth/shrinkAfter", g.String(), times(g, 0.5, 1, 2, 4))
	}
	add("choose", "nodes/growth/choose", string(s.Nodes.Growth.Choose), anyOf(s.Nodes.Growth.Choose.Values()))
	if s.AgentCeiling != nil {
		add("agentCeiling", "agentCeiling", float64(*s.AgentCeiling), around(*s.AgentCeiling, 1, 0.5, 0.75, 1, 1.5, 2))
	}
	for i := range s.Limits {
		n := s.Limits[i].Agents
		add(s.Limits[i].Called()+" seats", fmt.Sprintf("limits/%d/agents", i), float64(n), around(n, 1, 0.5, 0.75, 1, 1.5, 2))
	}
	for _, p := range in.Cluster.Value.(*document.Cluster).Spec.Pools {
		most := p.Max
		if own := s.Nodes.Pools[p.Name].Max; own != nil {
			most = *own
		}
		if p.Max > p.Min {
			add("pool "+p.Name+" max", "nodes/pools"+document.Pointer(p.Name)+"/max", float64(most), around(most, max(1, p.Min), 0.5, 0.75, 1))
		}
	}
	out = append(out, nodeTypes(in, w)...)
	if k, ok := cachePlans(w, len(s.Caching) > 0); ok {
		out = append(out, k)
	}
	add("placement", "nodes/placement", string(s.Nodes.Placement), anyOf(s.Nodes.Placement.Values()))
	return out, nil
}

// offered tells by template how many jobs would be at work at once if none waited, from one run:
// nine tenths, 99 of 100 and all of the time that somebody works.
func offered(t *sim.Trace) [][]int {
	type edge struct {
		at   units.Duration
		more int
	}
	edges := make([][]edge, len(t.World.Templates))
	for j := range t.Records {
		r := &t.Records[j]
		if r.Template < 0 || r.Started < 0 || r.Ended < r.Started {
			continue
		}
		from := t.From(j)
		edges[r.Template] = append(edges[r.Template], edge{from, 1}, edge{from + r.Ended - r.Started, -1})
	}
	out := make([][]int, len(edges))
	for k, list := range edges {
		slices.SortFunc(list, func(a, b edge) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.more, b.more)) })
		long, now, most := map[int]units.Duration{}, 0, 0
		var busy units.Duration
		for i, e := range list {
			if i > 0 && now > 0 {
				long[now] += e.at - list[i-1].at
				busy += e.at - list[i-1].at
			}
			now += e.more
			most = max(most, now)
		}
		for _, share := range []float64{0.9, 0.99} {
			sum := units.Duration(0)
			for n := 1; n <= most; n++ {
				if sum += long[n]; float64(sum) >= float64(share*float64(busy)) {
					out[k] = append(out[k], n)
					break
				}
			}
		}
		if most > 0 {
			out[k] = append(out[k], most)
		}
	}
	return out
}

func anyOf(list []string) (out []any) {
	for _, x := range list {
		out = append(out, x)
	}
	return out
}

// around are whole numbers about one, rising, each once.
func around(n, least int, factors ...float64) []any { return numbers(about(n, least, factors...)) }

// about are whole numbers about one; around nothing the first few.
func about(n, least int, factors ...float64) (list []int) {
	for _, f := range factors {
		list = append(list, max(least, int(float64(f*float64(n))+0.5)))
	}
	if n < 2 {
		list = append(list, least, n, n+1, n+2)
	}
	return list
}

// numbers are whole numbers, rising, each once.
func numbers(list []int) (out []any) {
	slices.Sort(list)
	for _, x := range slices.Compact(list) {
		out = append(out, float64(x))
	}
	return out
}

// times are durations about one, in whole seconds.
func times(d units.Duration, factors ...float64) (out []any) {
	for _, f := range factors {
		x := units.Duration(float64(f*float64(d))) / units.Second * units.Second
		if s := x.String(); !slices.Contains(out, any(s)) {
			out = append(out, s)
		}
	}
	return out
}
