package worlds

import (
	"fmt"

	"tachyphor/core/world"
)

// Sized returns about so many jobs on so many nodes at two thirds of what those
// can do: nodes of 16 agents, jobs of three minutes, at a steady rate, each on an
// agent of its own that is placed among all the nodes.
func Sized(jobs, nodes int) (*world.World, error) { return loaded(jobs, nodes, 2.0/3) }

// Overloaded is Sized at half more than its nodes can do: ever more pods wait.
func Overloaded(jobs, nodes int) (*world.World, error) { return loaded(jobs, nodes, 1.5) }

func loaded(jobs, nodes int, load float64) (*world.World, error) {
	perHour := load * 16 * float64(nodes) * 20
	hours := float64(jobs) / perHour
	return Parse(fmt.Sprintf(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 16, memory: 64Gi, pods: 110, price: 0.7/h}]
  pools: [{name: p, nodeType: n, min: %d, max: %d}]
  images: [{name: "i:1", size: 100MB}]
  links: {registry: {down: 10GB/s}}
  agents: {start: {median: 2s, p95: 5s}, join: {median: 3s, p95: 9s}, wipe: {median: 4s, p95: 11s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-01T00:00:00Z
  classes: [{name: k, wants: [x], work: {median: 150s, p95: 300s}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: %g}]}}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: sized}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {reuse: never}}]
  run: {span: %ds, repeats: 1, seed: 3}
`, nodes, nodes, perHour, int(hours*3600))+Template("t", "x", "1", "4Gi", "i:1"), "")
}
