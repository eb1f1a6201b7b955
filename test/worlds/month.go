package worlds

import (
	"strings"

	"tachyphor/core/world"
)

// Month returns a million jobs over thirty days on up to forty nodes, of three
// templates, two of them reused: agents only, as a bare queue has them.
func Month() (*world.World, error) { return Parse(month(bare), "") }

// FullMonth is Month with caching, spot nodes and shared CPU on.
func FullMonth() (*world.World, error) { return Parse(month(full), "") }

// FullDays is FullMonth's first two and a half days, a hundred thousand jobs, as documents.
func FullDays() string {
	return strings.Replace(month(full), "span: 30d, warmup: 1d", "span: 60h, warmup: 0s", 1)
}

// extras are what a month has on top of agents.
type extras struct{ cluster, spot, price, wide, small, images, caching string }

var bare = extras{}

var full = extras{
	cluster: `
    store: {down: 4GB/s, perFlow: 90MB/s, up: 600MB/s, perFlowUp: 40MB/s, latency: 100ms}
  store: {pack: 80MB/s, unpack: 300MB/s, price: 0.02/GB-month}`,
	spot:  "\n    - {name: burst-spot, nodeType: n, max: 16, boot: {median: 85s, p95: 110s}, spot: {perHour: 0.05, notice: 2m}}",
	price: ", spotPrice: 0.3/h",
	wide: ", cores: 6.5, parallel: 0.8, retries: 3, trunkShare: 0.3, workspace: {cold: {median: 60s, p95: 2m}, size: 800MB, " +
		"changeRate: 0.03}",
	small: ", cores: 1.6, parallel: 0.7, retries: 3, trunkShare: 0.3, workspace: {cold: {median: 20s, p95: 50s}, size: " +
		"200MB, changeRate: 0.03}",
	images:  ", cores: 2.5, retries: 3, trunkShare: 0.3, workspace: {cold: {median: 40s, p95: 90s}, size: 500MB, changeRate: 0.05}",
	caching: "  caching: [{plan: archive}]\n",
}

// busy is the cluster of a Month and a Week, its pools as large as they say.
func (x extras) busy(core, burst string) string {
	return strings.NewReplacer("@cluster", x.cluster, "@spot", x.spot, "@price", x.price, "@core", core, "@burst", burst).Replace(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 20, memory: 96Gi, pods: 60, price: 0.9/h, reserved: {cpu: 500m, memory: 6Gi}, unpack: 300MB/s@price}]
  pools:
    - {name: core, nodeType: n, @core}
    - {name: burst, nodeType: n, @burst, boot: {median: 85s, p95: 110s}}@spot
  images: [{name: a, size: 2.3GB}, {name: b, size: 600MB}, {name: c, size: 400MB}]
  links:
    registry: {down: 1GB/s, latency: 300ms}@cluster
  agents: {start: {median: 2s, p95: 5s}, join: {median: 3s, p95: 9s}, wipe: {median: 4s, p95: 11s}}
`)
}

func month(x extras) string {
	return x.busy("min: 8, max: 8", "max: 32") +
		strings.NewReplacer("@wide", x.wide, "@small", x.small, "@images", x.images, "@caching\n", x.caching).Replace(`---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-09-01T00:00:00+02:00
  zone: Europe/Oslo
  classes:
    - {name: wide, wants: [cxx], work: {median: 6m, p95: 14m}@wide, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 500}, {when: "Mon-Sun 00:00-24:00", perHour: 40}]}}
    - {name: small, wants: [web], work: {median: 80s, p95: 4m}@small, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 2420}, {when: "Mon-Sun 00:00-24:00", perHour: 300}]}}
    - {name: images, wants: [image], work: {median: 3m, p95: 8m}@images, arrivals: {hours: [{when: "Mon-Fri 07:00-19:00", perHour: 250}], bursts: [{when: "Mon-Sun 02:00", count: 200, over: 5m}]}}
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
@caching
  nodes: {placement: pack, growth: {shrinkAfter: 8m}}
  run: {span: 30d, warmup: 1d, repeats: 1, seed: 3}
`) + Template("wide", "cxx", "6", "20Gi", "a") + Template("small", "web", "1500m", "5Gi", "b") + Template("image", "image", "3", "8Gi", "c")
}
