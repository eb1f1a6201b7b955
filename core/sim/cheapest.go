package sim

import (
	"slices"

	"tachyphor/core/document"
	"tachyphor/core/units"
)

const (
	// mostPacked is for how many pods that wait the cheapest set of nodes is looked for,
	// and mostTried how many sets are looked at; beyond that nodes are chosen one by one.
	mostPacked = 24
	mostTried  = 2000
)

// nodeSet is a search for the cheapest set of new nodes for pods that wait.
type nodeSet struct {
	e      *engine
	pools  []int32 // that may grow, by name
	room   []int   // by pool: how many nodes more it may have
	tried  int
	nodes  []int32 // of the set that is looked at, in the order of pools
	price  units.Price
	best   []int32
	left   int // pods that the best has no room for
	cost   units.Price
	needed [][]int32 // scratch by depth: pods without room
}

// cheapestSet returns the pools of the set of new nodes that takes most of the pods in
// list, for least: the cheapest, of equals that of fewest nodes, then the first by name.
// Nodes are filled in the order of the set, each with the pods that it can take in the
// order of the queue. It is empty where nodes are chosen by another rule, where pods look at
// their neighbours or at volumes of one node, and where there are too many pods or sets to
// look at all.
func (e *engine) cheapestSet(list []int32) []int32 {
	if e.w.Growth.Choose != document.Cheapest || e.near != nil || len(list) > mostPacked || len(list) < 2 {
		return nil
	}
	for _, a := range list {
		if len(e.w.Templates[e.agents[a].template].ClaimAt) > 0 {
			return nil
		}
	}
	s := nodeSet{e: e, room: make([]int, len(e.w.Pools)), left: len(list) + 1}
	for _, p := range poolsByName(e.w) {
		if e.mayGrow(p) {
			s.pools, s.room[p] = append(s.pools, p), e.w.Pools[p].Max-e.pools[p].count
		}
	}
	if len(s.pools) < 2 {
		return nil
	}
	if s.add(0, list); s.tried > mostTried {
		return nil
	}
	return s.best
}

// add looks at a set as it is, and at all that have one node more of the pool at first or
// a later one.
func (s *nodeSet) add(first int, list []int32) {
	if s.tried++; s.tried > mostTried {
		return
	}
	if n := len(list); n < s.left || n == s.left && (s.price < s.cost || s.price == s.cost && len(s.nodes) < len(s.best)) {
		s.left, s.cost, s.best = n, s.price, slices.Clone(s.nodes)
	}
	if len(list) == 0 {
		return
	}
	depth := len(s.nodes)
	if depth == len(s.needed) {
		s.needed = append(s.needed, nil)
	}
	for i := first; i < len(s.pools); i++ {
		p := s.pools[i]
		if s.room[p] == 0 || s.left == 0 && s.price+s.e.w.Pools[p].Price > s.cost {
			continue
		}
		rest := s.e.without(p, list, s.needed[depth][:0])
		s.needed[depth] = rest
		if len(rest) == len(list) {
			continue
		}
		s.nodes, s.price = append(s.nodes, p), s.price+s.e.w.Pools[p].Price
		s.room[p]--
		s.add(i, rest)
		s.room[p]++
		s.nodes, s.price = s.nodes[:depth], s.price-s.e.w.Pools[p].Price
	}
}

// without appends to rest the pods in list that a new node of a pool has no room for.
func (e *engine) without(p int32, list, rest []int32) []int32 {
	room := e.w.Pools[p].Room
	for i, a := range list {
		t := e.agents[a].template
		if !e.admits(t, p) || room.Lacks(&e.w.Templates[t].Needs).Short() {
			rest = append(rest, a)
			continue
		}
		if room.Take(&e.w.Templates[t].Needs, 1); room.Pods == 0 {
			return append(rest, list[i+1:]...)
		}
	}
	return rest
}
