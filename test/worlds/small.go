package worlds

// Small returns documents with one scenario, s: a pool of up to 20 nodes, jobs of one class
// that come as the workload's jobs say (a line of its spec) or the class's arrivals (a field
// of it), and a run.
func Small(jobs, arrivals, run string) string {
	return `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 16, memory: 64Gi, pods: 110, price: 0.7/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 20}]
  images: [{name: "i:1", size: 100MB}]
  links: {registry: {down: 1GB/s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-01T00:00:00Z
` + jobs + `  classes: [{name: k, wants: [x], work: {median: 150s, p95: 300s}` + arrivals + `}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec: {cluster: c, workload: w, templates: [{template: t}], run: ` + run + `}
` + Template("t", "x", "1", "4Gi", "i:1")
}
