package explore

import (
	"fmt"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// KnobsOf are the knobs that a scenario has by itself: the numbers of its agents, their
// calendars, how its nodes grow and shrink, and where pods go; each with values around what
// stands there.
func KnobsOf(in world.Input) (out []document.Knob) {
	s := &in.Scenario.Value.(*document.Scenario).Spec
	add := func(name, at string, values ...any) {
		k := document.Knob{Name: name, At: "Scenario/spec/" + at}
		for _, v := range values {
			k.Values = append(k.Values, document.Value{Plain: v})
		}
		if len(k.Values) > 1 {
			out = append(out, k)
		}
	}
	for _, t := range s.Templates {
		at, a := "templates/"+escaped(t.Template)+"/agents/", &t.Agents
		if a.Ceiling != nil {
			add(t.Template+" ceiling", at+"ceiling", around(*a.Ceiling, 1, 0.5, 0.75, 1, 1.25, 1.5)...)
		}
		if a.Reuse != document.Never {
			add(t.Template+" linger", at+"linger", times(a.Linger, 0.25, 0.5, 1, 2)...)
			add(t.Template+" spare", at+"spare", around(a.Spare, 0, 0, 0.5, 1, 2)...)
		}
		for i, c := range a.Calendar {
			way := fmt.Sprintf("%scalendar/%d/", at, i)
			when := t.Template + " " + c.When.String()
			if c.Floor != nil {
				add(when+" floor", way+"floor", around(*c.Floor, 0, 0, 0.5, 1, 2)...)
			}
			if c.Spare != nil {
				add(when+" spare", way+"spare", around(*c.Spare, 0, 0, 0.5, 1, 2)...)
			}
		}
		if len(a.Calendar) == 0 && a.Floor > 0 {
			add(t.Template+" floor", at+"floor", around(a.Floor, 0, 0, 0.5, 1, 2)...)
		}
	}
	if g := s.Nodes.Growth.ShrinkAfter; g > 0 {
		add("shrinkAfter", "nodes/growth/shrinkAfter", times(g, 0.5, 1, 2, 4)...)
	}
	add("placement", "nodes/placement", anyOf(document.Placement("").Values())...)
	return out
}

// escaped is a step of a place.
func escaped(s string) string { return strings.NewReplacer("~", "~0", "/", "~1").Replace(s) }

func anyOf(list []string) (out []any) {
	for _, x := range list {
		out = append(out, x)
	}
	return out
}

// around are whole numbers about one, rising, each once; around nothing the first few.
func around(n, least int, factors ...float64) (out []any) {
	var list []int
	for _, f := range factors {
		list = append(list, max(least, int(float64(f*float64(n))+0.5)))
	}
	if n < 2 {
		list = append(list, least, n, n+1, n+2)
	}
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
