package retold

import (
	"cmp"
	"fmt"
	"slices"
)

// A Pool is nodes that are alike and may come and go. Boot is in seconds.
type Pool struct {
	Name                  string
	CPU, Memory, Pods     int // of a node: thousandths of a core, MiB
	Price                 float64
	Least, Most, Boot     int
	CPUTaken, MemoryTaken int // by what runs on every node
}

// A Kind is pods that are alike. Pools are those that it may go to, by the order of the
// world's.
type Kind struct {
	CPU, Memory, Priority int
	Pools                 []bool
}

// A Scaling is how pools grow and shrink, in seconds.
type Scaling struct {
	Scan, Patience, ShrinkAfter int
	Choose                      string // cheapest, tightest or listed
	Pack                        bool   // pods go where most is taken, not least
	DrainBelow                  float64
}

// A Fleet is what pods are placed on: every job has a pod of its own, asked for when it is
// submitted; one that has joined takes the first job of its kind that waits, and goes when
// that is done and cleaned up after.
type Fleet struct {
	Pools       []Pool
	Kinds       []Kind
	Jobs        []Job // by kind, in Template
	Scaling     Scaling
	Start, Wipe int // seconds from a pod's having a node to its joining, 1 at least; and to clean up
	Last        int // what is not over by then is left
}

// A Berth is where and when a job began. A Life is a node's; Ready and Gone are Never where it
// did not come to that.
type (
	Berth struct {
		Started int
		Node    string
	}
	Life struct {
		Name               string
		Asked, Ready, Gone int
	}
)

// A NodesTold is what happened.
type NodesTold struct {
	Berths            []Berth
	Lives             []Life
	Emptied, Reopened int // nodes that began to empty, and that were opened again
}

type podState int

const (
	pending podState = iota
	starting
	atWork
	cleaning
	over
)

type pod struct {
	kind, created int
	state         podState
	node, booked  *machine
	until, turn   int
	job           int
}

type machine struct {
	pool, ordinal int
	ready, gone   bool
	until         int // when it is ready
	turn          int
	emptied       int // since when it has no pods; Never while it has
	little        int // since when it is used little; Never while it is not
	closing       bool
	life          int // index into what is told
}

type harbour struct {
	f     Fleet
	now   int
	pods  []*pod
	nodes []*machine
	queue [][]int // by kind: jobs that wait
	made  []int
	turns int
	out   NodesTold
}

// Nodes tells what becomes of a fleet.
func Nodes(f Fleet) NodesTold {
	h := &harbour{f: f, queue: make([][]int, len(f.Kinds)), made: make([]int, len(f.Pools))}
	h.out.Berths = make([]Berth, len(f.Jobs))
	for i := range h.out.Berths {
		h.out.Berths[i].Started = Never
	}
	order := make([]int, len(f.Pools))
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(f.Pools[a].Name, f.Pools[b].Name) })
	for _, p := range order {
		for range f.Pools[p].Least {
			n := h.ask(p)
			n.until = 0
		}
	}
	for h.now = 0; h.now <= f.Last; h.now++ {
		h.second()
		if h.now > f.Jobs[len(f.Jobs)-1].Submitted && !slices.ContainsFunc(h.pods, func(p *pod) bool { return p.state != over }) {
			break
		}
	}
	return h.out
}

// turn numbers what happens, so that what ends in one second ends in the order in which it
// began.
func (h *harbour) turn() int {
	h.turns++
	return h.turns
}

func (h *harbour) ask(p int) *machine {
	h.made[p]++
	n := &machine{pool: p, ordinal: h.made[p], until: h.now + h.f.Pools[p].Boot, turn: h.turn(), emptied: Never, little: Never, life: len(h.out.Lives)}
	h.nodes = append(h.nodes, n)
	h.out.Lives = append(h.out.Lives, Life{Name: h.name(n), Asked: h.now, Ready: Never, Gone: Never})
	return n
}

func (h *harbour) name(n *machine) string {
	return fmt.Sprintf("%s-%03d", h.f.Pools[n.pool].Name, n.ordinal)
}

// second tells one second: nodes that get ready, pods that join, work and cleaning that end,
// nodes that go, jobs that come, and the look at pods that wait.
func (h *harbour) second() {
	fresh := h.inTurn(func(n *machine) bool { return !n.gone && !n.ready && n.until == h.now })
	for _, n := range fresh {
		n.ready = true
		h.out.Lives[n.life].Ready = h.now
		for _, p := range h.pods {
			if p.booked == n {
				p.booked = nil
			}
		}
		h.placeAll()
		if h.on(n) == 0 {
			n.emptied, n.turn = h.now, h.turn()
		}
	}
	for _, n := range fresh { // which pull what runs on every node first, the pods' image too
		mine := slices.DeleteFunc(slices.Clone(h.pods), func(p *pod) bool { return p.node != n })
		slices.SortFunc(mine, func(a, b *pod) int { return a.turn - b.turn })
		for _, p := range mine {
			p.turn = h.turn()
		}
	}
	for _, p := range h.ending(starting) {
		j := h.queue[p.kind][0]
		h.queue[p.kind] = h.queue[p.kind][1:]
		p.state, p.job, p.until, p.turn = atWork, j, h.now+h.f.Jobs[j].Work, h.turn()
		h.out.Berths[j] = Berth{h.now, h.name(p.node)}
	}
	for _, p := range h.ending(atWork) {
		p.state, p.until, p.turn = cleaning, h.now+h.f.Wipe, h.turn()
	}
	for _, p := range h.ending(cleaning) {
		n := p.node
		p.state, p.node = over, nil
		h.placeAll()
		if h.on(n) == 0 {
			n.emptied, n.turn = h.now, h.turn()
			if n.closing && h.count(n.pool) > h.f.Pools[n.pool].Least {
				h.goes(n)
			}
		}
	}
	for _, n := range h.inTurn(func(n *machine) bool {
		return !n.gone && n.emptied != Never && n.emptied+h.f.Scaling.ShrinkAfter <= h.now
	}) {
		if h.count(n.pool) > h.f.Pools[n.pool].Least {
			h.goes(n)
		}
	}
	if h.f.Scaling.DrainBelow > 0 && h.now > 0 && h.now%h.f.Scaling.Scan == 0 {
		h.emptying()
	}
	for j, job := range h.f.Jobs {
		if job.Submitted == h.now {
			h.queue[job.Template] = append(h.queue[job.Template], j)
			p := &pod{kind: job.Template, created: h.now, job: Never}
			h.pods = append(h.pods, p)
			h.place(p)
		}
	}
	if h.now%h.f.Scaling.Scan == 0 {
		h.scan()
	}
}

func (h *harbour) goes(n *machine) {
	n.gone, n.ready = true, false
	h.out.Lives[n.life].Gone = h.now
}

func (h *harbour) inTurn(is func(*machine) bool) []*machine {
	var out []*machine
	for _, n := range h.nodes {
		if is(n) {
			out = append(out, n)
		}
	}
	slices.SortFunc(out, func(a, b *machine) int { return a.turn - b.turn })
	return out
}

func (h *harbour) ending(s podState) []*pod {
	var out []*pod
	for _, p := range h.pods {
		if p.state == s && p.until == h.now {
			out = append(out, p)
		}
	}
	slices.SortFunc(out, func(a, b *pod) int { return a.turn - b.turn })
	return out
}

// on counts the pods on a node.
func (h *harbour) on(n *machine) int {
	k := 0
	for _, p := range h.pods {
		if p.node == n {
			k++
		}
	}
	return k
}

// count counts a pool's nodes, booting ones too.
func (h *harbour) count(pool int) int {
	k := 0
	for _, n := range h.nodes {
		if n.pool == pool && !n.gone {
			k++
		}
	}
	return k
}
