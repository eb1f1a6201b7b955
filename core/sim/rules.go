package sim

import (
	"tachyphor/core/fleet"
)

// A rule is one of the scheduler's: what keeps a pod of a template off a node, and what a
// node is worth to it. Each stands in a file of its own and is entered in scheduling; what
// it does not do is nil.
// Source: k8s.io/kubernetes v1.37, pkg/scheduler/framework/plugins.
type rule struct {
	// concerns reports whether the rule can make a difference to pods of the look's
	// template at all; nil: it always can.
	concerns func(e *engine, x look) bool
	// filter says what keeps a pod off a node of a pool, which may be one that is only
	// imagined when the future is meant.
	filter func(e *engine, x look, n, pool int32) fleet.Reason
	// lasting: what filter says, and points, hold until the node itself changes.
	lasting bool
	// tell counts a node that the rule keeps a pod off, where its reason alone does not say
	// enough.
	tell func(e *engine, x look, n int32, v *fleet.Verdict)
	// points is what a node is worth by itself, until it changes.
	points func(e *engine, x look, n int32) int64
	// kind says of which nodes now is asked, until they change: 0, of none. now is what such a node
	// is worth by itself at this moment, the same for all of a kind. A rule has both or none.
	kind func(e *engine, x look, n int32) uint64
	now  func(e *engine, x look, n int32) int64
	// compares reports whether compare can make a difference to pods of the look's template;
	// nil: it can for all whom the rule concerns.
	compares func(e *engine, x look) bool
	// compare adds to points what each of some nodes is worth beside the others.
	compare func(e *engine, x look, nodes []int32, points []int64)
}

// scheduling is the scheduler's default profile: its rules, in the order in which they
// look.
var scheduling = []*rule{&closedRule, &taintRule, &affinityRule, &portRule, &roomRule, &volumeRule, &spreadRule, &besideRule, &imageRule}

// A look is one pod's look for a node.
type look struct {
	t           int32 // its template
	placeholder bool  // it stands for room alone, and has no neighbours
	future      bool  // pods that are promised room on nodes that boot count too
	lowest      []int64
}

// concerned are the rules that can make a difference to pods of a template, by what they
// do: each list in the order in which they look.
type concerned struct {
	filtering        []*rule // these are lasting or passing
	lasting, passing []*rule
	marking          []*rule
	comparing        []*rule
}

// look begins a look.
func (e *engine) look(t int32, placeholder, future bool) look {
	x := look{t: t, placeholder: placeholder, future: future}
	if !placeholder && e.heeds(t) {
		x.lowest = e.lowest(t, future)
	}
	return x
}

// concern finds which rules can make a difference to pods of a template.
func (e *engine) concern(t int32, placeholder bool) (c concerned) {
	x := look{t: t, placeholder: placeholder}
	for _, r := range scheduling {
		if r.concerns != nil && !r.concerns(e, x) {
			continue
		}
		if r.filter != nil {
			c.filtering = append(c.filtering, r)
			if r.lasting {
				c.lasting = append(c.lasting, r)
			} else {
				c.passing = append(c.passing, r)
			}
		}
		if r.now != nil {
			c.marking = append(c.marking, r)
		}
		if r.compare != nil && (r.compares == nil || r.compares(e, x)) {
			c.comparing = append(c.comparing, r)
		}
	}
	return c
}

// by returns the rules that concern a look.
func (e *engine) by(x look) *concerned {
	if x.placeholder {
		return &e.place.holders[x.t]
	}
	return &e.place.rules[x.t]
}

// passes reports whether none of some rules keeps a look's pod off a node.
func (e *engine) passes(rules []*rule, x look, n, pool int32) bool {
	for _, r := range rules {
		if r.filter(e, x, n, pool) != fleet.Open {
			return false
		}
	}
	return true
}

// refusal says why a pod of a template fits nowhere.
func (e *engine) refusal(t int32) fleet.Verdict {
	x := e.look(t, false, false)
	filtering := e.by(x).filtering
	v := fleet.Verdict{Template: t, Nodes: int32(len(e.place.ready))}
	for _, n := range e.place.ready {
		pool := e.nodes[n].pool
		if !e.sites[t][pool].Takes() {
			v.Never++
		}
		for _, r := range filtering {
			why := r.filter(e, x, n, pool)
			if why == fleet.Open {
				continue
			}
			if r.tell != nil {
				r.tell(e, x, n, &v)
			} else {
				v.Add(why)
			}
			break
		}
	}
	return v
}

// mostOf is the most of something that one of some nodes' pools has for a template.
func (e *engine) mostOf(t int32, nodes []int32, of func(*fleet.Stance) int64) (most int64) {
	for _, n := range nodes {
		most = max(most, of(&e.sites[t][e.nodes[n].pool]))
	}
	return most
}

// verdict returns the number of a verdict in the trace's table.
func (e *engine) verdict(v fleet.Verdict) int32 {
	if i, ok := e.place.verdicts[v]; ok {
		return i
	}
	i := int32(len(e.trace.Verdicts))
	e.trace.Verdicts = append(e.trace.Verdicts, v)
	e.place.verdicts[v] = i
	return i
}
