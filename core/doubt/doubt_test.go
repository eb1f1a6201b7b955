package doubt_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// docs are a scenario in which every job waits for a node of its own; measured is what the
// cluster says of where its facts come from.
func docs(measured string) string {
	return `apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 2, memory: 8Gi, price: 0.5/h}]
  pools: [{name: grow, nodeType: n, max: 50, boot: 100s}, {name: fixed, nodeType: n, min: 0, max: 0, boot: 100s}]
  links: {registry: {down: 100MB/s}, store: {down: 1GB/s}}
  images: [{name: "i:1", size: 500MB}, {name: "other:1", size: 5GB}]
  agents: {start: 2s, join: 3s}
` + measured + `---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-14T00:00:00Z
  classes: [{name: k, wants: [any], work: 60s, arrivals: {hours: [{when: Mon-Sun 00:00-24:00, perHour: 6}]}}]
---
apiVersion: v1
kind: PodTemplate
metadata: {name: t, namespace: x, annotations: {tachyphor/offers: any}}
template:
  spec:
    restartPolicy: Never
    containers: [{name: agent, image: "i:1", resources: {requests: {cpu: 1500m, memory: 4Gi}}}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {reuse: never}}]
  nodes: {growth: {shrinkAfter: 1m}}
  run: {span: 2d, repeats: 4, seed: 3}
`
}

func input(t *testing.T, measured string) world.Input {
	t.Helper()
	in, err := worlds.Read(docs(measured), "")
	if err != nil {
		t.Fatal(err)
	}
	return in
}

var now = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)

func try(t *testing.T, measured string, workers int) *doubt.Doubts {
	t.Helper()
	question, err := doubt.Ask(input(t, measured), now, nil)
	if err != nil {
		t.Fatal(err)
	}
	d, err := question.Try(workers, nil)
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func find(t *testing.T, d *doubt.Doubts, fact string) doubt.Doubt {
	t.Helper()
	for _, x := range d.Facts {
		if x.Fact.Fact == fact {
			return x
		}
	}
	t.Fatalf("%s is not among %+v", fact, d.Facts)
	return doubt.Doubt{}
}

// Where nearly every job waits for its node, a boot that is twice as long makes them wait
// that much longer; what is bounded closely hangs less; what no job meets changes nothing.
func TestWhatHangsOnFacts(t *testing.T) {
	d := try(t, "", 2)
	boot := d.Facts[0]
	if boot.Fact.Fact != "pools.grow.boot" || boot.Known != doubt.Never || boot.Low != "50 s" || boot.High != "3 min 20 s" {
		t.Fatalf("%+v", boot)
	}
	if more, less := boot.AtHigh.P95.Mean/1e9, boot.AtLow.P95.Mean/1e9; more < 85 || more > 115 || less > -35 || less < -65 {
		t.Errorf("p95 %+.1f s and %+.1f s", more, less)
	}
	if boot.AtHigh.Cost.Mean <= 0 || !boot.AtHigh.P95.Sure() {
		t.Errorf("%+v", boot.AtHigh)
	}
	// Agents are there one at a time: twice the join is as much longer a wait.
	if join := find(t, d, "agents.join").AtHigh.P95.Mean / 1e9; join < 2.5 || join > 3.5 {
		t.Errorf("join: p95 %+.2f s", join)
	}
	if x := find(t, d, "links.store.down"); x.AtLow.P95.Mean != 0 || x.AtHigh.Cost.Mean != 0 {
		t.Errorf("%+v", x)
	}
	for _, x := range d.Facts {
		if x.Fact.Fact == "pools.fixed.boot" || x.Fact.Fact == "images.other:1" {
			t.Errorf("%s is doubted, which nothing here meets", x.Fact.Fact)
		}
	}
	a, err1 := json.Marshal(d)
	b, err2 := json.Marshal(try(t, "", 1))
	if err1 != nil || err2 != nil || string(a) != string(b) {
		t.Error("the number of workers changes what is told")
	}
}

// What was measured is tried at its bounds; what is old further out.
func TestWhatIsKnown(t *testing.T) {
	const line = "  measured: [{fact: pools.grow.boot, value: 1m40s, at: \"%s\", count: 30, low: 90s, high: 115s}]\n"
	x := find(t, try(t, fmt.Sprintf(line, "2026-10-20T00:00:00Z"), 2), "pools.grow.boot")
	if x.Known != doubt.Measured || x.Low != "90 s" || x.High != "1 min 55 s" || x.Count != 30 {
		t.Errorf("%+v", x.Fact)
	}
	if more := x.AtHigh.P95.Mean / 1e9; more < 11 || more > 19 {
		t.Errorf("p95 %+.1f s", more)
	}
	x = find(t, try(t, fmt.Sprintf(line, "2026-01-20T00:00:00Z"), 2), "pools.grow.boot")
	if x.Known != doubt.Old || x.Low != "75 s" || !strings.HasPrefix(x.High, "2 min 15") {
		t.Errorf("%+v", x.Fact)
	}
}

// What the document says is held against what was measured, however either is written.
func TestMeasuredOtherwise(t *testing.T) {
	measured := func(fact, more string) document.Measured {
		t.Helper()
		var m []document.Measured
		text := `[{"fact":"` + fact + `","at":"2026-10-20T00:00:00Z",` + more + `}]`
		if err := json.Unmarshal([]byte(text), &m); err != nil {
			t.Fatal(err)
		}
		return m[0]
	}
	for _, x := range []struct {
		fact, more string
		known      doubt.Known
	}{
		{"links.registry.down", `"value":"100M/s"`, doubt.Measured},
		{"links.registry.down", `"value":"100.4MB/s"`, doubt.Measured},
		{"links.registry.down", `"value":"90MB/s"`, doubt.Otherwise},
		{"images.i:1", `"value":"476.8Mi"`, doubt.Measured},
		{"images.i:1", `"value":"1Gi"`, doubt.Otherwise},
		{"pools.grow.boot", `"value":"median 100s, p95 2m","low":"95s","high":"110s"`, doubt.Measured},
		{"pools.grow.boot", `"value":"median 50s, p95 1m","low":"45s","high":"55s"`, doubt.Otherwise},
		{"pools.grow.boot", `"value":"70s"`, doubt.Otherwise},
		{"agents.start", `"value":""`, doubt.Measured},
	} {
		spec := *input(t, "").Cluster.Value.(*document.Cluster)
		spec.Spec.Measured = []document.Measured{measured(x.fact, x.more)}
		for _, f := range doubt.Facts(&spec.Spec, nil, now) {
			if f.Fact == x.fact && f.Known != x.known {
				t.Errorf("%s with %s is %s", x.fact, x.more, f.Known)
			}
		}
	}
}

// Records that are newer contradict a fact outside their bounds, or more than a tenth off what
// they say without any; older ones say nothing.
func TestAgainst(t *testing.T) {
	for _, x := range []struct {
		fact, more string
		at         time.Time
		known      doubt.Known
	}{
		{"agents.start", `"value":"median 20s, p95 30s","low":"18s","high":"22s"`, now, doubt.Contradicted},
		{"agents.start", `"value":"median 2s, p95 30s","low":"1s","high":"22s"`, now, doubt.Never},
		{"links.registry.down", `"value":"95MB/s"`, now, doubt.Measured},
		{"links.registry.down", `"value":"80MB/s"`, now, doubt.Contradicted},
		{"links.registry.down", `"value":"80MB/s"`, now.Add(-48 * time.Hour), doubt.Measured},
		{"links.registry.down", `"value":"what?"`, now, doubt.Measured},
	} {
		spec := *input(t, "").Cluster.Value.(*document.Cluster)
		spec.Spec.Measured = []document.Measured{{Fact: "links.registry.down", Value: "100MB/s", At: units.Instant{Time: now.Add(-24 * time.Hour)}}}
		var m document.Measured
		if err := json.Unmarshal([]byte(`{"fact":"`+x.fact+`",`+x.more+`}`), &m); err != nil {
			t.Fatal(err)
		}
		m.At = units.Instant{Time: x.at}
		facts := doubt.Facts(&spec.Spec, nil, now)
		doubt.Against(facts, []document.Measured{m})
		for _, f := range facts {
			if f.Fact == x.fact && (f.Known != x.known || f.Known == doubt.Contradicted && f.Told.Value != m.Value) {
				t.Errorf("%s with %s is %s", x.fact, x.more, f.Known)
			}
		}
	}
}

// It can be stopped.
func TestStopped(t *testing.T) {
	question, err := doubt.Ask(input(t, ""), now, nil)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := question.Try(1, func(float64) bool { return false }); err == nil {
		t.Error("it goes on")
	}
}
