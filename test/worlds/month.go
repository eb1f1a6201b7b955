package worlds

import "tachyphor/core/sim"

// Month returns a million jobs over thirty days on up to forty nodes, of three
// templates, two of them reused.
func Month() (*sim.World, error) {
	return Parse(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 20, memory: 96Gi, pods: 60, price: 0.9/h, reserved: {cpu: 500m, memory: 6Gi}, unpack: 300MB/s}]
  pools:
    - {name: core, nodeType: n, min: 8, max: 8}
    - {name: burst, nodeType: n, max: 32, boot: {median: 85s, p95: 110s}}
  images: [{name: a, size: 2.3GB}, {name: b, size: 600MB}, {name: c, size: 400MB}]
  links: {registry: {down: 1GB/s, latency: 300ms}}
  agents: {start: {median: 2s, p95: 5s}, join: {median: 3s, p95: 9s}, wipe: {median: 4s, p95: 11s}}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-01T00:00:00+02:00
  zone: Europe/Oslo
  classes:
    - {name: wide, wants: [cxx], work: {median: 6m, p95: 14m}, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 500}, {when: "Mon-Sun 00:00-24:00", perHour: 40}]}}
    - {name: small, wants: [web], work: {median: 80s, p95: 4m}, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 2420}, {when: "Mon-Sun 00:00-24:00", perHour: 300}]}}
    - {name: images, wants: [image], work: {median: 3m, p95: 8m}, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 250}], bursts: [{when: "Mon-Sun 02:00", count: 200, over: 5m}]}}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: month}
spec:
  cluster: c
  workload: w
  templates:
    - template: wide
      agents: {ceiling: 160, spare: 4, linger: 10m, step: 20, settle: 2m}
    - template: small
      agents: {ceiling: 300, spare: 8, linger: 10m, step: 40, settle: 2m}
    - template: image
      agents: {reuse: never, ceiling: 60}
  nodes: {placement: pack, growth: {shrinkAfter: 8m}}
  run: {span: 30d, warmup: 1d, repeats: 1, seed: 3}
`+Template("wide", "cxx", "6", "20Gi", "a")+Template("small", "web", "1500m", "5Gi", "b")+Template("image", "image", "3", "8Gi", "c"), "")
}
