package fleet

import "tachyphor/core/template"

// A Stance is what a site's nodes, which are all alike, are to the agents of one template.
type Stance struct {
	Tainted  bool      // barred by a taint
	Unwanted bool      // barred by selector or required affinity
	NoPlace  bool      // they have not a label over which its pods must be spread
	NotNear  bool      // they have not a label by which its pods must be beside others
	Disliked int64     // taints that would rather keep it off
	Liked    int64     // weights of the preferred terms that hold
	Short    Shortfall // of an empty one, for one agent
}

// Stance looks at a site for agents that need as much as need says.
func (s *Site) Stance(a *template.Agent, need *Need) Stance {
	x := Stance{
		Tainted: !a.Where.Tolerated(s.Taints), Unwanted: !a.Where.Matches(s.Labels),
		Disliked: a.Where.Disliked(s.Taints), Liked: a.Where.Liked(s.Labels), Short: s.Room.Lacks(need),
	}
	for _, r := range a.Near.Spread {
		x.NoPlace = x.NoPlace || r.Must && !template.HasPlace(s.Labels, r.Topology)
	}
	for _, r := range a.Near.Beside {
		x.NotNear = x.NotNear || !template.HasPlace(s.Labels, r.Topology)
	}
	return x
}

// Barred reports whether the agents can never go there, whatever room there is.
func (x *Stance) Barred() bool { return x.Tainted || x.Unwanted || x.NoPlace || x.NotNear }

// Takes reports whether an empty node takes an agent.
func (x *Stance) Takes() bool { return !x.Barred() && !x.Short.Short() }
