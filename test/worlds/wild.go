package worlds

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"tachyphor/core/world"
)

// Wild returns a world drawn from a seed in which every mechanism may be on, each
// with numbers that make it matter: caches, shared CPU, kills, chains, retries,
// spot nodes, failing boots, drains, quotas, spare room, claims, boot tools, rules on
// neighbours, and what clusters do beyond the usual.
func Wild(seed uint64) (*world.World, error) { return Parse(WildText(seed), "") }

// WildText returns the documents of a Wild world.
func WildText(seed uint64) string {
	r := rand.New(rand.NewPCG(seed, 11))
	d := dice{r}
	var b strings.Builder
	wildCluster(&b, d)
	wildWorkload(&b, d)
	wildScenario(&b, d, seed)
	b.WriteString(wildTemplate("one", "x, y", d, "") + wildTemplate("two", "z, x", d, d.maybe(", tachyphor/boot-tools: 'jq, cmake'")))
	if d.IntN(2) == 0 {
		b.WriteString(strings.Replace(wildTemplate("three", "y, z", d, ""), "    containers:",
			"    priorityClassName: high\n    volumes: [{name: v, persistentVolumeClaim: {claimName: shared}}]\n    containers:", 1))
	} else {
		b.WriteString(wildTemplate("three", "y, z", d, ""))
	}
	text := harsh(neighbourly(b.String(), dice{rand.New(rand.NewPCG(seed, 12))}), dice{rand.New(rand.NewPCG(seed, 13))})
	if seed >= 12 { // the first stay as they were
		text = troubled(lived(text, dice{rand.New(rand.NewPCG(seed, 14))}), dice{rand.New(rand.NewPCG(seed, 15))})
	}
	return text
}

// lived has agents live for so long or so many jobs, hinder those after by what they leave, and join before
// their boot tools are there.
func lived(text string, d dice) string {
	if d.IntN(2) == 0 {
		text = strings.Replace(text, "partial: 0.6}", "partial: 0.6, leftovers: {slower: 0.05, fails: "+d.pick("0", "0.02", "1")+"}}", 1+d.IntN(3))
	}
	if at := strings.Index(text, "---\napiVersion: v1\nkind: PodTemplate\nmetadata: {name: one,"); d.IntN(3) == 0 &&
		!strings.Contains(text, "spareRoom") && !strings.Contains(text, "baked") {
		next := strings.Replace(text[at:at+4+strings.Index(text[at+4:], "---\n")], "name: one,", "name: one-next,", 1)
		next = strings.Replace(next, `cpu: "1"`, `cpu: "1500m"`, 1)
		text = strings.Replace(text, "  run: {span:", "  changes: [{at: \"2026-03-30T09:20:00+02:00\", template: one, becomes: one-next, recycle: "+
			d.pick("none", "idle", "all")+"}, {at: \"2026-03-30T15:00:00+02:00\", template: one, becomes: one}]\n  run: {span:", 1) + next
	}
	text = strings.Replace(text, "plan: archive, save: ", "plan: archive, "+d.pick("", "afterFailure: true, ")+"save: ", 1)
	if d.IntN(2) == 0 {
		text = strings.Replace(text, "{plan: archive, scope: class,", "{plan: archive, scope: branch,", 1)
	}
	text = strings.Replace(text, "      trunkShare: 0.4\n", "      trunkShare: 0.4\n      red: 0.2\n      builds: 4\n", d.IntN(3))
	for range d.IntN(3) {
		more := d.pick("mostJobs: 3, ", "mostAge: 25m, ", "mostJobs: 2, mostAge: 2h, ")
		text = strings.Replace(text, "agents: {reuse: while-idle, ", "agents: {"+more+"reuse: while-idle,  ", 1)
	}
	if d.IntN(2) == 0 {
		text = strings.Replace(text, "  store: {pack", "    others: [{name: out, down: "+d.pick("10MB/s", "100MB/s")+
			", up: 5MB/s, perFlow: 4MB/s, price: 0.05/GB, fee: 0.02/h}]\n  store: {pack", 1)
		text = strings.Replace(text, "      parallel: 0.7\n", "      parallel: 0.7\n      network: [{over: out, for: packages, cold: true, down: {mean: 400MB}}, "+
			"{over: out, for: source, down: 90MB, up: 3MB}]\n", 1+d.IntN(2))
	}
	text = strings.Replace(text, "growth: {", "growth: {"+d.pick("", "drainBelow: 0.5, ", "drainBelow: 1, "), 1)
	if d.IntN(2) == 0 {
		text = strings.Replace(text, "'jq, cmake'", "'jq, cmake', tachyphor/joins: before-tools, tachyphor/without-tool: "+
			d.pick("job-waits", "job-fails"), 1)
		text = strings.ReplaceAll(text, "      parallel: 0.7\n", "      parallel: 0.7\n      tools: ["+d.pick("jq", "cmake", "jq, cmake")+"]\n")
	}
	return text
}

// neighbourly gives the templates of some worlds rules on one another.
func neighbourly(text string, d dice) string {
	if d.IntN(3) > 0 {
		return text
	}
	text = strings.Replace(text, "{name: base, nodeType: l,", "{name: base, labels: {shore: north}, nodeType: l,", 1)
	text = strings.Replace(text, "{name: grow, nodeType: m,", "{name: grow, labels: {shore: "+d.pick("north", "south")+"}, nodeType: m,", 1)
	parts := strings.Split(text, "template:\n  spec:\n")
	for i := range parts[1:] {
		key := func() string { return d.pick("kubernetes.io/hostname", "shore") }
		term := func() string {
			return fmt.Sprintf("{topologyKey: %s, labelSelector: {matchLabels: {role: %s}}}", key(), d.pick("a", "b"))
		}
		rules := ""
		if more := d.pick("", "podAntiAffinity: {requiredDuringSchedulingIgnoredDuringExecution: ["+term()+"]}",
			"podAntiAffinity: {preferredDuringSchedulingIgnoredDuringExecution: [{weight: 40, podAffinityTerm: "+term()+"}]}",
			"podAffinity: {requiredDuringSchedulingIgnoredDuringExecution: ["+term()+"]}",
			"podAffinity: {preferredDuringSchedulingIgnoredDuringExecution: [{weight: 70, podAffinityTerm: "+term()+"}]}"); more != "" {
			rules += "    affinity: {" + more + "}\n"
		}
		if d.IntN(2) == 0 {
			rules += fmt.Sprintf("    topologySpreadConstraints: [{maxSkew: %d, topologyKey: %s, whenUnsatisfiable: %s, "+
				"labelSelector: {matchLabels: {role: %s}}}]\n",
				1+d.IntN(2), key(), d.pick("DoNotSchedule", "ScheduleAnyway"), d.pick("a", "b"))
		}
		parts[i+1] = rules + parts[i+1]
		if d.IntN(3) == 0 {
			parts[i+1] = strings.Replace(parts[i+1], "{name: agent,", "{name: agent, ports: [{containerPort: 80, hostPort: 9000}],", 1)
		}
		parts[i] += "template:\n  metadata: {labels: {role: " + d.pick("a", "b") + "}}\n  spec:\n"
	}
	return strings.Join(parts, "")
}

// harsh adds what clusters do beyond the usual to half of the worlds: capacity that is short
// for hours, bills by steps, nodes of other speeds, spot nodes that go together, nodes that
// are packed again, people who wait for their own results.
func harsh(text string, d dice) string {
	if d.IntN(2) == 0 {
		return text
	}
	for _, x := range []struct{ at, more string }{
		{"price: 0.38/h,", d.pick("", " billedBy: 1m,", " billedBy: 1h, speed: 1.3,")},
		{"price: 0.74/h,", d.maybe(" speed: 0.8,")},
		{"boot: {median: 80s, p95: 110s}", d.maybe(", going: {median: 60s, p95: 2m}")},
		{"boot: {min: 10s, max: 3m}", d.maybe(", outages: {share: 0.2, length: {mean: 1h}}")},
		{"spot: {", d.maybe("bulk: {perWeek: 40, share: 0.6}, ")},
		{"attach: {median: 9s, p95: 20s},", d.maybe(" detach: 5s,")},
		{"cpu: 100m, memory: 200Mi", d.maybe(`, image: "c:1"`)},
		{"growth: {", d.maybe("repack: true, ")},
		{"linger: 4m,", d.maybe(" prefer: oldest,")},
		{"parallel: 0.7\n", d.maybe("      speeds: {m: 0.9}\n")},
		{"priorityClasses: {high: 1000}\n", d.pick("", "  scheduler: {backoff: {}, preemption: true}\n",
			"  scheduler: {backoff: {initial: 3s, max: 1m}}\n", "  scheduler: {preemption: true}\n")},
		{"boot: {min: 10s, max: 3m}", d.maybe(", notReady: {min: 1s, max: 20s}, bootsAtOnce: 2")},
		{"registry: {", d.maybe("fails: 0.3, ")},
		{"      arrivals:\n", d.pick("", "        people: [{count: 7, think: {mean: 20m}, when: 'Mon-Fri 08:00-18:00'}]\n",
			"        people: [{count: 3, think: 9m}, {count: 2, think: {mean: 1h}}]\n")},
	} {
		text = strings.Replace(text, x.at, x.at+x.more, 1)
	}
	if d.IntN(3) > 0 || strings.Contains(text, "labels: {shore") {
		return text
	}
	for pool, zone := range map[string]string{"base": "west", "grow": "east", "spot": d.pick("west", "east")} { // volumes stay where they are
		text = strings.Replace(text, "{name: "+pool+",", "{name: "+pool+", labels: {topology.kubernetes.io/zone: "+zone+"},", 1)
	}
	return strings.Replace(text, "volumes: {", "volumes: {zonal: true, ", 1)
}

// troubled has trouble come over many at once.
func troubled(text string, d dice) string {
	if d.IntN(2) == 0 {
		return text
	}
	events := "  events:\n"
	for range 1 + d.IntN(3) {
		from := 9*60 + d.IntN(120)
		events += fmt.Sprintf("    - {when: 'Mon-Sun %02d:%02d-%02d:%02d', %s}\n", from/60, from%60, from/60+1, from%60, d.pick(
			"spotTaken: {share: 0.7, every: 13m}", "spotTaken: {share: 1}", "noCapacity: {pools: [grow, base]}", "noCapacity: {}",
			"slow: {link: registry, to: 0.1}", "slow: {link: store, to: 0.02}", "controllerAway: true", "controllerAway: true", "controllerAway: true"))
	}
	return strings.Replace(text, "  nodes: {placement:", events+"  nodes: {placement:", 1)
}

type dice struct{ *rand.Rand }

func (d dice) pick(list ...string) string { return list[d.IntN(len(list))] }

// maybe returns text half of the time.
func (d dice) maybe(text string) string { return d.pick(text, "") }

func wildCluster(b *strings.Builder, d dice) {
	fmt.Fprintf(b, `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes:
    - {name: m, cpu: 8, memory: 32Gi, pods: 12, price: 0.38/h, spotPrice: 0.12/h, unpack: 150MB/s %s %s %s}
    - {name: l, cpu: 16, memory: 64Gi, price: 0.74/h, spotPrice: 0.25/h}
  pools:
    - {name: base, nodeType: l, min: %d, max: %d, boot: {median: 80s, p95: 110s} %s %s}
    - {name: grow, nodeType: m, max: %d, boot: {min: 10s, max: 3m} %s %s %s}
    - {name: spot, nodeType: l, max: %d, boot: 60s, spot: {perHour: %s, notice: %s}}
`, d.maybe(", imageStore: 3GB"), d.maybe(", cacheDisk: 3GB"), d.maybe(", leastCharge: 10m"),
		d.IntN(2), 1+d.IntN(5), d.maybe(", pulls: 3"), d.pick("", "", `, drains: [{when: "Mon 09:00-10:30"}]`),
		d.IntN(6), d.maybe(", bootFails: 0.3"), d.maybe(", noCapacity: 0.5, retryAfter: 3m"), d.maybe(", pulls: 2"),
		d.IntN(3)*d.IntN(4), d.pick("0.1", "1", "6"), d.pick("0s", "30s", "5m"))
	fmt.Fprintf(b, `  images:
    - {name: a, layers: [{name: base, size: 600MB}, {name: a, size: %s}] %s}
    - {name: "b:1", layers: [{name: base, size: 600MB}, {name: b, size: 350MB}] %s}
    - {name: "c:1", size: 900MB}
  links:
    registry: {down: %s, latency: 200ms, price: 0.01/GB}
    store: {down: 200MB/s, perFlow: 90MB/s, up: %s, perFlowUp: 12MB/s, latency: 150ms, price: 0.03/GB}
  store: {pack: 60MB/s, unpack: 180MB/s, price: 0.02/GB-month, request: 0.005/1000 %s %s}
  volumes: {attach: {median: 9s, p95: 20s}, price: 0.08/GB-month}
  claims: [{name: shared, size: 20GB}]
  priorityClasses: {high: 1000}
  daemonSets: [{name: logs, cpu: 100m, memory: 200Mi}]
  agents: {start: {mean: 2s}, join: {median: 3s, p95: 9s}, wipe: {median: 4s, p95: 11s}, version: "2.3", update: 12s, fee: 0.01/h,
    tools: [{name: jq, install: 4s}, {name: cmake, install: {median: 12s, p95: 30s}, fails: %s}]}
  fee: 0.1/h
---
`, d.pick("50MB", "2GB"), d.maybe(`, agent: "2.1"`), d.maybe(", makeTime: {mean: 20s}"), d.pick("120MB/s", "30MB/s"),
		d.pick("20MB/s", "150MB/s"),
		d.maybe(", size: 1.5GB"), d.maybe(", saveFails: 0.2"), d.pick("0", "0.2"))
}

func wildWorkload(b *strings.Builder, d dice) {
	b.WriteString(`apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-03-30T00:00:00+02:00
  zone: Europe/Oslo
  classes:
`)
	for i := range 3 {
		fmt.Fprintf(b, `    - name: k%d
      project: %s
      wants: [%s]
      work: %s
      cores: %s
      parallel: 0.7
      memory: %s
      disk: %s
      priority: %d
      retries: %d
      limit: %s
      giveUpAfter: %s
      trunkShare: 0.4
      workspace: {cold: {median: 60s, p95: 2m}, size: {median: 500MB, p95: 900MB}, changeRate: %s, partial: 0.6}
      arrivals:
        hours: [{when: "Mon-Fri 07:05-18:00", perHour: %d}, {when: "Mon-Sun 00:00-24:00", perHour: %d}]
        bursts: [{when: "Mon-Sun 0%d:00", count: %d, over: %s}]
`, i, d.pick("p", "q"), d.pick("x", "x, y", "z", "y"), d.pick("{median: 3m, p95: 9m}", "{mean: 2m, shape: 3}", "45s"),
			d.pick("0", "1.5", "4"),
			d.pick("0", "1Gi", "{median: 3Gi, p95: 7Gi}", "{median: 7Gi, p95: 16Gi}"), d.pick("1Gi", "{mean: 4Gi}"), d.IntN(3)-1, d.IntN(3),
			d.pick("0s", "6m"), d.pick("0s", "0s", "3m"),
			d.pick("0", "0.1", "1"), d.IntN(60), d.IntN(8), d.IntN(10), 1+d.IntN(30), d.pick("0s", "10m"))
	}
	fmt.Fprintf(b, "    - {name: after, wants: [x], work: 30s, cores: 1, follows: {class: k0, count: %d}}\n---\n", 1+d.IntN(2))
}

func wildScenario(b *strings.Builder, d dice, seed uint64) {
	away := ""
	if seed >= 12 && seed%4 == 1 { // the first stay as they were
		away = "      outOfService: [{when: \"Mon-Sun 09:00-09:40\", reason: a new image}, {when: \"Mon-Sun 09:30-11:00\"}]\n"
	}
	fmt.Fprintf(b, `apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: wild}
spec:
  cluster: c
  workload: w
  templates:
    - template: one
      agents: {reuse: %s, floor: %d, ceiling: %d, spare: %d, linger: %s, every: 5s, step: %d, settle: %s}
%s    - template: two
      agents: {reuse: %s, ceiling: %d, linger: 4m, every: %s, calendar: [{when: "Mon-Fri 07:00-18:00", floor: 1, spare: %d}]}
    - template: three
      agents: {reuse: %s, ceiling: %d, linger: 1m %s}
`, d.pick("never", "while-idle"), d.IntN(3), 3+d.IntN(12), d.IntN(3), d.pick("0s", "3m", "20m"), d.IntN(4), d.pick("0s", "2m"), away,
		d.pick("never", "while-idle"), 2+d.IntN(20), d.pick("0s", "10s"), d.IntN(3),
		d.pick("never", "while-idle"), 2+d.IntN(9), d.maybe(", floor: 1, needsOneAgent: true, oneAgentWithin: 5m"))
	b.WriteString(d.maybe("  agentCeiling: 12\n"))
	switch { // the first stay as they were, and no draw is moved by it
	case seed >= 12 && seed%5 == 3:
		fmt.Fprintf(b, "  limits: [{name: seats, templates: [one, three], agents: %d, seat: 0.03/h}]\n", 2+seed%7)
	case seed >= 12 && seed%7 == 5:
		b.WriteString("  limits: [{templates: [two, one], agents: 3}, {templates: [two], agents: 2, seat: 0.01/h}]\n")
	}
	b.WriteString(d.pick("", "", "  quota: {pods: 10}\n", "  quota: {cpu: 12}\n", "  quota: {memory: 24Gi}\n"))
	fmt.Fprintf(b, "  caching: [{classes: [k0], plan: %s, save: %s, savedBy: %s, size: 5GB, copies: 2 %s}, {plan: %s, scope: "+
		"class, expires: 3h}]\n",
		d.pick("archive", "volume", "node-disk"), d.pick("every-success", "when-changed", "never"), d.pick("trunk", "all"),
		d.maybe(", scope: class"), d.pick("archive", "volume", "none", "node-disk", "baked"))
	fmt.Fprintf(b, "  nodes: {placement: %s, pools: {%s}, growth: {scan: %s, patience: %s, choose: %s, shrinkAfter: %s %s}}\n",
		d.pick("spread", "pack"), d.maybe(`base: {calendar: [{when: "Mon-Fri 06:00-12:00", min: 1}]}`), d.pick("10s", "1s"), d.pick("0s", "30s"),
		d.pick("cheapest", "tightest", "listed"), d.pick("0s", "2m", "10m"), d.maybe(", spareRoom: {one: 2, two: 1}"))
	fmt.Fprintf(b, "  run: {span: 26h, warmup: %s, repeats: 2, seed: %d}\n", d.pick("0s", "2h"), seed)
}

func wildTemplate(name, offers string, d dice, more string) string {
	image := d.pick("a", "b:1", "c:1")
	return fmt.Sprintf(`---
apiVersion: v1
kind: PodTemplate
metadata: {name: %s, annotations: {tachyphor/offers: %q %s}}
template:
  spec:
    containers:
      - {name: agent, image: %q, resources: {requests: {cpu: %q, memory: %q}, limits: {%s}}}
`, name, offers, more, image, d.pick("500m", "1", "2500m"), d.pick("2Gi", "4Gi"),
		d.pick("", "", "memory: 4Gi", "cpu: 3", "memory: 6Gi, ephemeral-storage: 6Gi"))
}
