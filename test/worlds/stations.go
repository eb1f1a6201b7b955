package worlds

import (
	"fmt"

	"tachyphor/core/world"
)

// A Shared is a station at which all jobs work at once and share it: a link that
// they send over, or the CPU of a node. Theory knows it as M/G/1 with processor
// sharing: the mean time there is mean work / (1 − load), whatever the form of the
// work.
type Shared struct {
	CPU     bool // a node's CPU; a link otherwise
	Load    float64
	Form    string // of the work, its mean WorkMean seconds, as in {mean: 10s} or {mean: 10MB}
	Hours   int
	Repeats int
}

// Forms of work with the mean of WorkMean: seconds at full speed, and MB over a
// link of 1 MB/s. The last is log-normal with σ = 1, its median 10/√e.
var (
	CPUForms  = []string{"{fixed: 10s}", "{mean: 10s}", "{median: 6.0653s, p95: 31.4198s}"}
	LinkForms = []string{"{fixed: 10MB}", "{mean: 10MB}", "{median: 6.0653MB, p95: 31.4198MB}"}
)

// Build returns the station as a world.
func (q Shared) Build() (*world.World, error) {
	perHour := q.Load / WorkMean * 3600
	cpu, class, caching := 1000, "work: 1s, workspace: {size: "+q.Form+"}", "  caching: [{plan: archive, save: every-success, savedBy: all}]\n"
	if q.CPU {
		cpu, class, caching = 1, "work: "+q.Form+", cores: 1", ""
	}
	return Parse(fmt.Sprintf(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: %d, memory: 1Ti, pods: 10000, price: 1/h}]
  pools: [{name: only, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
  links: {store: {up: 1MB/s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: job, wants: [], %s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: %g}]}}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: shared}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {reuse: never, every: 0s}}]
%s  run: {span: %dh, warmup: %dm, repeats: %d, seed: 7}
`, cpu, class, perHour, caching, q.Hours, q.Hours*6, q.Repeats)+Template("t", "any", "1m", "1Mi", "i:1"), "")
}
