package learn

import (
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
)

const rehearsedOn = `apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 2, memory: 8Gi, price: 0.5/h}]
  pools: [{name: p, nodeType: n, max: 5}]
  images: [{name: "i:1", size: 500MB}, {name: "bare:1", size: 1MB}]
`

func clusterOf(t *testing.T, text string) *document.ClusterSpec {
	t.Helper()
	docs, faults := document.Parse("c", []byte(text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return &docs[0].Value.(*document.Cluster).Spec
}

// Each rehearsal adds a sample; what records told of more, and what was written by hand, stays
// unless all is taken; what else was measured keeps its count and bounds.
func TestRehearsed(t *testing.T) {
	r := Rehearsed{
		At: time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC), Where: "north burst-1", Start: 2340 * time.Millisecond,
		Pulls: []string{
			`Successfully pulled image "bare:1" in 31s (31s including waiting). Image size: 1073741824 bytes.`, "Container image already present",
			`Successfully pulled image "i:1" in 3s (3s including waiting). Image size: 1073741824 bytes.`, `Successfully pulled image "else:1" in 3s. Image size: 9 bytes.`,
		},
	}
	more := `  measured: [{fact: store.pack, value: 90MB/s, at: 2026-09-01T00:00:00Z, count: 31, low: 80MB/s, high: 99MB/s},
    {fact: "images.bare:1", value: 1MB, at: 2026-09-01T00:00:00Z, how: rehearsals, count: 1}]
`
	text := rehearsedOn + more
	for i, want := range []string{"2.3s", "2 samples, 2.3s to 4.3s", "3 samples, 2.3s to 6.3s"} {
		edits, left := r.Edits(clusterOf(t, text), false)
		out, err := document.Apply(text, edits)
		if err != nil {
			t.Fatal(err)
		}
		text = out
		c := clusterOf(t, text)
		m := c.Measured[len(c.Measured)-1]
		if i == 0 {
			m = c.Measured[1] // the image's is measured anew behind it
			if c.Images[1].Size != 1<<30 || c.Images[0].Size != 500e6 || len(left) != 1 || !strings.Contains(left[0], "images.i:1: somebody wrote it by hand") {
				t.Errorf("%+v, left %v", c.Images, left)
			}
		}
		if says(c.Agents.Start) != want || m.Fact != "agents.start" || m.Count != i+1 || m.How != byRehearsal || m.Where != r.Where {
			t.Errorf("after %d: %s, %+v", i+1, says(c.Agents.Start), m)
		}
		if c.Measured[0].Count != 31 || c.Measured[0].Low != "80MB/s" {
			t.Errorf("%+v", c.Measured[0])
		}
		r.Start += 2 * time.Second
	}
	records := strings.Replace(rehearsedOn, "  images:", "  agents: {start: 5s}\n  images:", 1)
	for with, want := range map[string]string{
		"": "agents.start: somebody wrote it by hand",
		"  measured: [{fact: agents.start, value: 5s, at: 2026-09-01T00:00:00Z, how: from records, count: 31}]\n": "agents.start: measured of 31",
	} {
		one := Rehearsed{At: r.At, Start: time.Second}
		if edits, left := one.Edits(clusterOf(t, records+with), false); len(edits) > 0 || len(left) != 1 || left[0] != want {
			t.Errorf("%v, left %v", edits, left)
		}
		edits, left := one.Edits(clusterOf(t, records+with), true)
		out, err := document.Apply(records+with, edits)
		if err != nil || len(left) > 0 || says(clusterOf(t, out).Agents.Start) != "1s" {
			t.Errorf("%v %s, left %v", err, out, left)
		}
	}
}
