package world

import (
	"slices"

	"tachyphor/core/fleet"
)

// Stances say what every template makes of every pool's nodes; picky says of which
// templates some pool is liked or disliked. A template whose pods must be beside others
// that no template makes is near nobody anywhere.
func (w *World) Stances() (table [][]fleet.Stance, picky []bool) {
	table, picky = make([][]fleet.Stance, len(w.Templates)), make([]bool, len(w.Templates))
	for t := range w.Templates {
		beside := w.Templates[t].Near.Beside
		lonely := len(beside) > 0 && !slices.ContainsFunc(w.Templates, func(o Template) bool { return o.Near.MeantByAll(beside) })
		for p := range w.Pools {
			s := w.Pools[p].Stance(&w.Templates[t].Agent, &w.Templates[t].Needs)
			s.NotNear = s.NotNear || lonely
			table[t] = append(table[t], s)
			picky[t] = picky[t] || s.Disliked > 0 || s.Liked > 0
		}
	}
	return table, picky
}

// Takers lists the pools whose empty nodes take agents of template t, in their order.
func (w *World) Takers(t int) (pools []int) {
	table, _ := w.Stances()
	for p := range table[t] {
		if table[t][p].Takes() {
			pools = append(pools, p)
		}
	}
	return pools
}
