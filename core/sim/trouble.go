package sim

import (
	"cmp"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// Trouble comes over many at once: spot nodes taken back in waves, pools without a node to give, a slow
// link, a controller that is away.

// planTrouble plans where the world's events begin and end.
func (e *engine) planTrouble() {
	for i := range e.w.Events {
		e.queue.plan(e.w.Events[i].From, troubleBegins, int32(i), 0)
	}
}

func (e *engine) troubleEvent(kind eventKind, i int32, wave uint32) {
	x := &e.w.Events[i]
	if kind == troubleWave {
		e.wave(i, wave)
		return
	}
	more := 1
	if kind == troubleEnds {
		more = -1
		e.active = slices.DeleteFunc(e.active, func(k int32) bool { return k == i })
	} else {
		e.active = append(e.active, i)
		e.queue.plan(x.To, troubleEnds, i, 0)
	}
	switch x.Kind {
	case world.SpotTaken:
		if more > 0 {
			e.wave(i, 0)
		}
	case world.NoCapacity:
		for _, p := range x.Pools {
			e.pools[p].barren += more
		}
	case world.Slow:
		e.slow(x.Link)
	case world.ControllerAway:
		if more > 0 {
			if x.Gone {
				e.forgetJobs(i)
			}
			e.controllerGoes()
		}
	}
}

// wave warns the nodes of a wave, and plans the next.
func (e *engine) wave(i int32, wave uint32) {
	x := &e.w.Events[i]
	if next := e.now + x.Every; x.Every > 0 && next < x.To {
		e.queue.plan(next, troubleWave, i, wave+1)
	}
	key := e.root.For(chance.Wave, x.Number, uint64(x.From)).For(chance.Wave, uint64(wave), 0)
	for n := range e.nodes {
		node := &e.nodes[n]
		if node.ready && !node.gone && !node.noticed && slices.Contains(x.Pools, node.pool) &&
			key.For(chance.Wave, e.w.Pools[node.pool].Key, uint64(node.ordinal)).Uniform() < x.Share {
			e.nodeNoticed(int32(n))
			e.trace.Hit[i]++
		}
	}
}

// slow sets the rates of a link by the events that are on now.
func (e *engine) slow(name string) {
	part := 1.0
	for _, i := range e.active {
		if x := &e.w.Events[i]; x.Kind == world.Slow && x.Link == name {
			part *= x.Part
		}
	}
	usual := newLinks(e.w)
	for _, l := range e.linksNamed(name) {
		link := &e.links[l]
		link.advance(e.now)
		link.total, link.each = usual[l].total*part, usual[l].each*part
		e.planFlow(l)
	}
}

// linksNamed are the ways that a link of a cluster has.
func (e *engine) linksNamed(name string) []int32 {
	switch name {
	case document.RegistryLink:
		return []int32{RegistryDown}
	case document.StoreLink:
		return []int32{StoreDown, StoreUp}
	}
	for i := range e.w.Links.Others {
		if e.w.Links.Others[i].Name == name {
			return []int32{int32(OtherLinks + i), e.upLink(i)}
		}
	}
	return nil
}

// goneTimes are the times in which the controller is away, in order and apart from each other.
func goneTimes(w *world.World) []demand.Stretch {
	var list []demand.Stretch
	for i := range w.Events {
		if w.Events[i].Kind == world.ControllerAway {
			list = append(list, w.Events[i].Stretch)
		}
	}
	return demand.Together(list)
}

// goneAfter is the first of those times that is not over at a moment, as an index.
func (e *engine) goneAfter(at units.Duration) int {
	i, _ := slices.BinarySearchFunc(e.gone, at, func(s demand.Stretch, at units.Duration) int { return cmp.Compare(s.To, at+1) })
	return i
}

// controllerBack is when the controller is back that is away at a moment; the moment itself where it is
// there.
func (e *engine) controllerBack(at units.Duration) units.Duration {
	if len(e.gone) == 0 {
		return at
	}
	if i := e.goneAfter(at); i < len(e.gone) && e.gone[i].From <= at {
		return e.gone[i].To
	}
	return at
}

// controllerGoes notes why jobs in the queues are held from now on.
func (e *engine) controllerGoes() {
	for t := range e.teams {
		team := &e.teams[t]
		if team.queue.len() > team.promised {
			team.held = append(team.held, heldSince{e.now, ControllerAway})
		}
	}
}

// recordUnseen books the time of a job up to the round that sees it first.
func (e *engine) recordUnseen(j int32, seen units.Duration) {
	if len(e.gone) > 0 {
		for _, x := range e.gone[e.goneAfter(e.trace.From(int(j))):] {
			if x.From >= seen {
				break
			}
			e.trace.spanTo(j, x.From, AwaitsRound, -1)
			e.trace.spanTo(j, min(x.To, seen), ControllerAway, -1)
		}
	}
	e.trace.spanTo(j, seen, AwaitsRound, -1)
}

// forgetJobs has the controller lose all that it knows: jobs that wait, and jobs at work with their agents.
func (e *engine) forgetJobs(i int32) {
	var waiting, working []int32
	for t := range e.teams {
		team := &e.teams[t]
		for k := range team.arrived {
			e.recordArrived(int32(t), k)
		}
		for k := range team.queue.len() {
			e.recordQueued(int32(t), k)
			waiting = append(waiting, team.queue.at(k).job)
		}
		waiting = append(waiting, team.arrived...)
		team.arrived, team.looked, team.promised, team.held = team.arrived[:0], 0, 0, team.held[:0]
		team.queue = jobQueue{}
	}
	for a := range e.agents {
		if e.agents[a].state == busy {
			working = append(working, int32(a))
		}
	}
	for _, a := range working {
		e.trace.Hit[i]++
		e.cut(a, Orphaned)
	}
	for _, j := range waiting {
		e.trace.Hit[i]++
		e.observeWaiting(-1)
		if e.again(j) {
			e.endJob(j, Orphaned)
			continue
		}
		e.trace.Records[j].Result = Forgotten
		e.open--
		e.follow(j, Forgotten)
	}
}
