package sim

import (
	"fmt"
	"slices"

	"tachyphor/core/chance"
	"tachyphor/core/template"
	"tachyphor/core/units"
	"tachyphor/core/world"
)

// A Use is what a part of a node is used for.
type Use uint8

// What node time is spent on.
const (
	UseWork       Use = iota // agents at work, and cleaning up after it
	UseStart                 // agents on their way: images, containers, joining
	UseLost                  // attempts of jobs that were cut short
	UseIdle                  // agents waiting for a job
	UseStranded              // room too small for any agent
	UseEmpty                 // room that no agent has asked for, and nodes booting
	UseController            // room of the controller
	Uses                     // how many there are
)

// UseNames are the uses' names in order.
var UseNames = [Uses]string{"work", "start", "lost", "idle", "stranded", "empty", "controller"}

// Shares of a node are counted in 1/1024, times in microseconds, so that a node
// year fits into 63 bits.
const wholeNode = 1024

// A ledger sums up what the shares of one node were used for within the window
// of the figures.
type ledger struct {
	// share[u] is what agents in use u ask of the node now; its sum is at most
	// wholeNode.
	share [Uses]int64
	spent [Uses]int64 // share · µs up to since; UseEmpty stays 0, it is the rest
	since units.Duration
}

// A NodeLife is what a node was from being asked for to its end, within the
// window of the figures.
type NodeLife struct {
	Pool, Ordinal int32
	Asked, Ready  units.Duration // Ready is below 0 when it never was
	Gone          units.Duration // end of the run for those still there
	Billed        units.Duration // of its life, within the window
	Extra         units.Duration // paid for on top, up to the least charge or the end of a step of billing
	// Spent is what its time went to, in 1/1024 node · µs; it adds up to
	// 1024 · the window's microseconds of its life.
	Spent [Uses]int64
}

func (l NodeLife) check() error {
	var sum int64
	for u, s := range l.Spent {
		if s < 0 {
			return fmt.Errorf("time spent on %s is negative", UseNames[u])
		}
		sum += s
	}
	if most := wholeNode * (int64(l.Billed+l.Extra)/1000 + 1); sum > most || sum < most-2*wholeNode {
		return fmt.Errorf("uses add up to %d, its life to %d", sum, most)
	}
	return nil
}

// use says what an agent's state uses its node for.
func (s agentState) use() Use {
	switch s {
	case idle:
		return UseIdle
	case busy, wiping:
		return UseWork
	default:
		return UseStart
	}
}

// mostAgents notes how many agents there are; it is called where that is about to fall, or has
// risen.
func (e *engine) mostAgents() {
	if e.now >= e.w.Plan.Warmup {
		e.trace.MostAgents = max(e.trace.MostAgents, e.total)
	}
}

// clip moves a moment into the window.
func (e *engine) clip(t units.Duration) units.Duration {
	return min(max(t, e.w.Plan.Warmup), e.w.Plan.Span)
}

// settle books the time since the last change.
func (e *engine) settle(l *ledger) {
	from, to := int64(e.clip(l.since))/1000, int64(e.clip(e.now))/1000
	if to > from {
		for u, s := range l.share {
			l.spent[u] += s * (to - from)
		}
	}
	l.since = e.now
}

// shareOf is the part of a pool's node that a request takes, in 1/1024: the mean
// of its parts of CPU and memory, so that the shares on a node never exceed it.
func shareOf(q template.Request, p *world.Pool) int64 {
	room := &p.Room
	return int64(q.CPU)*(wholeNode/2)/max(1, int64(room.CPU)) +
		int64(float64(q.Memory)/float64(max(1, room.Memory))*(wholeNode/2))
}

// shares returns shareOf for each template and pool.
func shares(w *world.World) [][]int64 {
	out := make([][]int64, len(w.Templates))
	for t := range w.Templates {
		for p := range w.Pools {
			out[t] = append(out[t], shareOf(w.Templates[t].Request, &w.Pools[p]))
		}
	}
	return out
}

// moveShare books that agent g's share goes from one use to another.
func (e *engine) moveShare(g *agent, to agentState) {
	if g.node < 0 {
		return
	}
	node := &e.nodes[g.node]
	from := g.state
	if from != unplaced && to != gone && from.use() == to.use() {
		return
	}
	e.settle(&node.ledger)
	s := e.shares[g.template][node.pool]
	if from != unplaced {
		node.ledger.share[from.use()] -= s
	}
	if to != gone {
		node.ledger.share[to.use()] += s
	}
}

// closeNode ends a node's ledger and enters it into the trace.
func (e *engine) closeNode(n int32) {
	node := &e.nodes[n]
	e.settle(&node.ledger)
	pool := &e.w.Pools[node.pool]
	end := e.now
	if node.gone && !node.failed {
		end += e.draw(pool.GoingTime, chance.Going, pool.Key, uint64(node.ordinal))
	}
	from, to := e.clip(node.asked), e.clip(end)
	life := NodeLife{
		Pool: node.pool, Ordinal: node.ordinal, Asked: node.asked, Ready: -1, Gone: end,
		Billed: max(0, to-from), Spent: node.ledger.spent,
	}
	if node.readyAt > 0 || node.ready || node.gone {
		life.Ready = node.readyAt
	}
	if node.asked >= e.w.Plan.Warmup && node.asked < e.w.Plan.Span {
		life.Extra = max(0, pool.Least-(end-node.asked))
	}
	if step := pool.BilledBy; step > 0 && node.gone && end >= e.w.Plan.Warmup && end < e.w.Plan.Span {
		life.Extra = max(life.Extra, (step-(end-node.asked)%step)%step)
	}
	rest := wholeNode * (int64(to)/1000 - int64(from)/1000 + int64(life.Extra)/1000)
	for _, s := range life.Spent {
		rest -= s
	}
	life.Spent[UseEmpty] = rest
	e.trace.Nodes[n] = life
	if end > e.now { // it counts as a node until then
		e.queue.plan(end, nodeGone, node.pool, 0)
		return
	}
	e.observeNode(node.pool, -1)
}

// share is what agent g takes of its node.
func (e *engine) share(g *agent) int64 { return e.shares[g.template][e.nodes[g.node].pool] }

// microseconds are those of the window between two moments, as ledgers count them.
func (e *engine) microseconds(from, to units.Duration) int64 {
	return int64(e.clip(to))/1000 - int64(e.clip(from))/1000
}

// loseTime books what busy agent g has done for its job as lost.
func (e *engine) loseTime(g *agent) {
	l := &e.nodes[g.node].ledger
	e.settle(l)
	began := g.run.began
	n := e.share(g) * e.microseconds(began, e.now)
	l.spent[UseWork] -= n
	l.spent[UseLost] += n
}

// strand notes whether what is left of a node is too small for any agent that there
// may be.
func (e *engine) strand(n int32) {
	node := &e.nodes[n]
	l := &node.ledger
	taken := int64(0)
	for u, s := range l.share {
		if Use(u) != UseStranded {
			taken += s
		}
	}
	stranded := max(0, wholeNode-taken)
	if node.holders != nil || !slices.Contains(e.wanted, true) { // what placeholders take is there for agents; and without jobs nothing is too small
		stranded = 0
	}
	for t := range e.w.Templates {
		if !e.wanted[t] {
			continue
		}
		if e.admits(int32(t), node.pool) && !node.left.Lacks(&e.w.Templates[t].Needs).Short() {
			stranded = 0
			break
		}
	}
	if stranded != l.share[UseStranded] {
		e.settle(l)
		l.share[UseStranded] = stranded
	}
}
