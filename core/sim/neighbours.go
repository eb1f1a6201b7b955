package sim

import (
	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/world"
)

// neighbours are the rules of templates' pods on one another (ports of the node, pod
// affinity, spreading), laid out as tallies of pods by place. A world whose templates
// have no such rule has none.
// Source: k8s.io/kubernetes v1.37, plugins/nodeports, podtopologyspread,
// interpodaffinity.
type neighbours struct {
	places  []places
	tallies []tally
	rules   []rules   // by template
	counted [][]int32 // by template: the tallies that its pods count in
}

// places are what one label divides the nodes into.
type places struct {
	label string
	each  bool    // every node is a place of its own
	of    []int32 // by pool: the place of its nodes; −1: they have not the label
	many  int32
}

// A tally adds up pods in each place.
type tally struct {
	at    int32   // index into places
	worth []int64 // by template: what one of its pods counts
	pools []bool  // whose nodes count
}

// rules are what one template's pods heed. Numbers are those of tallies.
type rules struct {
	any       bool
	ports     int32 // of pods that take one of its ports; −1: it takes none
	must, may []even
	beside    []int32 // of pods that every term means, by the term's label
	first     bool    // it is one of these itself
	apart     []int32 // of pods that it keeps apart from
	shun      []int32 // of pods that keep apart from it
	likes     []int32 // of what nearness to pods is worth
}

// even is one rule of spreading.
type even struct {
	tally int32
	skew  int64
	least int
	self  int64 // 1 where the pod is itself one of those that are spread
}

// meet lays out the rules of all templates; nil without any.
func meet(w *world.World, table [][]fleet.Stance) *neighbours {
	none := true
	for t := range w.Templates {
		none = none && w.Templates[t].Near.None()
	}
	if none {
		return nil
	}
	m := &neighbours{rules: make([]rules, len(w.Templates)), counted: make([][]int32, len(w.Templates))}
	for t := range w.Templates {
		m.rules[t] = m.lay(w, t, table[t])
	}
	for i := range m.tallies {
		for t, worth := range m.tallies[i].worth {
			if worth != 0 {
				m.counted[t] = append(m.counted[t], int32(i))
			}
		}
	}
	return m
}

// lay lays out the rules of template t.
func (m *neighbours) lay(w *world.World, t int, sites []fleet.Stance) rules {
	near := &w.Templates[t].Near
	r := rules{ports: -1}
	if len(near.Ports) > 0 {
		r.ports = m.tally(w, template.Hostname, nil, func(o *template.Neighbours) int64 { return one(near.Clashes(o)) })
	}
	r.must, r.may = m.spread(w, near, sites, true), m.spread(w, near, sites, false)
	for i := range near.Beside {
		r.beside = append(r.beside, m.tally(w, near.Beside[i].Topology, nil,
			func(o *template.Neighbours) int64 { return one(o.MeantByAll(near.Beside)) }))
	}
	r.first = near.MeantByAll(near.Beside)
	for i := range near.Apart {
		b := &near.Apart[i]
		r.apart = append(r.apart, m.tally(w, b.Topology, nil, func(o *template.Neighbours) int64 { return one(b.Means(o)) }))
	}
	// What others say of this one: by label.
	shun, likes := map[string]bool{}, map[string]bool{}
	for o := range w.Templates {
		other := &w.Templates[o].Near
		for _, b := range other.Apart {
			if b.Means(near) && !shun[b.Topology] {
				shun[b.Topology] = true
				r.shun = append(r.shun, m.tally(w, b.Topology, nil, func(x *template.Neighbours) int64 { return one(keepsApart(x, near, b.Topology)) }))
			}
		}
		for _, b := range wishes(other) {
			if !likes[b.Topology] {
				likes[b.Topology] = true
				r.likes = append(r.likes, m.tally(w, b.Topology, nil, func(x *template.Neighbours) int64 { return fondness(near, x, b.Topology) }))
			}
		}
	}
	r.any = r.ports >= 0 || len(r.must)+len(r.may)+len(r.beside)+len(r.apart)+len(r.shun)+len(r.likes) > 0
	return r
}

// spread lays out the rules by which a template's pods are spread, those that must hold
// or those that only count. A node counts that has the labels of all of these.
func (m *neighbours) spread(w *world.World, near *template.Neighbours, sites []fleet.Stance, must bool) (out []even) {
	for i := range near.Spread {
		s := &near.Spread[i]
		if s.Must != must {
			continue
		}
		counts := make([]bool, len(w.Pools))
		for p := range counts {
			counts[p] = !(s.Allowed && sites[p].Unwanted) && !(s.Tolerated && sites[p].Tainted)
			for _, o := range near.Spread {
				counts[p] = counts[p] && (o.Must != must || template.HasPlace(w.Pools[p].Labels, o.Topology))
			}
		}
		n := m.tally(w, s.Topology, counts, func(o *template.Neighbours) int64 { return one(s.Means(near.Namespace, o)) })
		out = append(out, even{n, s.MaxSkew, s.Least, one(s.Selector.Matches(near.Labels))})
	}
	return out
}

// tally makes a tally by a label, of the nodes of some pools; nil: of all.
func (m *neighbours) tally(w *world.World, label string, pools []bool, worth func(*template.Neighbours) int64) int32 {
	t := tally{at: m.place(w, label), pools: pools}
	for o := range w.Templates {
		t.worth = append(t.worth, worth(&w.Templates[o].Near))
	}
	m.tallies = append(m.tallies, t)
	return int32(len(m.tallies) - 1)
}

// place finds how a label divides the nodes.
func (m *neighbours) place(w *world.World, label string) int32 {
	for i := range m.places {
		if m.places[i].label == label {
			return int32(i)
		}
	}
	k := places{label: label, each: label == template.Hostname}
	values := map[string]int32{}
	for p := range w.Pools {
		v, ok := w.Pools[p].Labels[label]
		if _, known := values[v]; ok && !known {
			values[v] = k.many
			k.many++
		}
		if ok {
			k.of = append(k.of, values[v])
		} else {
			k.of = append(k.of, -1)
		}
	}
	m.places = append(m.places, k)
	return int32(len(m.places) - 1)
}

func one(yes bool) int64 {
	if yes {
		return 1
	}
	return 0
}

// keepsApart reports whether x keeps apart from y by a label.
func keepsApart(x, y *template.Neighbours, label string) bool {
	for i := range x.Apart {
		if b := &x.Apart[i]; b.Topology == label && b.Means(y) {
			return true
		}
	}
	return false
}

// wishes are a pod's terms that count when nodes are scored.
func wishes(n *template.Neighbours) []template.Beside {
	out := append([]template.Beside(nil), n.Beside...)
	for _, l := range n.Likes {
		out = append(out, l.Beside)
	}
	return out
}

// requiredWorth is what a pod that must be beside another counts for that other's
// place.
const requiredWorth = 1

// fondness is what being near x, by a label, is worth to a pod: what it says of x, and
// x of it.
func fondness(pod, x *template.Neighbours, label string) (n int64) {
	for i := range pod.Likes {
		if l := &pod.Likes[i]; l.Topology == label && l.Means(x) {
			n += l.Weight
		}
	}
	for i := range x.Likes {
		if l := &x.Likes[i]; l.Topology == label && l.Means(pod) {
			n += l.Weight
		}
	}
	for i := range x.Beside {
		if b := &x.Beside[i]; b.Topology == label && b.Means(pod) {
			n += requiredWorth
		}
	}
	return n
}
