package sim

// claimUse is where a volume is that pods can only use on one node at a time.
type claimUse struct {
	node int32 // that it is attached to, while users > 0
	pods int
	zone int32 // that it stays in; 0: it was never attached, or may go anywhere
}

// elsewhere reports whether a volume of a template keeps its pods off node n.
func (e *engine) elsewhere(t, n int32) bool {
	for _, c := range e.w.Templates[t].ClaimAt {
		if u := &e.claims[c]; u.pods > 0 && u.node != n {
			return true
		}
	}
	return n >= 0 && e.away(t, e.nodes[n].pool)
}

// attachedSomewhere reports whether a volume of a template holds its pods to a
// node that is there already, so that a new one would not help.
func (e *engine) attachedSomewhere(t int32) bool { return e.elsewhere(t, -1) }

// useClaims counts n pods (1 or −1) of a template on a node.
func (e *engine) useClaims(t, node int32, n int) {
	for _, c := range e.w.Templates[t].ClaimAt {
		e.claims[c].node, e.claims[c].zone = node, e.zoneOf(node)
		e.claims[c].pods += n
	}
}
