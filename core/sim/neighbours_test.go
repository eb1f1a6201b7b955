package sim_test

import (
	"fmt"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// rules returns the text of a template whose pods have labels and rules on neighbours.
func rules(name, offers, labels, text string) string {
	out := strings.Replace(worlds.Template(name, offers, "500m", "1Gi", "i:1"), "template:\n",
		"template:\n  metadata: {labels: {"+labels+"}}\n", 1)
	return strings.Replace(out, "    containers:", text+"    containers:", 1)
}

// crowd is one class's jobs, all at once.
func crowd(n int) string {
	return "submitted,class\n" + strings.Repeat("2026-01-05T00:00:00Z,k\n", n)
}

// most returns the most agents of template 0 that were together in one of the places
// that a function of their nodes tells, and how many places had any.
func most(trace *sim.Trace, place func(node int32) string) (together, places int) {
	at := map[string][]sim.Record{}
	for _, r := range trace.Records {
		if r.Started >= 0 {
			at[place(r.Node)] = append(at[place(r.Node)], r)
		}
	}
	for _, list := range at {
		for _, r := range list {
			n := 0
			for _, o := range list {
				if o.Started <= r.Started && r.Started < o.Ended {
					n++
				}
			}
			together = max(together, n)
		}
	}
	return together, len(at)
}

const zones = "[{name: a, nodeType: n, min: 1, max: 9, labels: {zone: a}}, {name: b, nodeType: n, min: 1, max: 9, labels: " +
	"{zone: b}}, {name: c, nodeType: n, min: 1, max: 9, labels: {zone: c}}]"

// Eight agents fit on a node by their requests. Rules on neighbours, not room, decide
// how many nodes twelve jobs at once are on, and pools grow for them as far as they may.
func TestNeighbours(t *testing.T) {
	byNode := func(n int32) string { return fmt.Sprint(n) }
	apart := func(key string) string {
		return "    affinity: {podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: [{topologyKey: " + key +
			", labelSelector: {matchLabels: {app: t}}}]}}\n"
	}
	spread := func(key, must string) string {
		return "    topologySpreadConstraints: [{maxSkew: 1, topologyKey: " + key + ", whenUnsatisfiable: " + must +
			", labelSelector: {matchLabels: {app: t}}}]\n"
	}
	for _, c := range []struct {
		name, pools, text string
		together, places  int
		zone              bool
	}{
		{"no rule", "", "", 8, 2, false},
		{"apart by node", "", apart("kubernetes.io/hostname"), 1, 9, false},
		{"apart by zone", zones, apart("zone"), 1, 3, true},
		{"apart from others only", "", strings.Replace(apart("kubernetes.io/hostname"), "app: t", "app: other", 1), 8, 2, false},
		{"spread over zones", zones, spread("zone", "DoNotSchedule"), 4, 3, true},
		{
			"spread over zones of which two may grow",
			strings.Replace(zones, "min: 1, max: 9, labels: {zone: c}", "min: 1, max: 1, labels: {zone: c}", 1), spread("zone", "DoNotSchedule"),
			4, 3, true,
		},
		{"spread over zones if it can be", zones, spread("zone", "ScheduleAnyway"), 4, 3, true},
		{"beside each other", zones, strings.NewReplacer("podAntiAffinity", "podAffinity").Replace(apart("zone")), 12, 1, true},
	} {
		b := bench{pools: c.pools, agents: "ceiling: 20", template: rules("t", "x", "app: t", c.text), jobs: crowd(12)}
		if c.pools == "" {
			b.pools = "[{name: p, nodeType: n, min: 1, max: 9}]"
		}
		trace := b.run(t)
		place := byNode
		if c.zone {
			place = func(n int32) string { return trace.World.Pools[trace.Nodes[n].Pool].Name }
		}
		together, places := most(trace, place)
		if together != c.together || places != c.places {
			t.Errorf("%s: at most %d together in one of %d places; want %d in %d", c.name, together, places, c.together, c.places)
		}
		for j, r := range trace.Records {
			if r.Started < 0 {
				t.Errorf("%s: job %d never starts", c.name, j)
			}
		}
	}
}

// A port of the node is taken by one agent at a time: with one node that may not have
// company, jobs of 100 s go one after the other, and what the others wait for is said.
func TestHostPortIsTakenOnce(t *testing.T) {
	text := strings.Replace(rules("t", "x", "app: t", ""), "{name: agent,", "{name: agent, ports: [{containerPort: 80, hostPort: 9000}],", 1)
	if !strings.Contains(text, "hostPort") {
		t.Fatal("no port in ", text)
	}
	trace := bench{agents: "ceiling: 20", template: text, jobs: crowd(3)}.run(t)
	for j, r := range trace.Records {
		if want := units.Duration(j) * 100 * units.Second; r.Started < want || r.Started > want+30*units.Second {
			t.Errorf("job %d starts at %v, its turn is at %v", j, r.Started, want)
		}
	}
	words := ""
	for _, v := range trace.Verdicts {
		words += v.Words(nil)
	}
	if words != "0/1 nodes are available: 1 node(s) didn't have free ports for the requested pod ports." {
		t.Errorf("the scheduler would say %q", words)
	}
}

// An agent that must be beside another template's waits for it, and goes to it as soon
// as it is there; one whom neighbours keep off every node, and would off a new one, is
// said to wait for that.
func TestBesideAnother(t *testing.T) {
	text := rules("t", "x", "app: t", "    affinity: {podAffinity: {requiredDuringSchedulingIgnoredDuringExecution: "+
		"[{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: u}}}]}}\n")
	b := bench{
		pools: "[{name: p, nodeType: n, min: 1, max: 9}]", classes: "[{name: k, wants: [x], work: 100s}, {name: l, wants: [y], work: 1000s}]",
		agents: "ceiling: 20", more: ", {template: u, agents: {every: 0s, linger: 0s}}",
		template: text + rules("u", "y", "app: u", ""),
		jobs:     "submitted,class\n2026-01-05T00:00:00Z,k\n2026-01-05T00:10:00Z,l\n",
	}
	trace := b.run(t)
	first, second := trace.Records[0], trace.Records[1]
	if first.Node != second.Node || first.Started < 10*units.Minute || first.Started > 10*units.Minute+30*units.Second {
		t.Errorf("it starts at %v on node %d, the other at %v on %d", first.Started, first.Node, second.Started, second.Node)
	}
	if c, _ := trace.Kept(0); c != sim.KeptOff {
		t.Errorf("it waits for %s", c.Label())
	}
}

// What neighbours can never allow is refused before anything runs.
func TestNeighboursThatCannotBe(t *testing.T) {
	for want, text := range map[string]string{
		"template.spec.topologySpreadConstraints": "    topologySpreadConstraints: [{maxSkew: 1, topologyKey: zone, " +
			"whenUnsatisfiable: DoNotSchedule, labelSelector: {matchLabels: {app: t}}}]\n",
		"template.spec.affinity.podAffinity": "    affinity: {podAffinity: {requiredDuringSchedulingIgnoredDuringExecution: " +
			"[{topologyKey: kubernetes.io/hostname, labelSelector: {matchLabels: {app: cache}}}]}}\n",
	} {
		_, err := worlds.Parse(bench{agents: "ceiling: 2", template: rules("t", "x", "app: t", text), jobs: crowd(1)}.text(), crowd(1))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", want, err)
		}
	}
}
