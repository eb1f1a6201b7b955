package retold

import (
	"cmp"
	"fmt"
	"math"
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
	Berths []Berth
	Lives  []Life
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
	n := &machine{pool: p, ordinal: h.made[p], until: h.now + h.f.Pools[p].Boot, turn: h.turn(), emptied: Never, life: len(h.out.Lives)}
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
		}
	}
	for _, n := range h.inTurn(func(n *machine) bool {
		return !n.gone && n.emptied != Never && n.emptied+h.f.Scaling.ShrinkAfter <= h.now
	}) {
		if h.count(n.pool) > h.f.Pools[n.pool].Least {
			n.gone, n.ready = true, false
			h.out.Lives[n.life].Gone = h.now
		}
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

// A space is what is left on a node, or would be.
type space struct{ cpu, memory, pods int }

func (h *harbour) empty(pool int) space {
	p := h.f.Pools[pool]
	return space{p.CPU - p.CPUTaken, p.Memory - p.MemoryTaken, p.Pods}
}

// left is what is left on a node beside the pods that are on it, or that it was promised to.
func (h *harbour) left(n *machine) space {
	s := h.empty(n.pool)
	for _, p := range h.pods {
		if p.node == n || p.booked == n {
			s = s.less(h.f.Kinds[p.kind])
		}
	}
	return s
}

func (s space) less(k Kind) space { return space{s.cpu - k.CPU, s.memory - k.Memory, s.pods - 1} }

func (s space) holds(k Kind) bool { return s.cpu >= k.CPU && s.memory >= k.Memory && s.pods >= 1 }

// inOrder lists pods without a node as the scheduler's queue has them.
func (h *harbour) inOrder() []*pod {
	var out []*pod
	for kind := range h.f.Kinds { // pods of one moment: by kind, then as they were made
		for _, p := range h.pods {
			if p.kind == kind && p.state == pending {
				out = append(out, p)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b *pod) int {
		return cmp.Or(cmp.Compare(h.f.Kinds[b.kind].Priority, h.f.Kinds[a.kind].Priority), cmp.Compare(a.created, b.created))
	})
	return out
}

// placeAll tries every pod that waits.
func (h *harbour) placeAll() {
	for _, p := range h.inOrder() {
		h.place(p)
	}
}

// place puts a pod on the node that is scored best of those that have room, the first by
// name among equals.
func (h *harbour) place(p *pod) {
	k := h.f.Kinds[p.kind]
	var best *machine
	top := -1
	for _, n := range h.byName() {
		if s := h.left(n); n.ready && k.Pools[n.pool] && s.holds(k) {
			if points := h.score(n.pool, s, k); points > top {
				best, top = n, points
			}
		}
	}
	if best != nil {
		p.node, p.booked, p.state, p.until, p.turn = best, nil, starting, h.now+h.f.Start, h.turn()
		best.emptied = Never
	}
}

func (h *harbour) byName() []*machine {
	out := slices.Clone(h.nodes)
	slices.SortFunc(out, func(a, b *machine) int {
		return cmp.Or(cmp.Compare(h.f.Pools[a.pool].Name, h.f.Pools[b.pool].Name), cmp.Compare(a.ordinal, b.ordinal))
	})
	return out
}

// score is how good a node with some space left is for one more pod: how much of it would be
// free, or taken, and how even CPU and memory would be.
func (h *harbour) score(pool int, s space, k Kind) int {
	whole := h.empty(pool)
	part := func(left, of int) int {
		if h.f.Scaling.Pack {
			return (of - left) * 100 / of
		}
		return left * 100 / of
	}
	then := s.less(k)
	even := func(s space) int {
		c, m := float64(whole.cpu-s.cpu)/float64(whole.cpu), float64(whole.memory-s.memory)/float64(whole.memory)
		return int((1 - math.Abs((c-m)/2)) * 100)
	}
	return (part(then.cpu, whole.cpu)+part(then.memory, whole.memory))/2 + 50 + (50+even(then)-even(s))/2
}

// scan has pods that have waited long enough promised room: on nodes that boot, then on new
// ones.
func (h *harbour) scan() {
	var list []*pod
	for _, p := range h.inOrder() {
		if p.booked == nil && p.created+h.f.Scaling.Patience <= h.now {
			list = append(list, p)
		}
	}
	booting := slices.DeleteFunc(h.byName(), func(n *machine) bool { return n.gone || n.ready })
	slices.SortStableFunc(booting, func(a, b *machine) int { return h.out.Lives[a.life].Asked - h.out.Lives[b.life].Asked })
	for _, n := range booting {
		list = h.fill(n, list)
	}
	set := h.cheapest(list)
	for len(list) > 0 {
		pool := Never
		if len(set) > 0 {
			pool, set = set[0], set[1:]
		} else if pool = h.choose(list); pool == Never {
			return
		}
		list = h.fill(h.ask(pool), list)
	}
}

// fill promises a node's room to the pods that it can take, in order, and returns the others.
func (h *harbour) fill(n *machine, list []*pod) (rest []*pod) {
	for _, p := range list {
		if k := h.f.Kinds[p.kind]; k.Pools[n.pool] && h.left(n).holds(k) {
			p.booked = n
		} else {
			rest = append(rest, p)
		}
	}
	return rest
}

// packs says which of the pods in list a new node would not take, and what it has left.
func (h *harbour) packs(pool int, list []*pod) (rest []*pod, left space) {
	left = h.empty(pool)
	for _, p := range list {
		if k := h.f.Kinds[p.kind]; k.Pools[pool] && left.holds(k) {
			left = left.less(k)
		} else {
			rest = append(rest, p)
		}
	}
	return rest, left
}

// choose is the pool that gains a node next, by the rule.
func (h *harbour) choose(list []*pod) int {
	best, least := Never, 0.0
	for pool, p := range h.f.Pools {
		rest, left := h.packs(pool, list)
		took := len(list) - len(rest)
		if h.count(pool) >= p.Most || took == 0 {
			continue
		}
		value := p.Price / float64(took)
		switch h.f.Scaling.Choose {
		case "listed":
			return pool
		case "tightest":
			whole := h.empty(pool)
			value = float64(left.cpu)/float64(whole.cpu) + float64(left.memory)/float64(whole.memory)
		}
		if best == Never || value < least || value == least && p.Name < h.f.Pools[best].Name {
			best, least = pool, value
		}
	}
	return best
}

// mostPacked is for how many pods the cheapest set of nodes is looked for.
const mostPacked = 24

// cheapest is the set of new nodes that takes most of the pods, for the least money, of
// equals that of fewest nodes, then the first by name. Every set is looked at.
func (h *harbour) cheapest(list []*pod) []int {
	var pools []int
	for pool, p := range h.f.Pools {
		if h.count(pool) < p.Most {
			pools = append(pools, pool)
		}
	}
	if h.f.Scaling.Choose != "cheapest" || len(list) < 2 || len(list) > mostPacked || len(pools) < 2 {
		return nil
	}
	slices.SortFunc(pools, func(a, b int) int { return cmp.Compare(h.f.Pools[a].Name, h.f.Pools[b].Name) })
	type set struct {
		nodes []int // places in pools
		left  int
		price float64
	}
	all := []set{{left: len(list)}}
	for i := 0; i < len(all); i++ { // every set with one node more, of the last pool or a later one
		s := all[i]
		rest := list
		for _, at := range s.nodes {
			rest, _ = h.packs(pools[at], rest)
		}
		from := 0
		if len(s.nodes) > 0 {
			from = s.nodes[len(s.nodes)-1]
		}
		for at := from; at < len(pools); at++ {
			has := 0
			for _, x := range s.nodes {
				if x == at {
					has++
				}
			}
			after, _ := h.packs(pools[at], rest)
			if p := h.f.Pools[pools[at]]; h.count(pools[at])+has < p.Most && len(after) < len(rest) {
				all = append(all, set{append(slices.Clone(s.nodes), at), len(after), s.price + p.Price})
			}
		}
	}
	best := slices.MinFunc(all, func(a, b set) int {
		price := cmp.Compare(a.price, b.price)
		if math.Abs(a.price-b.price) < 1e-9 {
			price = 0
		}
		return cmp.Or(cmp.Compare(a.left, b.left), price, cmp.Compare(len(a.nodes), len(b.nodes)), slices.Compare(a.nodes, b.nodes))
	})
	out := []int{}
	for _, at := range best.nodes {
		out = append(out, pools[at])
	}
	return out
}
