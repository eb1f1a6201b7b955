package sim

import (
	"tachyphor/core/fleet"
)

// book promises room on a booting node to the pods that fit, and returns the
// others.
func (e *engine) book(n int32, list []int32) (rest []int32) {
	node := &e.nodes[n]
	if e.pools[node.pool].draining {
		return list
	}
	rest = list[:0]
	e.refused.begin(len(e.w.Templates))
	for _, a := range list {
		g := &e.agents[a]
		if !e.mayHave(g.template, n, node.pool, &node.planned) {
			rest = append(rest, a)
			continue
		}
		e.refused.taken++
		node.planned.Take(&e.w.Templates[g.template].Needs, 1)
		e.promised(g.template, n, node.pool, 1)
		g.waitNode, g.bootNode = n, n
		if g.asked < 0 {
			g.asked = e.now
		}
	}
	return rest
}

// mayHave reports whether a node that will be has room for one more pod of a template.
// Pods of a template that was refused are alike until the node takes another.
func (e *engine) mayHave(t, n, pool int32, room *fleet.Room) bool {
	if e.refused.at[t] == e.refused.taken {
		return false
	}
	if e.admits(t, pool) && !e.attachedSomewhere(t) && !e.away(t, pool) && !room.Lacks(&e.w.Templates[t].Needs).Short() &&
		e.takes(t, n, pool) {
		return true
	}
	e.refused.at[t] = e.refused.taken
	return false
}

// refusals are the templates whose pods a node had no room for, while it is filled.
type refusals struct {
	at    []int // by template: how many pods the node had taken then; −1: never refused
	taken int
}

func (r *refusals) begin(templates int) {
	r.at, r.taken = r.at[:0], 0
	for range templates {
		r.at = append(r.at, -1)
	}
}

// unbook gives up the room that was promised to agent a.
func (e *engine) unbook(a int32) {
	g := &e.agents[a]
	e.nodes[g.waitNode].planned.Take(&e.w.Templates[g.template].Needs, -1)
	e.promised(g.template, g.waitNode, e.nodes[g.waitNode].pool, -1)
	g.waitNode = -1
}
