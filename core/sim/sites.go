package sim

import (
	"slices"

	"tachyphor/core/template"
)

// A site is what one template makes of one pool's nodes, which are all alike.
type site struct {
	tainted, unwanted bool  // barred by a taint; by selector or required affinity
	noPlace, notNear  bool  // it has not a label over which pods are spread; by which they must be beside others, or no template's pods are such
	disliked          int64 // taints that would rather keep it off
	liked             int64 // weights of the preferred terms that hold
}

// sites looks at every template and pool; picky says of which templates some
// pool is liked or disliked.
func sites(w *World) (table [][]site, picky []bool) {
	table, picky = make([][]site, len(w.Templates)), make([]bool, len(w.Templates))
	for t := range w.Templates {
		where := &w.Templates[t].Where
		for p := range w.Pools {
			pool := &w.Pools[p]
			s := site{
				tainted: !where.Tolerated(pool.taints), unwanted: !where.Matches(pool.labels),
				disliked: where.Disliked(pool.taints), liked: where.Liked(pool.labels),
			}
			s.noPlace, s.notNear = w.unplaced(&w.Templates[t].Near, pool.labels)
			table[t] = append(table[t], s)
			picky[t] = picky[t] || s.disliked > 0 || s.liked > 0
		}
	}
	return table, picky
}

// unplaced reports what of a template's rules on neighbours can never hold on nodes with
// some labels, whoever is there.
func (w *World) unplaced(near *template.Neighbours, labels map[string]string) (noPlace, notNear bool) {
	for _, s := range near.Spread {
		noPlace = noPlace || s.Must && !template.HasPlace(labels, s.Topology)
	}
	for _, b := range near.Beside {
		notNear = notNear || !template.HasPlace(labels, b.Topology)
	}
	if len(near.Beside) > 0 {
		notNear = notNear || !slices.ContainsFunc(w.Templates, func(t Template) bool { return all(near.Beside, &t.Near) })
	}
	return noPlace, notNear
}

// barred reports whether a template's pods can never go to the pool's nodes.
func (s *site) barred() bool { return s.tainted || s.unwanted || s.noPlace || s.notNear }

// admits reports whether a template's pods may go to a pool's nodes, as far as these
// alone decide.
func (e *engine) admits(t, pool int32) bool {
	s := &e.sites[t][pool]
	return !s.tainted && !s.unwanted
}
