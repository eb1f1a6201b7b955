package world

// MostAgents is how many agents there can be at once, by template and of all together: by ceilings and
// limits, and by what goes on as many nodes as there may be, were they empty.
func (w *World) MostAgents() (each []int, all int) {
	each = make([]int, len(w.Templates))
	nodes := 0
	for p := range w.Pools {
		on := 0
		for t := range w.Templates {
			n := w.alone(t, p)
			each[t] += w.Pools[p].Max * n
			on = max(on, n)
		}
		nodes += w.Pools[p].Max * on
	}
	for t := range w.Templates {
		if _, high := w.Templates[t].Ceilings(); high >= 0 {
			each[t] = min(each[t], high)
		}
		for _, i := range w.LimitsOf(t) {
			each[t] = min(each[t], w.Limits[i].Agents)
		}
		if w.AgentCeiling >= 0 {
			each[t] = min(each[t], w.AgentCeiling)
		}
		all += each[t]
	}
	all = min(all, nodes)
	for _, l := range w.Limits {
		if len(l.Templates) == len(w.Templates) {
			all = min(all, l.Agents)
		}
	}
	if w.AgentCeiling >= 0 {
		all = min(all, w.AgentCeiling)
	}
	return each, all
}

// alone is how many agents of a template go on an empty node of a pool.
func (w *World) alone(t, p int) int {
	room, need := &w.Pools[p].Room, &w.Templates[t].Needs
	n := max(0, room.Pods)
	if need.CPU > 0 {
		n = min(n, max(0, int(room.CPU/need.CPU)))
	}
	if need.Memory > 0 {
		n = min(n, max(0, int(room.Memory/need.Memory)))
	}
	return n
}
