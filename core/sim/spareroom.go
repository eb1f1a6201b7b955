package sim

import "tachyphor/core/world"

// Spare room is kept by placeholder pods that ask for as much as an agent of a
// template and have the lowest priority of all: they take room when no agent wants
// it, make pools grow like any pod, and give way at once.

// holder is what is known of the placeholders of one template.
type holder struct {
	want   int // how many there should be
	placed int // on nodes that are ready
	booked int // promised room on nodes that boot
}

// newHolders returns nil where no room is kept.
func newHolders(w *world.World) []holder {
	if w.SpareRoom == nil {
		return nil
	}
	h := make([]holder, len(w.Templates))
	for t, n := range w.SpareRoom {
		h[t].want = n
	}
	return h
}

// homeless is how many placeholders of a template no node has, or will have.
func (h *holder) homeless() int { return h.want - h.placed - h.booked }

// placeHolders puts placeholders where there is room, after all agents.
func (e *engine) placeHolders() {
	for t := range e.holders {
		h := &e.holders[t]
		for h.want > h.placed {
			n := e.bestNode(int32(t), -1, true)
			if n < 0 {
				break
			}
			e.moveHolder(n, int32(t), 1)
		}
		if h.homeless() > 0 {
			e.podWaits(e.now + e.w.Growth.Patience)
		}
	}
}

// moveHolder puts n placeholders (1 or −1) of a template on a node.
func (e *engine) moveHolder(at, t int32, n int) {
	node := &e.nodes[at]
	if node.holders == nil {
		node.holders = make([]int16, len(e.w.Templates))
	}
	node.holders[t] += int16(n)
	e.holders[t].placed += n
	node.left.Take(&e.w.Templates[t].Needs, n)
	e.changed(at)
}

// giveWay makes room for a pod of a template by taking placeholders off the node
// where fewest have to go, the first by name among those; -1 when no node could.
func (e *engine) giveWay(t int32) int32 {
	need := &e.w.Templates[t].Needs
	best, fewest := int32(-1), 1<<30
	e.eachOpen(t, func(n int32) {
		if e.nodes[n].holders == nil {
			return
		}
		if gone := e.victims(&e.nodes[n], t, nil); gone >= 0 && gone < fewest {
			best, fewest = n, gone
		}
	})
	if best < 0 {
		return -1
	}
	e.victims(&e.nodes[best], t, func(h int32) { e.moveHolder(best, h, -1) })
	e.podWaits(e.now + e.w.Growth.Patience)
	if e.nodes[best].left.Lacks(need).Short() {
		panic("sim: placeholders gave way for nothing")
	}
	return best
}

// victims counts the placeholders that must leave a node for a pod of template t
// to fit, and calls drop for each; -1 when it would not fit even then.
func (e *engine) victims(node *node, t int32, drop func(int32)) int {
	room, need, gone := node.left, &e.w.Templates[t].Needs, 0
	var out []int32
	for h, n := range node.holders {
		for range n {
			if !room.Lacks(need).Short() {
				break
			}
			room.Take(&e.w.Templates[h].Needs, -1)
			gone++
			if drop != nil {
				out = append(out, int32(h))
			}
		}
	}
	if room.Lacks(need).Short() {
		return -1
	}
	for _, h := range out {
		drop(h)
	}
	return gone
}

// scanHolders has nodes that boot, or new ones, take the placeholders that have no
// home, after all agents.
func (e *engine) scanHolders() {
	for t := range e.holders {
		h := &e.holders[t]
		for _, n := range e.booting {
			for h.homeless() > 0 && e.bookHolder(n, int32(t)) {
			}
		}
		for h.homeless() > 0 {
			p := e.choosePool([]int32{^int32(t)})
			if p < 0 {
				break
			}
			n := e.askNode(p)
			for n >= 0 && h.homeless() > 0 && e.bookHolder(n, int32(t)) {
			}
		}
	}
}

// bookHolder promises a placeholder room on a node that boots.
func (e *engine) bookHolder(n, t int32) bool {
	node := &e.nodes[n]
	need := &e.w.Templates[t].Needs
	if !e.admits(t, node.pool) || e.pools[node.pool].draining || node.planned.Lacks(need).Short() {
		return false
	}
	node.planned.Take(need, 1)
	if node.bookings == nil {
		node.bookings = make([]int16, len(e.w.Templates))
	}
	node.bookings[t]++
	e.holders[t].booked++
	return true
}

// unbookHolders gives up what was promised on a node that boots no longer.
func (e *engine) unbookHolders(n int32) {
	for t, k := range e.nodes[n].bookings {
		e.holders[t].booked -= int(k)
	}
	e.nodes[n].bookings = nil
}

// rehouse moves a node's placeholders to others; false when they do not all fit,
// and then none is moved.
func (e *engine) rehouse(n int32) bool {
	node := &e.nodes[n]
	type move struct{ to, t int32 }
	var moves []move
	for t, k := range node.holders {
		for range k {
			to := e.bestNode(int32(t), n, true)
			if to < 0 {
				for _, m := range moves {
					e.moveHolder(m.to, m.t, -1)
				}
				return false
			}
			e.moveHolder(to, int32(t), 1)
			moves = append(moves, move{to, int32(t)})
		}
	}
	e.evictHolders(n)
	return true
}

// evictHolders takes all placeholders off a node.
func (e *engine) evictHolders(n int32) {
	for t, k := range e.nodes[n].holders {
		for range k {
			e.moveHolder(n, int32(t), -1)
		}
	}
}
