package sim_test

import (
	"strings"
	"testing"

	"tachyphor/test/worlds"
)

// twoZones are nodes for one agent each: one in each zone, and no more.
const twoZones = `[{name: p, nodeType: n, max: 1, labels: {topology.kubernetes.io/zone: west}}, {name: q, nodeType: n, max: 1, labels: {topology.kubernetes.io/zone: east}}]`

// The first pod with a claim takes it to the west; the next waits for the node there, though
// one could be had in the east, where the one without the claim goes.
func TestClaimsStayInTheirZone(t *testing.T) {
	claims := strings.Replace(worlds.Template("t", "x", "4", "4Gi", "i:1"), "    containers:",
		"    volumes: [{name: v, persistentVolumeClaim: {claimName: shared}}]\n    containers:", 1)
	for zonal, want := range map[string]map[string]string{
		"zonal: true": {"a": "work 100", "b": "work 100", "c": "pools-full 100, work 100"},
		"":            {"a": "work 100", "b": "work 100", "c": "work 100"},
	} {
		b := bench{
			types: "pods: 1", pools: twoZones, cluster: "  volumes: {" + zonal + "}\n  claims: [{name: shared}]", agents: "reuse: never",
			classes: "[{name: k, wants: [x], work: 100s}, {name: m, wants: [y], work: 100s}]",
			more:    ", {template: w, agents: {reuse: never, every: 0s}}", template: claims + worlds.Template("w", "y", "4", "4Gi", "i:1"),
			scenario: "  nodes: {growth: {scan: 1ms, choose: listed, shrinkAfter: 1h}}",
			jobs:     "id,submitted,class\na,0,k\nb,110,m\nc,110,k\n",
		}
		trace := b.run(t)
		tells(t, trace, want)
		if c := trace.Records[2]; zonal != "" && !strings.HasPrefix(trace.NodeName(c.Node), "p-") {
			t.Errorf("c ran on %s", trace.NodeName(c.Node))
		}
	}
	b := bench{cluster: "  volumes: {zonal: true}", jobs: "submitted,class\n1,k\n"}
	if _, err := worlds.Parse(b.text(), b.jobs); err == nil || !strings.Contains(err.Error(), "with volumes.zonal every pool has a zone") {
		t.Error(err)
	}
}

// A workspace's volume is in the west from the first job on: one in the east does without,
// and saves nothing; with two copies it has one of its own.
func TestWorkspacesStayInTheirZone(t *testing.T) {
	for _, c := range []struct {
		copies string
		want   map[string]string
		away   int64
	}{
		{"1", map[string]string{"a": "restore 9, work 100, cold 50", "b": "work 100, cold 50", "c": "work 100, cold 50", "d": "work 100"}, 2},
		{"2", map[string]string{"a": "restore 9, work 100, cold 50", "b": "restore 9, work 100, cold 50", "c": "work 100", "d": "work 100"}, 0},
	} {
		b := bench{
			types: "pods: 1", pools: strings.ReplaceAll(twoZones, "max: 1", "min: 1, max: 1"), cluster: "  volumes: {zonal: true, attach: 9s}",
			agents: "reuse: never",
			classes: "[{name: k, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB}}, {name: m, wants: [y], work: 100s, " +
				"project: k, workspace: {cold: 50s, size: 1GB}}]",
			template: strings.Replace(worlds.Template("t", "x", "4", "4Gi", "i:1"), "    containers:",
				"    nodeSelector: {topology.kubernetes.io/zone: west}\n    containers:", 1) +
				strings.Replace(worlds.Template("w", "y", "4", "4Gi", "i:1"), "    containers:",
					"    nodeSelector: {topology.kubernetes.io/zone: east}\n    containers:", 1),
			more:     ", {template: w, agents: {reuse: never, every: 0s}}",
			scenario: "  caching: [{plan: volume, size: 5GB, copies: " + c.copies + "}]",
			jobs:     "id,submitted,class\na,0,k\nb,200,m\nc,400,m\nd,600,k\n",
		}
		trace := b.run(t)
		tells(t, trace, c.want)
		if trace.VolumesAway != c.away {
			t.Errorf("%s copies: %d times the volumes were away, want %d", c.copies, trace.VolumesAway, c.away)
		}
	}
}
