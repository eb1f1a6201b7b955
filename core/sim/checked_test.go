package sim

import (
	"fmt"
	"slices"

	"tachyphor/core/fleet"
	"tachyphor/core/template"
	"tachyphor/core/units"
)

func init() { checked = audit }

// audit panics when the parts of a run's state do not agree: nodes' room with the
// pods on them, teams with their agents, queues with the jobs that wait, the quota,
// claims, links and the cache store with those who use them.
func audit(e *engine) {
	fail := func(format string, args ...any) {
		panic("sim: at " + e.now.String() + ": " + fmt.Sprintf(format, args...))
	}
	type sums struct {
		room          fleet.Room
		pods          int32
		memory        units.Bytes
		wanted        int64
		workers       int
		total, coming int
		idle          int
	}
	if e.trace.spans.n%3 == 0 { // now and then, so that several changes come together
		for t := range e.place.rankings {
			if !e.place.rankings[t].on {
				continue
			}
			if ranked, looked := e.bestRanked(int32(t)), e.bestOfAll(int32(t), -1, false); ranked != looked {
				fail("a pod of template %d would go to node %d by rank, to %d by looking at all", t, ranked, looked)
			}
		}
	}
	nodes, teams, forms := make([]sums, len(e.nodes)), make([]sums, len(e.teams)), make([]int, len(e.w.Templates))
	for n := range e.nodes {
		nodes[n].room = e.w.Pools[e.nodes[n].pool].Room
		if e.w.Hosted(e.nodes[n].pool, e.nodes[n].ordinal) {
			nodes[n].room.Take(&e.w.Host.Needs, 1)
		}
		for t, k := range e.nodes[n].holders {
			for range k {
				nodes[n].room.Take(&e.w.Templates[t].Needs, 1)
			}
		}
	}
	claims, used := make([]int, len(e.claims)), quotaUse{}
	cpu := int64(0)
	for a := range e.agents {
		g := &e.agents[a]
		if g.state == gone {
			continue
		}
		t := &e.w.Templates[g.template]
		team := &teams[g.team]
		team.total++
		used.pods++
		used.CPU, used.Memory = used.CPU+t.Request.CPU, used.Memory+t.Request.Memory
		switch g.state {
		case unplaced, pulling, starting, joining:
			team.coming++
		case idle:
			team.idle++
		}
		if (g.node < 0) != (g.state == unplaced) {
			fail("agent %d in state %d is on node %d", a, g.state, g.node)
		}
		if (g.job >= 0) != (g.state == busy || g.state == wiping) {
			fail("agent %d in state %d has job %d", a, g.state, g.job)
		}
		if g.node < 0 {
			forms[g.template]++
			continue
		}
		if e.nodes[g.node].gone {
			fail("agent %d is on node %d, which is gone", a, g.node)
		}
		s := &nodes[g.node]
		s.pods++
		s.room.Take(&t.Needs, 1)
		for _, c := range t.ClaimAt {
			claims[c]++
			if e.claims[c].node != g.node {
				fail("volume %d is on node %d, agent %d on %d", c, e.claims[c].node, a, g.node)
			}
		}
		if g.state == busy {
			s.memory += g.run.held
			if e.w.Sharing && g.run.step == working {
				s.workers++
				s.wanted += g.run.cap
				cpu += g.run.rate
			}
		}
	}
	for n := range e.nodes {
		node, s := &e.nodes[n], &nodes[n]
		if node.gone {
			continue
		}
		if node.left != s.room || node.pods != s.pods {
			fail("node %d has %v left for %d pods, its pods say %v and %d", n, node.left, node.pods, s.room, s.pods)
		}
		if !(node.left.CPU >= 0 && node.left.Memory >= 0 && node.left.Pods >= 0) {
			fail("node %d is overbooked: %v", n, node.left)
		}
		if !(node.memory == s.memory && node.wanted == s.wanted && len(node.workers) == s.workers) {
			fail("node %d: memory %d, wanted %d, %d workers; its agents say %d, %d, %d",
				n, node.memory, node.wanted, len(node.workers), s.memory, s.wanted, s.workers)
		}
		size := units.Bytes(0)
		for l, state := range node.shelf.layers {
			if state == -1 {
				size += e.w.Layers[l]
			}
		}
		if node.shelf.size != size {
			fail("node %d holds %d bytes of images, its layers are %d", n, node.shelf.size, size)
		}
	}
	for t := range e.teams {
		team, s := &e.teams[t], &teams[t]
		if !(team.total == s.total && team.coming == s.coming && team.idle == s.idle) {
			fail("team %d: %d, %d coming, %d idle; its agents say %d, %d, %d", t, team.total, team.coming, team.idle, s.total, s.coming, s.idle)
		}
		if team.promised > min(team.coming, team.queue.len()) {
			fail("team %d has promised %d of %d coming to %d waiting", t, team.promised, team.coming, team.queue.len())
		}
		if stuck := e.stuckOf(int32(t)); !slices.IsSortedFunc(stuck, func(a, b int32) int { return int(e.agents[a].ordinal - e.agents[b].ordinal) }) {
			fail("team %d: pods without a node are out of order", t)
		}
		for i := 1; i < team.queue.len(); i++ {
			if e.jobBefore(team.queue.at(i).job, team.queue.at(i-1).job) {
				fail("team %d: the queue is out of order at %d", t, i)
			}
		}
	}
	for f, n := range forms {
		if len(e.place.pending[f]) != n {
			fail("%d pods of template %d wait for a node, %d agents have none", len(e.place.pending[f]), f, n)
		}
	}
	if used != e.used {
		fail("the quota counts %v, the agents are %v", e.used, used)
	}
	if cpu != e.cpu {
		fail("%d µcores in use, the agents say %d", e.cpu, cpu)
	}
	for c := range claims {
		if e.claims[c].pods != claims[c] {
			fail("claim %d has %d pods, %d use it", c, e.claims[c].pods, claims[c])
		}
	}
	auditNeighbours(e, fail)
	stored := units.Bytes(0)
	for _, x := range e.cache.entries {
		if x.there {
			stored += x.size
		}
	}
	if stored != e.cache.stored {
		fail("the store holds %d bytes, its entries are %d", e.cache.stored, stored)
	}
}

// auditNeighbours holds what is counted of neighbours against the pods themselves, and
// pods against each other: none has a port that another of its node has, none is near
// one that it keeps apart from.
func auditNeighbours(e *engine, fail func(string, ...any)) {
	if e.near == nil {
		return
	}
	here, coming := newCensus(len(e.near.tallies)), newCensus(len(e.near.tallies))
	var pods []*agent
	for a := range e.agents {
		switch g := &e.agents[a]; {
		case g.state == gone:
		case g.node >= 0:
			pods = append(pods, g)
			e.near.count(&here, g.template, g.node, e.nodes[g.node].pool, 1)
		case g.waitNode >= 0:
			e.near.count(&coming, g.template, g.waitNode, e.nodes[g.waitNode].pool, 1)
		}
	}
	for i := range e.near.tallies {
		if !(here.all[i] == e.near.here.all[i] && coming.all[i] == e.near.coming.all[i]) {
			fail("tally %d has %d here and %d coming, the pods are %d and %d",
				i, e.near.here.all[i], e.near.coming.all[i], here.all[i], coming.all[i])
		}
		for place := range max(len(e.near.here.in[i]), len(e.near.coming.in[i])) {
			p := int32(place)
			if !(here.at(int32(i), p) == e.near.here.at(int32(i), p) && coming.at(int32(i), p) == e.near.coming.at(int32(i), p)) {
				fail("tally %d is wrong in place %d", i, p)
			}
		}
	}
	for i, g := range pods {
		x := &e.w.Templates[g.template].Near
		for _, o := range pods[:i] {
			y := &e.w.Templates[o.template].Near
			if !(g.node != o.node || !x.Clashes(y)) {
				fail("two pods on node %d have the same port", g.node)
			}
			for _, pair := range [][2]*template.Neighbours{{x, y}, {y, x}} {
				for _, b := range pair[0].Apart {
					if !b.Means(pair[1]) {
						continue
					}
					v, has := e.w.Pools[e.nodes[g.node].pool].Labels[b.Topology]
					u, also := e.w.Pools[e.nodes[o.node].pool].Labels[b.Topology]
					near := has && also && u == v
					if b.Topology == template.Hostname {
						near = g.node == o.node
					}
					if near {
						fail("pods on nodes %d and %d should be apart by %s", g.node, o.node, b.Topology)
					}
				}
			}
		}
	}
}
