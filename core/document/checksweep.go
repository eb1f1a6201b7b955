package document

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"

	"tachyphor/core/aim"
)

// Limits on what a sweep may ask.
const (
	maxKnobs  = 40
	maxValues = 1000 // of a knob
	maxRuns   = 1_000_000
	maxAims   = 40
)

func (c checker) sweep(s *SweepSpec) {
	if len(s.Knobs) == 0 || len(s.Knobs) > maxKnobs {
		c.at("spec.knobs", fmt.Sprint(len(s.Knobs), " knobs"), fmt.Sprintf("expected 1 to %d", maxKnobs))
	}
	for i := range s.Knobs {
		c.knob(fmt.Sprintf("spec.knobs[%d]", i), &s.Knobs[i], false)
	}
	names := map[string]bool{}
	for i := range s.Knobs {
		name := s.Knobs[i].Called()
		if names[name] {
			c.at(fmt.Sprintf("spec.knobs[%d]", i), strconv.Quote(name), "another knob is called so; give it a name of its own")
		}
		names[name] = true
	}
	c.aims(s.Aims)
	across := map[string]bool{}
	for i, name := range s.Across {
		if across[name] || name == "" {
			c.at(fmt.Sprintf("spec.across[%d]", i), strconv.Quote(clip(name)), "expected the name of a workload, each once")
		}
		across[name] = true
	}
	c.within("spec.budget.runs", s.Budget.Runs, 1, maxRuns)
}

// aims checks what must be kept.
func (c checker) aims(list []string) {
	if len(list) > maxAims {
		c.at("spec.aims", fmt.Sprint(len(list), " aims"), fmt.Sprintf("expected at most %d", maxAims))
	}
	for i, text := range list {
		_, err := aim.Parse(text)
		if e := (*aim.Error)(nil); errors.As(err, &e) {
			c.at(fmt.Sprintf("spec.aims[%d]", i), strconv.Quote(clip(text)), e.Line())
		}
	}
}

// knob checks one knob; within says that it is one of several that move as one.
func (c checker) knob(path string, k *Knob, within bool) {
	if len(k.Together) > 0 {
		if within || k.At != "" || len(k.Values) > 0 || k.From != nil {
			c.at(path+".together", fmt.Sprint(len(k.Together), " knobs"), "expected knobs with a place and values each, and nothing beside them but a name")
			return
		}
		for i := range k.Together {
			at := fmt.Sprintf("%s.together[%d]", path, i)
			c.knob(at, &k.Together[i], true)
			if n, first := len(k.Together[i].Plain()), len(k.Together[0].Plain()); n != first {
				c.at(at, fmt.Sprint(n, " values"), fmt.Sprintf("knobs that move as one have as many values each; the first has %d", first))
			}
		}
		return
	}
	if kind, _, _ := strings.Cut(k.At, "/"); kind != KindScenario && kind != KindPodTemplate && kind != KindCluster && kind != KindWorkload {
		c.at(path+".at", strconv.Quote(clip(k.At)), "expected a place, as in Scenario/spec/templates/compile-wide/agents/ceiling or "+
			"PodTemplate/compile-wide/template/spec/containers/agent/resources/requests/cpu")
	}
	if (len(k.Values) > 0) == (k.From != nil || k.To != nil) || (k.From == nil) != (k.To == nil) {
		c.at(path, "no values, or twice", "expected either values, or from, to and perhaps by")
		return
	}
	if k.From != nil {
		by := k.step()
		if !(by > 0) || !(*k.To >= *k.From) || !((*k.To-*k.From)/by < maxValues) {
			c.at(path, fmt.Sprintf("from %v to %v by %v", *k.From, *k.To, by), fmt.Sprintf("expected a rising range of at most %d values", maxValues))
		}
		return
	}
	if len(k.Values) > maxValues {
		c.at(path+".values", fmt.Sprint(len(k.Values), " values"), fmt.Sprintf("expected at most %d", maxValues))
	}
	seen := map[string]bool{}
	for i, v := range k.Values {
		if seen[v.String()] {
			c.at(fmt.Sprintf("%s.values[%d]", path, i), clip(v.String()), "the value is already in the list; values must differ")
		}
		seen[v.String()] = true
	}
}

func (k *Knob) step() float64 {
	if k.By != nil {
		return *k.By
	}
	return 1
}

// Plain lists the values of a knob that has a place of its own.
func (k *Knob) Plain() []any {
	if k.From == nil || k.To == nil {
		out := make([]any, len(k.Values))
		for i, v := range k.Values {
			out[i] = v.Plain
		}
		return out
	}
	var out []any
	by := k.step()
	if !(by > 0) {
		return nil
	}
	for i := 0; i < maxValues; i++ {
		x := *k.From + float64(float64(i)*by)
		if x > *k.To+float64(by*1e-9) {
			break
		}
		out = append(out, math.Round(float64(x*1e9))/1e9)
	}
	return out
}

// Count is how many values a knob may take.
func (k *Knob) Count() int {
	if len(k.Together) > 0 {
		return len(k.Together[0].Plain())
	}
	return len(k.Plain())
}

// Called is what the knob is called: its name, or where it is.
func (k *Knob) Called() string {
	switch {
	case k.Name != "":
		return k.Name
	case len(k.Together) > 0:
		return k.Together[0].Called()
	}
	steps := strings.Split(k.At, "/")
	for i, s := range steps { // the template or pool that it is of, and the field
		if (s == "templates" || s == "pools" || s == KindPodTemplate) && i+2 < len(steps) {
			return steps[i+1] + " " + steps[len(steps)-1]
		}
	}
	return steps[len(steps)-1]
}
