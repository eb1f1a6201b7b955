package worlds

// OneNode is a cluster of one node that is always there, with room for all.
const OneNode = `  nodeTypes: [{name: n, cpu: 64, memory: 256Gi, price: 1/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: i, size: 1}]
`

// Replayed returns documents with recorded jobs, from Monday 14 September 2026 on: the lines of the
// Cluster's spec, the job classes, the lines of the Scenario's spec behind what it runs on, and
// whatever comes behind, as templates.
func Replayed(cluster, classes, scenario, more string) string {
	return `apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
` + cluster + `---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-14T00:00:00Z
  jobs: {file: x.csv}
  classes:
` + classes + `---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
` + scenario + more
}
