package sim

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/template"
)

// A Verdict says why a pod fitted on no node, in the scheduler's manner: how
// many nodes there were and how many failed for each reason. Reasons are looked at in
// the scheduler's order, and a node that fails one is not looked at further; one
// without room may lack several things. Verdicts are comparable.
type Verdict struct {
	Template                 int32
	Nodes                    int32
	Closed, Taints, Affinity int32
	Ports                    int32
	CPU, Memory, Disk, Pods  int32
	Volumes                  int32
	Uneven, NoPlace          int32 // by how they are spread; without a label of it
	Beside, Apart, Unwelcome int32
	Extended                 [fleet.MostExtended]int32
}

// Words writes the verdict as the scheduler does; names are the world's extended
// resources.
func (v Verdict) Words(names []string) string {
	reasons := []string{}
	add := func(n int32, what string) {
		if n > 0 {
			reasons = append(reasons, fmt.Sprintf("%d %s", n, what))
		}
	}
	add(v.Closed, "node(s) were unschedulable")
	add(v.Taints, "node(s) had untolerated taint(s)")
	add(v.Affinity, "node(s) didn't match Pod's node affinity/selector")
	add(v.Ports, "node(s) didn't have free ports for the requested pod ports")
	add(v.Volumes, "node(s) had volume node affinity conflict")
	add(v.Uneven, "node(s) didn't match pod topology spread constraints")
	add(v.NoPlace, "node(s) didn't match pod topology spread constraints (missing required label)")
	add(v.Beside, "node(s) didn't match pod affinity rules")
	add(v.Apart, "node(s) didn't match pod anti-affinity rules")
	add(v.Unwelcome, "node(s) didn't satisfy existing pods anti-affinity rules")
	add(v.CPU, "Insufficient cpu")
	add(v.Memory, "Insufficient memory")
	add(v.Disk, "Insufficient ephemeral-storage")
	add(v.Pods, "Too many pods")
	for i, name := range names {
		add(v.Extended[i], "Insufficient "+name)
	}
	slices.Sort(reasons)
	if len(reasons) == 0 {
		return fmt.Sprintf("0/%d nodes are available.", v.Nodes)
	}
	return fmt.Sprintf("0/%d nodes are available: %s.", v.Nodes, strings.Join(reasons, ", "))
}

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

// barred reports whether a template's pods can never go to the pool's nodes.
func (s *site) barred() bool { return s.tainted || s.unwanted || s.noPlace || s.notNear }

// admits reports whether a template's pods may go to a pool's nodes, as far as these
// alone decide.
func (e *engine) admits(t, pool int32) bool {
	s := &e.sites[t][pool]
	return !s.tainted && !s.unwanted
}

// placement is the scheduler's view: nodes that are ready, by name, and pods
// that fitted nowhere, for each template in the order of their making.
type placement struct {
	ready    []int32 // nodes, ascending by pool's name and ordinal
	able     []int32 // scratch of able
	pending  [][]int32
	verdicts map[Verdict]int32
	// holding[i] counts the ready nodes that hold image i.
	holding []int32
	// ratings are, by template and node, what is known of the node for one more of
	// the template's pods; whatever changes the node makes it unrated.
	ratings [][]rating
}

// A rating is what one node is worth to one template's pods.
type rating struct {
	points int32 // of its resources and its pool; unrated, or unfit when it may not go there
	holds  bool  // the node holds some of the template's images
}

const (
	unrated = -1
	unfit   = -2
)

// changed makes a node unrated.
func (e *engine) changed(n int32) {
	for t := range e.place.ratings {
		e.place.ratings[t][n].points = unrated
	}
}

// rate rates a node for one more pod of a template.
func (e *engine) rate(t, n int32) rating {
	node, tm := &e.nodes[n], &e.w.Templates[t]
	if node.closed || !e.admits(t, node.pool) || node.left.Lacks(&tm.need).Short() {
		return rating{points: unfit}
	}
	r := rating{points: int32(e.score(node, tm))}
	for _, i := range tm.images {
		r.holds = r.holds || node.shelf.images[i]
	}
	return r
}

// bestNode returns the node that is scored best for a pod of a template of those that
// it may go to, the first by name among equals, leaving one out; -1 when there is none.
// A placeholder has no neighbours.
func (e *engine) bestNode(t, except int32, placeholder bool) int32 {
	able := e.able(t, except, placeholder)
	if len(able) == 0 {
		return -1
	}
	ratings, tm := e.place.ratings[t], &e.w.Templates[t]
	most := e.extremes(t, able)
	var liking []int64
	if !placeholder && e.heeds(t) {
		liking = e.liking(t, able)
	}
	best, top := int32(-1), int64(-1)
	for i, n := range able {
		r := &ratings[n]
		points := int64(r.points)
		if r.holds {
			points += localityWeight * e.locality(&e.nodes[n], tm)
		}
		if e.picky[t] {
			points += e.sites[t][e.nodes[n].pool].preference(most)
		}
		if liking != nil {
			points += liking[i]
		}
		if points > top {
			best, top = n, points
		}
	}
	return best
}

// able lists the nodes that a pod of a template may go to, by name.
func (e *engine) able(t, except int32, placeholder bool) []int32 {
	list, ratings, tm := e.place.able[:0], e.place.ratings[t], &e.w.Templates[t]
	heeds := !placeholder && e.heeds(t)
	var lowest []int64
	if heeds {
		lowest = e.lowest(t, false)
	}
	for _, n := range e.place.ready {
		if ratings[n].points == unrated {
			ratings[n] = e.rate(t, n)
		}
		switch pool := e.nodes[n].pool; {
		case ratings[n].points == unfit || n == except:
		case len(tm.claims) > 0 && e.elsewhere(t, n):
		case heeds && (e.portTaken(t, n, pool, false) || e.kept(t, n, pool, lowest, false) != open):
		default:
			list = append(list, n)
		}
	}
	e.place.able = list
	return list
}

// refusal says why a pod of a template fits nowhere.
func (e *engine) refusal(template int32) Verdict {
	t := &e.w.Templates[template]
	v := Verdict{Template: template, Nodes: int32(len(e.place.ready))}
	heeds := e.heeds(template)
	var lowest []int64
	if heeds {
		lowest = e.lowest(template, false)
	}
	for _, n := range e.place.ready {
		node := &e.nodes[n]
		s, short := &e.sites[template][node.pool], node.left.Lacks(&t.need)
		switch {
		case node.closed:
			v.Closed++
		case s.tainted:
			v.Taints++
		case s.unwanted:
			v.Affinity++
		case heeds && e.portTaken(template, n, node.pool, false):
			v.Ports++
		case short.Short():
			v.count(&short)
		case len(t.claims) > 0 && e.elsewhere(template, n):
			v.Volumes++
		case heeds:
			v.bar(e.kept(template, n, node.pool, lowest, false))
		}
	}
	return v
}

// bar counts what neighbours keep a pod off one node for.
func (v *Verdict) bar(b bar) {
	switch b {
	case noPlace:
		v.NoPlace++
	case uneven:
		v.Uneven++
	case notBeside:
		v.Beside++
	case notApart:
		v.Apart++
	case unwelcome:
		v.Unwelcome++
	case open:
	}
}

// submitPod tries to place agent a's pod, behind pods of its template that wait.
func (e *engine) submitPod(a int32) {
	t := e.agents[a].template
	if len(e.place.pending[t]) == 0 && e.tryPlace(a) {
		if e.stirs(t) && e.somePending() {
			e.retry()
		}
		return
	}
	e.place.pending[t] = append(e.place.pending[t], a)
	e.podWaits(e.now + e.w.Growth.Patience)
}

// retry tries pods that wait, because room has appeared. A template whose first
// pod does not fit is passed over: its others are alike.
func (e *engine) retry() {
	stuck := e.stuck[:0]
	for range e.place.pending {
		stuck = append(stuck, false)
	}
	e.stuck = stuck
	for {
		best := -1
		for t, pods := range e.place.pending {
			if !stuck[t] && len(pods) > 0 && (best < 0 || e.podBefore(pods[0], e.place.pending[best][0])) {
				best = t
			}
		}
		if best < 0 {
			if e.holders != nil {
				e.placeHolders()
			}
			return
		}
		if !e.tryPlace(e.place.pending[best][0]) {
			stuck[best] = true
			continue
		}
		e.place.pending[best] = slices.Delete(e.place.pending[best], 0, 1)
		if e.stirs(int32(best)) {
			clear(stuck)
		}
	}
}

// podBefore orders pods as the scheduler's queue does: by priority, then by age.
func (e *engine) podBefore(a, b int32) bool {
	x, y := &e.agents[a], &e.agents[b]
	if p, q := e.w.Templates[x.template].priority, e.w.Templates[y.template].priority; p != q {
		return p > q
	}
	return x.created < y.created
}

// tryPlace binds agent a's pod to the best node with room, or notes why there is
// none.
func (e *engine) tryPlace(a int32) bool {
	g := &e.agents[a]
	best := e.bestNode(g.template, -1, false)
	if best < 0 && e.holders != nil {
		best = e.giveWay(g.template)
	}
	if best < 0 {
		if g.verdict < 0 {
			g.verdict = e.verdict(e.refusal(g.template))
		}
		return false
	}
	e.bind(a, best)
	return true
}

// extremes returns the most that one of some nodes is liked and disliked, which the
// scheduler measures the others by; a template that cares for nothing is not asked.
func (e *engine) extremes(t int32, nodes []int32) (most site) {
	if !e.picky[t] {
		return most
	}
	for _, n := range nodes {
		s := &e.sites[t][e.nodes[n].pool]
		most.liked, most.disliked = max(most.liked, s.liked), max(most.disliked, s.disliked)
	}
	return most
}

// unplaced reports what of a template's rules on neighbours can never hold on nodes with
// some labels, whoever is there.
func (w *World) unplaced(near *template.Neighbours, labels map[string]string) (noPlace, notNear bool) {
	lacks := func(label string) bool {
		_, has := labels[label]
		return !has && label != template.Hostname
	}
	for _, s := range near.Spread {
		noPlace = noPlace || s.Must && lacks(s.Topology)
	}
	for _, b := range near.Beside {
		notNear = notNear || lacks(b.Topology)
	}
	if len(near.Beside) > 0 {
		notNear = notNear || !slices.ContainsFunc(w.Templates, func(t Template) bool { return all(near.Beside, &t.Near) })
	}
	return noPlace, notNear
}

// preference is taint toleration (weight 3) and node affinity (weight 2), each
// brought to 0 to 100 by the most among the nodes with room.
func (s *site) preference(most site) int64 {
	points := int64(0)
	if most.disliked > 0 {
		points += taintWeight * (100 - 100*s.disliked/most.disliked)
	}
	if most.liked > 0 {
		points += affinityWeight * (100 * s.liked / most.liked)
	}
	return points
}

// count adds what one node lacks.
func (v *Verdict) count(s *fleet.Shortfall) {
	for _, x := range [...]struct {
		short bool
		n     *int32
	}{{s.CPU, &v.CPU}, {s.Memory, &v.Memory}, {s.Disk, &v.Disk}, {s.Pods, &v.Pods}} {
		if x.short {
			*x.n++
		}
	}
	for i, short := range s.Extended {
		if short {
			v.Extended[i]++
		}
	}
}

// verdict returns the number of a verdict in the trace's table.
func (e *engine) verdict(v Verdict) int32 {
	if i, ok := e.place.verdicts[v]; ok {
		return i
	}
	i := int32(len(e.trace.Verdicts))
	e.trace.Verdicts = append(e.trace.Verdicts, v)
	e.place.verdicts[v] = i
	return i
}

// bind puts agent a's pod on node n.
func (e *engine) bind(a, n int32) {
	g, node := &e.agents[a], &e.nodes[n]
	t := &e.w.Templates[g.template]
	if g.waitNode >= 0 {
		e.unbook(a)
	}
	g.node, g.placed = n, e.now
	node.left.Take(&t.need, 1)
	e.changed(n)
	node.scored.CPU += t.Scoring.CPU
	node.scored.Memory += t.Scoring.Memory
	node.pods++
	e.moved(g.template, n, 1)
	node.version++ // calls off its going for emptiness
	g.edition = e.edition(t)
	e.useImages(node, g, 1)
	e.useClaims(g.template, n, 1)
	e.observeRequest(t, 1)
	e.prepare(a)
	e.strand(n)
}

// freePod takes agent a's pod off its node.
func (e *engine) freePod(a int32) {
	g := &e.agents[a]
	node := &e.nodes[g.node]
	t := &e.w.Templates[g.template]
	node.left.Take(&t.need, -1)
	e.changed(g.node)
	node.scored.CPU -= t.Scoring.CPU
	node.scored.Memory -= t.Scoring.Memory
	node.pods--
	e.moved(g.template, g.node, -1)
	e.useImages(node, g, -1)
	e.useClaims(g.template, g.node, -1)
	e.observeRequest(t, -1)
	e.strand(g.node)
	e.retry()
	if node.pods == 0 {
		e.nodeEmpty(g.node)
	}
}

// Weights of the default scheduler profile.
const (
	taintWeight    = 3
	affinityWeight = 2
	fitWeight      = 1
	balancedWeight = 1
	localityWeight = 1
)

// score rates a node's resources for one more pod, as the scheduler does: each
// part is a whole number from 0 to 100.
func (e *engine) score(n *node, t *Template) int64 {
	room := &e.w.Pools[n.pool].Room
	scored := template.Request{CPU: n.scored.CPU + t.Scoring.CPU, Memory: n.scored.Memory + t.Scoring.Memory}
	return fitWeight*e.fitScore(scored, room.Request) +
		balancedWeight*balanced(n.left.Request, room.Request, t.Request)
}

// fitScore is least allocated (spread) or most allocated (pack), the mean over
// CPU and memory.
func (e *engine) fitScore(want, room template.Request) int64 {
	part := func(want, room int64) int64 {
		if room == 0 || want > room {
			return 0
		}
		if e.w.Placement == document.Pack {
			return want * 100 / room
		}
		return (room - want) * 100 / room
	}
	return (part(int64(want.CPU), int64(room.CPU)) + part(int64(want.Memory), int64(room.Memory))) / 2
}

// balanced says whether a pod makes the use of CPU and memory on a node more or
// less even:
//
//	50 + (50 + b(with the pod) − b(without it)) / 2,  b = 100·(1 − |c − m|/2)
//
// with the parts c of CPU and m of memory in use, by what pods really request. A
// pod that requests neither is not rated.
// Source: k8s.io/kubernetes v1.37, plugins/noderesources/balanced_allocation.go.
func balanced(left, room, q template.Request) int64 {
	if q.CPU == 0 && q.Memory == 0 {
		return 0
	}
	without := template.Request{CPU: room.CPU - left.CPU, Memory: room.Memory - left.Memory}
	with := template.Request{CPU: without.CPU + q.CPU, Memory: without.Memory + q.Memory}
	return 50 + (50+evenness(with, room)-evenness(without, room))/2
}

func evenness(used, room template.Request) int64 {
	if room.CPU == 0 || room.Memory == 0 {
		return 100 // of one resource alone there is nothing to balance
	}
	c := min(1, float64(used.CPU)/float64(room.CPU))
	m := min(1, float64(used.Memory)/float64(room.Memory))
	return int64((1 - math.Abs((c-m)/2)) * 100)
}

// Image sizes between which locality counts.
// Source: k8s.io/kubernetes/pkg/scheduler/framework/plugins/imagelocality.
const (
	localityFrom = 23 << 20
	localityTo   = 1000 << 20 // for each container
)

// locality prefers nodes that hold much of the pod's images; an image counts once
// for each container that is made of it, by the share of nodes that hold it.
func (e *engine) locality(n *node, t *Template) int64 {
	var sum int64
	nodes := float64(len(e.place.ready))
	for _, at := range t.Containers {
		if i := t.images[at]; n.shelf.images[i] {
			sum += int64(float64(e.w.Images[i].Size) * (float64(e.place.holding[i]) / nodes))
		}
	}
	top := int64(localityTo) * int64(len(t.Containers))
	return 100 * (min(max(sum, localityFrom), top) - localityFrom) / (top - localityFrom)
}
