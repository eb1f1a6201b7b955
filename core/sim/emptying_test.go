package sim_test

import (
	"testing"

	"tachyphor/core/sim"
)

// Nodes of 4 CPU for two agents of 2. Four jobs come at 0 s: a and b go to the first, c and d to the second.
// From 100 s, when c has ended, the second is used less than 0.6 of, but the first has no room for d until b
// has ended at 600 s. Then the second is emptied: a job at 700 s goes to the first, and the second goes with d
// at 2000 s, not 60 s later.
func TestLeastUsedNodeByHand(t *testing.T) {
	b := bench{
		pools: "[{name: p, nodeType: n, max: 9, boot: 0s}]", agents: "reuse: never",
		classes:  "[{name: k, wants: [x], work: 1s}]",
		jobs:     "id,submitted,class,work\na,0,k,1000\nb,0,k,600\nc,0,k,100\nd,0,k,2000\nlate,700,k,100\n",
		scenario: "  nodes: {placement: pack, growth: {scan: 10s, shrinkAfter: 60s, drainBelow: 0.6}}",
	}
	life := func(b bench) (*sim.Trace, []int) {
		trace := b.run(t)
		var gone []int
		for _, n := range trace.Nodes {
			gone = append(gone, int(n.Gone.Seconds()))
		}
		return trace, gone
	}
	trace, gone := life(b)
	if len(gone) != 2 || gone[0] != 1060 || gone[1] != 2000 || trace.Emptied != 1 || trace.Reopened != 0 || trace.NodeName(trace.Records[4].Node) != "p-001" {
		t.Errorf("gone %v, %d emptied, %d opened again, late on %s", gone, trace.Emptied, trace.Reopened, trace.NodeName(trace.Records[4].Node))
	}
	waiting := b
	waiting.scenario = "  nodes: {placement: pack, growth: {scan: 10s, shrinkAfter: 60s}}"
	if trace, gone := life(waiting); gone[0] != 1060 || gone[1] != 2060 || trace.Emptied != 0 {
		t.Errorf("left alone: gone %v", gone)
	}
	// Two that come at 700 s: one finds room on the first node, for the other the second is opened again.
	again := b
	again.jobs += "more,700,k,100\n"
	if trace, _ := life(again); trace.Reopened != 1 || len(trace.Nodes) != 2 || trace.NodeName(trace.Records[5].Node) != "p-002" {
		t.Errorf("%d opened again, %d nodes", trace.Reopened, len(trace.Nodes))
	}
	// A pool keeps its least.
	least := b
	least.pools = "[{name: p, nodeType: n, min: 2, max: 9, boot: 0s}]"
	if trace, _ := life(least); trace.Emptied != 0 {
		t.Errorf("%d emptied", trace.Emptied)
	}
}
