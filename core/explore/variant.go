package explore

import (
	"fmt"
	"strings"

	"tachyphor/core/document"
)

// A variant is one value for every knob: indices of values, −1 where the scenario's own stays.
type variant []int

// key tells variants apart.
func (v variant) key() string { return fmt.Sprint([]int(v)) }

// today is the scenario as it is.
func (q *Question) today() variant {
	v := make(variant, len(q.knobs))
	for k := range v {
		v[k] = -1
	}
	return v
}

// settled is v with −1 where a knob has the scenario's own value.
func (q *Question) settled(v variant) variant {
	out := append(variant(nil), v...)
	for k, x := range out {
		if x == q.knobs[k].base {
			out[k] = -1
		}
	}
	return out
}

// changes are what makes the variant of the scenario, by document.
func (q *Question) changes(v variant) (out []document.Changes) {
	for k, x := range v {
		if x >= 0 {
			out = joined(out, q.knobs[k].edits(x))
		}
	}
	return out
}

// joined adds changes to others, those of a document to what it has.
func joined(out, more []document.Changes) []document.Changes {
next:
	for _, c := range more {
		for i := range out {
			if out[i].Kind == c.Kind && out[i].Name == c.Name {
				out[i].Edits = append(out[i].Edits, c.Edits...)
				continue next
			}
		}
		out = append(out, c)
	}
	return out
}

// A Setting is a knob and the value that it has.
type Setting struct {
	Knob string `json:"knob" doc:"What the knob is called."`
	Is   string `json:"is" doc:"The value that it has."`
	Was  string `json:"was" doc:"The value that the scenario has."`
}

// settings are the knobs that a variant has otherwise than the scenario.
func (q *Question) settings(v variant) []Setting {
	out := []Setting{}
	for k, x := range v {
		if x >= 0 && x != q.knobs[k].base {
			out = append(out, Setting{q.knobs[k].name, q.knobs[k].text[x], q.knobs[k].was})
		}
	}
	return out
}

// said writes settings in a line.
func said(list []Setting) string {
	if len(list) == 0 {
		return "as it is"
	}
	var parts []string
	for _, s := range list {
		parts = append(parts, s.Knob+" "+s.Is)
	}
	return strings.Join(parts, ", ")
}

// many is how many variants the knobs make; most: it is no fewer.
func (q *Question) many(most int) int {
	n := 1
	for _, k := range q.knobs {
		if n *= len(k.values); n >= most {
			return most
		}
	}
	return n
}

// grid lists all variants, the last knob fastest.
func (q *Question) grid() []variant {
	out := []variant{{}}
	for _, k := range q.knobs {
		next := make([]variant, 0, len(out)*len(k.values))
		for _, v := range out {
			for x := range k.values {
				next = append(next, append(append(variant(nil), v...), x))
			}
		}
		out = next
	}
	return out
}
