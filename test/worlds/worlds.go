// Package worlds makes worlds to test the engine in: queues that theory has an
// answer for, the demo world, and random ones.
package worlds

import (
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"strings"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/shelf"
	"tachyphor/core/world"
	"tachyphor/demo"
)

// Parse puts a world together from the text of its documents. csv may be empty.
func Parse(text, csv string) (*world.World, error) {
	in, err := Read(text, csv)
	if err != nil {
		return nil, err
	}
	w, faults := world.Assemble(in)
	return w, faults.Err()
}

// Read reads what a world is put together from.
func Read(text, csv string) (in world.Input, err error) {
	docs, faults := document.Parse("test.yaml", []byte(text))
	if len(faults) > 0 {
		return in, faults
	}
	all := shelf.Of(docs...)
	scenario := all.Lone(document.KindScenario)
	if scenario == nil {
		return in, errors.New("expected one scenario")
	}
	var missing []shelf.Need
	if in.Named, missing = all.Named(scenario); len(missing) > 0 {
		return in, fmt.Errorf("there is no %s %s", missing[0].Kind, missing[0].Name.Name)
	}
	if csv != "" {
		r, err := demand.Parse([]byte(csv), nil)
		if err != nil {
			return in, err
		}
		if r.Bads > 0 {
			return in, fmt.Errorf("%v", r.Bad)
		}
		in.Recording = r
	}
	return in, nil
}

// Demo returns one scenario of the demo world.
func Demo(scenario string) (*world.World, error) {
	text, csv, err := DemoText(scenario)
	if err != nil {
		return nil, err
	}
	return Parse(text, csv)
}

// DemoText returns the documents and the recorded jobs of one scenario of the demo.
func DemoText(scenario string) (documents, jobs string, err error) {
	var text strings.Builder
	var csv []byte
	err = fs.WalkDir(demo.World, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := fs.ReadFile(demo.World, path)
		switch {
		case strings.HasSuffix(path, ".csv"):
			csv = b
		case strings.HasPrefix(path, "scenarios/") && path != "scenarios/"+scenario+".yaml":
		default:
			text.WriteString("---\n")
			text.Write(b)
		}
		return err
	})
	return text.String(), string(csv), err
}

// Template is a PodTemplate's text.
func Template(name, offers, cpu, memory, image string) string {
	return fmt.Sprintf(`---
apiVersion: v1
kind: PodTemplate
metadata: {name: %s, annotations: {tachyphor/offers: %q}}
template:
  spec:
    containers:
      - {name: agent, image: %q, resources: {requests: {cpu: %q, memory: %q}}}
`, name, offers, image, cpu, memory)
}

// A Queue is a station without start phases that theory knows.
type Queue struct {
	Agents  int     // floor = ceiling
	Load    float64 // of each agent
	Work    string  // form of the work time; its mean is WorkMean
	Loss    bool    // jobs that find no agent at once are lost
	Hours   int     // span
	Repeats int
}

// WorkMean is the mean work of a Queue's jobs, in seconds.
const WorkMean = 10.0

// Exponential and Fixed work with the mean WorkMean.
const (
	Exponential = "{mean: 10s}"
	Fixed       = "{fixed: 10s}"
)

// Build returns the queue as a world.
func (q Queue) Build() (*world.World, error) { return Parse(q.Text(), "") }

// Text is the queue's documents.
func (q Queue) Text() string {
	perHour := q.Load * float64(q.Agents) / WorkMean * 3600
	lost := ""
	if q.Loss {
		lost = ", giveUpAfter: 1ns"
	}
	return fmt.Sprintf(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: one-node}
spec:
  nodeTypes: [{name: big, cpu: 1000, memory: 1Ti, pods: 10000, price: 1/h}]
  pools: [{name: only, nodeType: big, min: 1, max: 1}]
  images: [{name: i, size: 1MB}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: poisson}
spec:
  start: 2026-01-05T00:00:00Z
  classes:
    - {name: job, wants: [], work: %s%s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: %g}]}}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: queue}
spec:
  cluster: one-node
  workload: poisson
  templates: [{template: t, agents: {floor: %d, ceiling: %d, every: 0s, linger: 400d}}]
  run: {span: %dh, warmup: %dm, repeats: %d, seed: 7}
`, q.Work, lost, perHour, q.Agents, q.Agents, q.Hours, q.Hours*6, q.Repeats) + Template("t", "any", "1", "1Gi", "i")
}

// Random returns a world drawn from a seed: several templates, pools and
// classes with all kinds of numbers, some too small for their demand.
func Random(seed uint64) (*world.World, error) { return Parse(RandomText(seed), "") }

// RandomText returns the documents of a Random world.
func RandomText(seed uint64) string {
	r := rand.New(rand.NewPCG(seed, 5))
	pick := func(list ...string) string { return list[r.IntN(len(list))] }
	var b strings.Builder
	b.WriteString(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes:
    - {name: s, cpu: 4, memory: 16Gi, price: 0.19/h, reserved: {cpu: 200m, memory: 1Gi, pods: 5}, unpack: 200MB/s}
    - {name: m, cpu: 8, memory: 32Gi, pods: 12, price: 0.38/h, unpack: 150MB/s}
    - {name: l, cpu: 16, memory: 64Gi, price: 0.7400001/h}
  pools:
`)
	for i := range 1 + r.IntN(3) {
		fewest := r.IntN(3)
		fmt.Fprintf(&b, "    - {name: p%d, nodeType: %s, min: %d, max: %d, boot: %s}\n", i, pick("s", "m", "l"), fewest, fewest+r.IntN(6),
			pick("{fixed: 60s}", "{median: 80s, p95: 110s}", "{min: 10s, max: 3m}"))
	}
	// One pool that takes every template, so that something can always run.
	fmt.Fprintf(&b, "    - {name: wide, nodeType: l, min: %d, max: %d, boot: {median: 85s, p95: 2m}}\n", r.IntN(2), 1+r.IntN(8))
	fmt.Fprintf(&b, `  images:
    - {name: a, size: %s}
    - {name: b, size: 350MB}
  links: {registry: {down: %s, latency: 200ms}}
  agents: {start: %s, join: {median: 3s, p95: 9s}, wipe: %s}
  fee: 0.1/h
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-03-23T00:00:00+01:00
  zone: Europe/Oslo
  classes:
`, pick("2.3GB", "10MB", "900MB"), pick("120MB/s", "40MB/s", "1GB/s"), pick("{fixed: 2s}", "{mean: 2s}", "{fixed: 0s}"),
		pick("{fixed: 0s}", "{median: 4s, p95: 11s}"))
	classes := 2 + r.IntN(3)
	for i := range classes {
		fmt.Fprintf(&b, `    - name: k%d
      wants: [%s]
      work: %s
      arrivals:
        hours: [{when: "Mon-Fri 07:05-18:00", perHour: %d}, {when: "Mon-Sun 00:00-24:00", perHour: %d}]
        bursts: [{when: "Mon-Sun 0%d:00", count: %d, over: %s}]
`, i, pick("x", "x, y", "z", "y"), pick("{median: 3m, p95: 9m}", "{mean: 2m, shape: 3}", "{samples: [10s, 50s, 4m]}", "{fixed: 45s}"),
			r.IntN(60), r.IntN(8), r.IntN(10), 1+r.IntN(30), pick("0s", "10m"))
	}
	fmt.Fprintf(&b, `---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: random}
spec:
  cluster: c
  workload: w
  templates:
    - template: one
      agents: {reuse: %s, floor: %d, ceiling: %d, spare: %d, linger: %s, every: 5s, step: %d, settle: %s}
    - template: two
      agents: {reuse: %s, ceiling: %d, linger: 4m, every: %s, calendar: [{when: "Mon-Fri 07:00-18:00", floor: 1, spare: %d}]}
`, pick("never", "while-idle"), r.IntN(3), 3+r.IntN(12), r.IntN(3), pick("0s", "3m", "20m"), r.IntN(4), pick("0s", "2m"),
		pick("never", "while-idle"), 2+r.IntN(20), pick("0s", "10s", "7s"), r.IntN(3))
	if r.IntN(2) == 0 {
		fmt.Fprintf(&b, "  agentCeiling: %d\n", 4+r.IntN(12))
	}
	fmt.Fprintf(&b, "  nodes: {placement: %s, growth: {scan: %s, patience: %s, choose: %s, shrinkAfter: %s}}\n",
		pick("spread", "pack"), pick("10s", "1s"), pick("0s", "30s"), pick("cheapest", "tightest", "listed"), pick("0s", "2m", "10m"))
	fmt.Fprintf(&b, "  run: {span: 30h, warmup: %s, repeats: 3, seed: %d}\n", pick("0s", "2h"), seed)
	b.WriteString(Template("one", "x, y", pick("1", "3500m"), pick("2Gi", "8Gi"), "a"))
	b.WriteString(Template("two", "z, x", pick("500m", "2"), "3Gi", pick("a", "b")))
	return b.String()
}
