package sim_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// A bench is a small world in which one mechanism is tried: one node type of 4
// CPU and 16 GiB, fixed times, agents there at once unless it says otherwise.
type bench struct {
	types    string // more fields of the node type
	pools    string // list of pools; absent: one node, always
	images   string // list of images; absent: one of nothing much
	cluster  string // more fields of the cluster
	classes  string // list of classes; absent: one of 100 s
	agents   string // the template's numbers
	template string // PodTemplate's text; absent: 2 CPU, 4 GiB
	more     string // more templates of the scenario
	scenario string // more fields of the scenario
	jobs     string // CSV
}

func (b bench) world(t *testing.T) *world.World {
	t.Helper()
	w, err := worlds.Parse(b.text(), b.jobs)
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// text is the bench's documents.
func (b bench) text() string {
	or := func(s, absent string) string {
		if s == "" {
			return absent
		}
		return s
	}
	numbers := b.agents
	for _, d := range []string{"every: ", "linger: "} {
		if !strings.Contains(numbers, d) {
			numbers = d + "0s, " + numbers
		}
	}
	return `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 3.6/h, ` + b.types + `}]
  pools: ` + or(b.pools, "[{name: p, nodeType: n, min: 1, max: 1}]") + `
  images: ` + or(b.images, `[{name: "i:1", size: 1}]`) + `
` + b.cluster + `
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: ` + or(b.classes, "[{name: k, wants: [x], work: 100s}]") + `
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {` + numbers + `}}` + b.more + `]
` + b.scenario + `
  run: {span: 4h, repeats: 1}
` + or(b.template, worlds.Template("t", "x", "2", "4Gi", "i:1"))
}

// made is text of a workload whose jobs are made, and a run as its field says.
func (b bench) made(run string) string {
	return strings.NewReplacer("jobs: {file: jobs.csv}", "", "span: 4h, repeats: 1", run).Replace(b.text())
}

func (b bench) run(t *testing.T) *sim.Trace {
	t.Helper()
	trace, err := sim.Run(b.world(t), 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := trace.Check(); err != nil {
		t.Error(err)
	}
	return trace
}

// tells checks the stories of jobs by id.
func tells(t *testing.T, trace *sim.Trace, want map[string]string) {
	t.Helper()
	for id, s := range want {
		j, ok := trace.Jobs.Find(id)
		if !ok {
			t.Errorf("no job %s", id)
			continue
		}
		if got := story(trace, j); got != s {
			t.Errorf("job %s:\n got %s\nwant %s", id, got, s)
		}
	}
}

// One agent, one project, fixed sizes and speeds: 1 GB comes down in 10 s and is
// unpacked in 5 s, is packed in 20 s and goes up in 100 s; latency 1 s; 50 s of
// cold work, of which an out-of-date cache spares 40 %.
func cached(rule, cluster string) bench {
	return bench{
		cluster: `
  links: {store: {down: 100MB/s, up: 10MB/s, latency: 1s}}
  store: {pack: 50MB/s, unpack: 200MB/s, ` + cluster + `}`,
		classes:  `[{name: k, project: a, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB, changeRate: CHANGE, partial: 0.4}}, {name: m, project: b, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB}}]`,
		agents:   "floor: 1, ceiling: 1",
		scenario: "  caching: [" + rule + "]",
	}
}

func TestCacheByHand(t *testing.T) {
	const (
		cold  = "work 100, cold 50"
		miss  = "restore 1, work 100, cold 50"
		warm  = "restore 16, work 100"
		saved = ", save 121"
		part  = "restore 16, work 100, cold 30"
	)
	jobs := "id,submitted,class,branch\none,0,k,trunk\ntwo,1000,k,trunk\nthree,2000,k,change\nfour,3000,k,trunk\nother,4000,m,trunk\n"
	for _, c := range []struct {
		name, rule, cluster, change string
		want                        []string // by job
	}{
		{"no plan", "{plan: none}", "", "0", []string{cold, cold, cold, cold, cold}},
		{
			"saved after every success, by the trunk", "{plan: archive, save: every-success}", "", "0",
			[]string{miss + saved, warm + saved, warm, warm + saved, miss + saved},
		},
		{
			"by all", "{plan: archive, save: every-success, savedBy: all}", "", "0",
			[]string{miss + saved, warm + saved, warm + saved, warm + saved, miss + saved},
		},
		{"saved when changed", "{plan: archive}", "", "0", []string{miss + saved, warm, warm, warm, miss + saved}},
		{"never saved", "{plan: archive, save: never}", "", "0", []string{miss, miss, miss, miss, miss}},
		{
			"every build changes its dependencies", "{plan: archive}", "", "1",
			[]string{miss + saved, part + saved, part, part + saved, miss + saved},
		},
		{
			"and change requests save", "{plan: archive, savedBy: all}", "", "1",
			[]string{miss + saved, part + saved, part + saved, part + saved, miss + saved},
		},
		{
			"saved every 25 minutes", "{plan: archive, save: every, every: 25m}", "", "0",
			[]string{miss + saved, warm, warm, warm + saved, miss + saved},
		},
		{"entries expire", "{plan: archive, expires: 15m}", "", "0", []string{miss + saved, warm, miss, miss + saved, miss + saved}},
		{"a store too small for both", "{plan: archive}", "size: 1.5GB", "0", []string{miss + saved, warm, warm, warm, miss + saved}},
		{
			"a store too small for one", "{plan: archive}", "size: 500MB", "0",
			[]string{miss + saved, miss + saved, miss, miss + saved, miss + saved},
		},
		{"one cache for all classes", "{plan: archive, classes: [k]}", "", "0", []string{miss + saved, warm, warm, warm, cold}},
		{"saves that fail", "{plan: archive}", "saveFails: 1", "0", []string{miss + saved, miss + saved, miss, miss + saved, miss + saved}},
		{"node-disk", "{plan: node-disk}", "", "0", []string{cold, "work 100", "work 100", "work 100", cold}},
		{"volume", "{plan: volume, size: 10GB}", "", "0", []string{cold, "work 100", "work 100", "work 100", cold}},
	} {
		t.Run(c.name, func(t *testing.T) {
			b := cached(c.rule, c.cluster)
			b.classes = strings.Replace(b.classes, "CHANGE", c.change, 1)
			b.jobs = jobs
			want := map[string]string{}
			for i, id := range []string{"one", "two", "three", "four", "other"} {
				want[id] = c.want[i]
			}
			tells(t, b.run(t), want)
		})
	}
}

// A workspace in the image is as old as the image, comes with it over the registry's
// link once for each node and edition, and stays with an agent.
func TestBakedByHand(t *testing.T) {
	b := bench{
		cluster: "  links: {registry: {down: 100MB/s, latency: 2s}}",
		classes: "[{name: k, project: a, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB, changeRate: 1, partial: " +
			"0.4}}, {name: m, project: a, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB, partial: 0.4}}]",
		agents:   "reuse: never",
		images:   `[{name: "i:1", size: 100MB}]`,
		scenario: "  caching: [{plan: baked, every: 1h}]",
		jobs:     "id,submitted,class\nfirst,0,m\nchanges,1000,k\nafter,2000,m\nnext,3700,m\nagain,5000,m\n",
	}
	tells(t, b.run(t), map[string]string{
		"first": "pull 15, work 100", "changes": "work 100, cold 30", "after": "work 100, cold 30", "next": "pull 12, work 100",
		"again": "work 100",
	})
	b.agents = "reuse: while-idle, floor: 1, ceiling: 1" // one agent, which keeps the first edition
	tells(t, b.run(t), map[string]string{"next": "work 100, cold 30", "again": "work 100, cold 30"})
	if w := b.world(t).WithCaching(nil); len(w.Images) != 1 {
		t.Errorf("%d images without the plan", len(w.Images))
	}
}

// With two projects in a store for one, each pushes the other out.
func TestStoreEvictsLeastRecentlyUsed(t *testing.T) {
	b := cached("{plan: archive}", "size: 1.5GB")
	b.classes = strings.Replace(b.classes, "CHANGE", "0", 1)
	b.jobs = "id,submitted,class\none,0,k\ntwo,1000,m\nthree,2000,k\n"
	trace := b.run(t)
	tells(t, trace, map[string]string{"three": "restore 1, work 100, cold 50, save 121"})
	if trace.Cache.PushedOut != 2 || trace.Cache.Saves != 3 {
		t.Errorf("%+v", trace.Cache)
	}
}

// What the store keeps, moves and is asked for, in bytes and money: one archive of
// 1 GB kept from second 272 on.
func TestCacheIsPaidFor(t *testing.T) {
	b := cached("{plan: archive}", "price: 0.73/GB-month, request: 1/1000")
	b.classes = strings.Replace(b.classes, "CHANGE", "0", 1)
	b.jobs = "id,submitted,class\none,0,k\ntwo,1000,k\n"
	trace := b.run(t)
	kept := units.Bytes(trace.Cache.Kept.Mean(4*units.Hour) + 0.5)
	if want := units.GB * (14400 - 272) / 14400; kept-want < -1 || kept-want > 1 {
		t.Errorf("%d bytes kept on average, want %d", kept, want)
	}
	if trace.Moved[1] != units.SumOf(units.GB) || trace.Moved[2] != units.SumOf(units.GB) || trace.Cache.Requests != 3 {
		t.Errorf("moved %v, %d requests", trace.Moved, trace.Cache.Requests)
	}
	// 0.73 a GB-month is 0.001 a GB-hour: 14128/3600 h of 1 GB.
	if got := trace.World.Store.Price.For(trace.Cache.Kept); got != units.SumOf[units.Money](3_924_444) {
		t.Errorf("kept for %d, want 3924444", got)
	}
}

// Two agents restore 1 GB each over a link that gives them 100 MB/s together: both
// take 20 s; with 60 MB/s for each flow too. One volume serves them one after the
// other, and attaching it to the same node again takes no time.
func TestCacheContention(t *testing.T) {
	jobs := "id,submitted,class\nfill,0,k\na,1000,k\nb,1000,k\n"
	b := cached("{plan: archive}", "")
	b.classes = strings.Replace(b.classes, "CHANGE", "0", 1)
	b.agents, b.jobs = "floor: 2, ceiling: 2", jobs
	tells(t, b.run(t), map[string]string{"a": "restore 26, work 100", "b": "restore 26, work 100"})

	b = cached("{plan: volume, size: 1GB}", "")
	b.classes = strings.Replace(b.classes, "CHANGE", "0", 1)
	b.cluster = "  volumes: {attach: 7s}"
	b.agents, b.jobs = "floor: 2, ceiling: 2", jobs
	tells(t, b.run(t), map[string]string{"fill": "restore 7, work 100, cold 50", "a": "work 100", "b": "volume-taken 100, work 100"})
}

// sized is a PodTemplate with requests and limits.
func sized(name, offers, requests, limits string) string {
	return fmt.Sprintf(`---
apiVersion: v1
kind: PodTemplate
metadata: {name: %s, annotations: {tachyphor/offers: %q}}
template:
  spec:
    containers: [{name: agent, image: "i:1", resources: {requests: {%s}, limits: {%s}}}]
`, name, offers, requests, limits)
}

// Two jobs of 100 and 50 s that want 4 cores each on a node of 4. The first agent
// has weight 1; the second weight 3 and a limit of 2 cores. By weights the second
// would get 3 of the 4, its limit leaves it 2, and the first gets the other 2:
// both work at half speed. After 100 s the second is done, and the first does its
// last 50 s at full speed.
func TestSharedCPUByHand(t *testing.T) {
	b := bench{
		classes: "[{name: a, wants: [x], work: 100s, cores: 4}, {name: b, wants: [y], work: 50s, cores: 4}, {name: c, wants: " +
			"[y], work: 100s, cores: 4, parallel: 0.5}]",
		agents:   "floor: 1, ceiling: 1",
		more:     ", {template: u, agents: {every: 0s, floor: 1, ceiling: 1}}",
		template: sized("t", "x", "cpu: 1, memory: 1Gi", "") + sized("u", "y", "cpu: 3, memory: 1Gi", "cpu: 3") + "",
		jobs:     "id,submitted,class,cores\na,0,a,\nb,0,b,\nc,1000,c,\nd,2000,c,2.5\n",
	}
	b.template = strings.Replace(b.template, "limits: {cpu: 3}", "limits: {cpu: 3}", 1)
	trace := b.run(t)
	// With a limit of 3 the second gets 3, the first 1: 50 s at 3/4 take 66.7 s, in
	// which the first does 16.7 s; the other 83.3 s it does alone. c wants 4 and may
	// have 3: 1/(0.5·4/3 + 0.5) = 6/7. d wants less than that.
	tells(t, trace, map[string]string{
		"a": "work 100, stretch 50.000000001", "b": "work 50, stretch 16.666666667",
		"c": "work 100, stretch 16.666666667", "d": "work 100",
	})
	used := units.TotalOf(trace.Lines.CPU[sim.LineUsed].Area...).Float() / 1000
	// 4 · 150 (a and b together use the node throughout) + 3 · 116.67 + 2.5 · 100
	if want := 4*150 + 350 + 250.0; math.Abs(used/1e9-want) > 1e-5 {
		t.Errorf("%v core-seconds used, want %v", used/1e9, want)
	}
}

// A job above its agent's memory ends at a drawn point of its work, runs again
// once, and fails for good; the same for disk. A node short of memory evicts the
// agent furthest above its request. A job over its time fails at once.
func TestKillsByHand(t *testing.T) {
	b := bench{
		classes:  "[{name: k, wants: [x], work: 100s, retries: 1}, {name: slow, wants: [x], work: 100s, limit: 60s, retries: 5}]",
		agents:   "floor: 2, ceiling: 2",
		template: sized("t", "x", "cpu: 2, memory: 4Gi", "memory: 10Gi, ephemeral-storage: 5Gi"),
		jobs:     "id,submitted,class,memory,disk\noom,0,k,11Gi,\ndisk,1000,k,1Gi,6Gi\nbig,2000,k,9Gi,\nother,2000,k,8Gi,\nslow,3000,slow,1Gi,1Gi\nfine,4000,k,10Gi,5Gi\n",
	}
	trace := b.run(t)
	result := func(id string) (sim.Record, string) {
		j, _ := trace.Jobs.Find(id)
		return trace.Records[j], story(trace, j)
	}
	for id, want := range map[string]sim.Result{"oom": sim.OutOfMemory, "disk": sim.OutOfDisk} {
		r, told := result(id)
		if r.Result != want || r.Lost != 2 || strings.Count(told, "lost") != 2 {
			t.Errorf("%s: %v after %d attempts: %s", id, r.Result, r.Lost, told)
		}
	}
	// 9 + 8 GiB are more than the node's 16: the one at 9 is 5 above its request, the
	// other 4. It has room when it runs again after the other has ended, or when the
	// other is below its own peak; then the other goes too.
	big, told := result("big")
	if trace.Cut[sim.Evicted] == 0 || big.Lost == 0 || !strings.Contains(told, "lost") {
		t.Errorf("evicted %d, big: %s", trace.Cut[sim.Evicted], told)
	}
	if r, told := result("slow"); r.Result != sim.TimedOut || told != "work 60" || r.Lost != 0 {
		t.Errorf("slow: %v, %s", r.Result, told)
	}
	if r, told := result("fine"); r.Result != sim.Succeeded || told != "work 100" {
		t.Errorf("fine: %v, %s", r.Result, told)
	}
}

// A job is released when those it comes after have ended well: at 100 and 250 s.
// Behind one that fails, all are dropped.
func TestChainsByHand(t *testing.T) {
	trace := bench{
		classes: "[{name: k, wants: [x], work: 100s}, {name: slow, wants: [x], work: 100s, limit: 60s}]",
		agents:  "floor: 2, ceiling: 2",
		jobs:    "id,submitted,class,after\na,0,k,\nb,150,k,\nc,10,k,a;b\nlate,600,k,c\nbad,1000,slow,\nnext,1000,k,bad\nlast,1000,k,next a\n",
	}.run(t)
	tells(t, trace, map[string]string{"c": "work 100", "late": "work 100", "next": "", "last": ""})
	want := []sim.Result{sim.Succeeded, sim.Succeeded, sim.Succeeded, sim.Succeeded, sim.TimedOut, sim.Dropped, sim.Dropped}
	ids := []string{"a", "b", "c", "late", "bad", "next", "last"}
	for i, id := range ids {
		j, _ := trace.Jobs.Find(id)
		if r := trace.Records[j]; r.Result != want[i] {
			t.Errorf("%s: %v, want %v", id, r.Result, want[i])
		}
	}
	c, _ := trace.Jobs.Find("c")
	if got := trace.From(c); got != 250*units.Second {
		t.Errorf("c is released at %v", got)
	}
}

// With one agent, the job of higher priority goes before those submitted earlier.
func TestPrioritiesByHand(t *testing.T) {
	trace := bench{
		classes: "[{name: k, wants: [x], work: 100s}, {name: urgent, wants: [x], work: 100s, priority: 5}]",
		agents:  "floor: 1, ceiling: 1",
		jobs:    "id,submitted,class\na,0,k\nb,10,k\nc,20,k\nd,30,urgent\ne,150,urgent\n",
	}.run(t)
	tells(t, trace, map[string]string{
		"d": "ceiling 70, work 100", "e": "ceiling 50, work 100", "b": "ceiling 290, work 100",
		"c": "ceiling 380, work 100",
	})
}

// Images of two layers, 6 and 4 GB at 1 GB/s, the larger one shared: the second
// image brings only its own 4. A node with room for 10 GB drops the one that is
// not used. An image asked for anyway costs the registry's latency; one made at the
// start its making; boot tools and an agent that updates itself take their time.
func TestImagesAndBootByHand(t *testing.T) {
	layered := `[{name: "a:1", layers: [{name: base, size: 6GB}, {name: a, size: 4GB}]}, {name: "b:1", layers: [{name: base, size: 6GB}, {name: b, size: 4GB}]}]`
	b := bench{
		images: layered, cluster: "  links: {registry: {down: 1GB/s, latency: 2s}}",
		classes: "[{name: k, wants: [x], work: 10s}, {name: m, wants: [y], work: 10s}]",
		agents:  "reuse: never", more: ", {template: u, agents: {every: 0s, reuse: never}}",
		template: worlds.Template("t", "x", "1", "1Gi", "a:1") + worlds.Template("u", "y", "1", "1Gi", "b:1"),
		jobs:     "id,submitted,class\na,0,k\nb,100,m\nagain,200,k\nboth,300,m\n",
	}
	tells(t, b.run(t), map[string]string{"a": "pull 12, work 10", "b": "pull 6, work 10", "again": "work 10"})
	b.types = "imageStore: 12GB"
	tells(t, b.run(t), map[string]string{
		"a": "pull 12, work 10", "b": "pull 6, work 10", "again": "pull 6, work 10",
		"both": "pull 6, work 10",
	})

	// Two pulls at a time share the link and the layer that both need: 6 + 4 + 4 GB.
	b.types, b.pools, b.jobs = "", "[{name: p, nodeType: n, min: 1, max: 1, pulls: 2}]", "id,submitted,class\na,0,k\nb,0,m\n"
	tells(t, b.run(t), map[string]string{"a": "pull 16, work 10", "b": "pull 16, work 10"})
	b.pools = "[{name: p, nodeType: n, min: 1, max: 1}]"
	tells(t, b.run(t), map[string]string{"a": "pull 12, work 10", "b": "pull 18, work 10"})

	b = bench{
		images: `[{name: "i:1", size: 1, agent: "4.9", makeTime: 7s}, {name: "l", size: 1}]`,
		cluster: `  links: {registry: {latency: 2s}}
  agents: {start: 1s, join: 3s, version: "4.10", update: 11s, tools: [{name: jq, install: 5s}, {name: cmake, install: 6s}]}`,
		classes: "[{name: k, wants: [x], work: 10s}, {name: m, wants: [y], work: 10s}]",
		agents:  "reuse: never", more: ", {template: u, agents: {every: 0s, reuse: never}}",
		template: strings.Replace(worlds.Template("t", "x", "1", "1Gi", "i:1"), "tachyphor/offers",
			"tachyphor/boot-tools: 'jq, cmake', tachyphor/offers", 1) +
			worlds.Template("u", "y", "1", "1Gi", "l"),
		jobs: "id,submitted,class\na,0,k\nb,0,m\nc,100,m\n",
	}
	tells(t, b.run(t), map[string]string{
		"a": "make 7, pull 2, start 1, install 11, join 3, update 11, work 10",
		"b": "pull 2, start 1, join 3, work 10", "c": "pull 2, start 1, join 3, work 10",
	})
	b.cluster = strings.Replace(b.cluster, "install: 6s", "install: 6s, fails: 0.7", 1)
	trace := b.run(t)
	j, _ := trace.Jobs.Find("a")
	if told := story(trace, j); trace.FailedStarts == 0 || !strings.HasPrefix(told, "agent-failed ") ||
		trace.Records[j].Result != sim.Succeeded {
		t.Errorf("%d failed starts, %s", trace.FailedStarts, told)
	}
}

// Quotas hold jobs back as ceilings do, and say of what.
func TestQuotaByHand(t *testing.T) {
	for quota, want := range map[string]string{
		"pods: 1": "quota-pods 100", "cpu: 3": "quota-cpu 100", "memory: 7Gi": "quota-memory 100", "pods: 2, cpu: 4": "",
	} {
		trace := bench{agents: "reuse: never", scenario: "  quota: {" + quota + "}", jobs: "id,submitted,class\na,0,k\nb,0,k\n"}.run(t)
		if want != "" {
			want += ", "
			if s := trace.Stays(1); s[0].By != 0 {
				t.Errorf("%s: freed by job %d, want 0", quota, s[0].By)
			}
		}
		tells(t, trace, map[string]string{"b": want + "work 100"})
	}
}

// Without an agent to be seen the controller takes no job; a floor from 01:00 on
// lets it.
func TestNeedsOneAgentByHand(t *testing.T) {
	b := bench{
		agents: `needsOneAgent: true, calendar: [{when: "Mon 01:00-02:00", floor: 1}]`,
		jobs:   "id,submitted,class\na,0,k\nb,7260,k\nc,7500,k\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"a": "no-agent-yet 3600, work 100"})
	if r := trace.Records[1]; r.Started != 7*units.Day+units.Hour { // the last agent went at 02:00, the next comes a week later
		t.Errorf("b started at %v", r.Started)
	}
	b.agents += ", oneAgentWithin: 2m"
	trace = b.run(t)
	tells(t, trace, map[string]string{"b": "work 100"})
	if r := trace.Records[2]; r.Started != 7*units.Day+units.Hour {
		t.Errorf("c started at %v, though the last agent had gone 140 s before", r.Started)
	}
}

// Nodes: a boot that fails, a pool that has none, a calendar, a drain, a spot node.
func TestNodesByHand(t *testing.T) {
	one := "id,submitted,class\na,0,k\n"
	b := bench{pools: "[{name: p, nodeType: n, max: 2, boot: 60s, bootFails: 1, retryAfter: 5m}, {name: q, nodeType: n, max: " +
		"2, boot: 90s}]", agents: "reuse: never", jobs: one}
	trace := b.run(t)
	tells(t, trace, map[string]string{"a": "boot-failed 60, boot 90, work 100"})
	if trace.BootsFailed != 1 || trace.Nodes[0].Billed != 60*units.Second {
		t.Errorf("%d boots failed, %+v", trace.BootsFailed, trace.Nodes[0])
	}
	b.pools = "[{name: p, nodeType: n, max: 2, boot: 60s, noCapacity: 0.9, retryAfter: 1m}]"
	trace = b.run(t)
	told := story(trace, 0)
	if trace.NoCapacity == 0 || !strings.HasPrefix(told, "no-capacity ") ||
		int(trace.Records[0].Started/units.Minute) != int(trace.NoCapacity)+1 {
		t.Errorf("refused %d times: %s", trace.NoCapacity, told)
	}

	// min 2 from 01:00 to 02:00; node 2 is there for the job at 01:05, and both have
	// been empty for more than a minute when it ends.
	b = bench{
		pools: "[{name: p, nodeType: n, max: 2, boot: 60s}]", agents: "reuse: never", jobs: "id,submitted,class\na,3900,k\n",
		scenario: `  nodes: {growth: {shrinkAfter: 1m}, pools: {p: {min: 0, calendar: [{when: "Mon 01:00-02:00", min: 2}]}}}`,
	}
	trace = b.run(t)
	tells(t, trace, map[string]string{"a": "work 100"})
	if len(trace.Nodes) != 2 || trace.Nodes[0].Asked != units.Hour || trace.Nodes[1].Gone != 2*units.Hour {
		t.Errorf("%+v", trace.Nodes)
	}

	// A drain from 00:10 to 00:30: the job at 00:09 finishes, the one at 00:11 waits.
	b = bench{
		pools: `[{name: p, nodeType: n, min: 1, max: 2, boot: 60s, drains: [{when: "Mon 00:10-00:30"}]}]`, agents: "floor: 1, ceiling: 2",
		jobs: "id,submitted,class\na,540,k\nb,660,k\n",
	}
	trace = b.run(t)
	tells(t, trace, map[string]string{"a": "work 100"})
	if r := trace.Records[1]; r.Started < 30*units.Minute {
		t.Errorf("b started at %v, in the drain", r.Started)
	}
	for _, s := range trace.Stays(1) {
		if s.Cause == sim.PoolsFull {
			if words := trace.Verdicts[s.By].Words(nil); !strings.Contains(words, "1 node(s) were unschedulable") {
				t.Error(words)
			}
		}
	}
}

// Spot nodes are taken back after notice: their jobs run again, their time is
// lost, and a job that ends within the notice is saved.
func TestSpotByHand(t *testing.T) {
	b := bench{
		types: "spotPrice: 1.2/h", classes: "[{name: k, wants: [x], work: 20m, retries: 9}]", agents: "reuse: never",
		pools: "[{name: p, nodeType: n, max: 40, boot: 60s, spot: {perHour: 2, notice: 30s}}]",
	}
	b.jobs = "id,submitted,class\n"
	for i := range 40 {
		b.jobs += fmt.Sprintf("j%d,%d,k\n", i, 60*i)
	}
	trace := b.run(t)
	lost, again := 0, 0
	for j, r := range trace.Records {
		if r.Result != sim.Succeeded {
			t.Errorf("job %d: %v", j, r.Result)
		}
		lost += int(r.Lost)
		if told := story(trace, j); strings.Contains(told, "rerun") {
			again++
		}
	}
	if lost < 10 || int64(lost) != trace.Cut[sim.TakenBack] || again == 0 || trace.TakenBack == 0 {
		t.Errorf("%d attempts lost, %v, %d nodes taken back", lost, trace.Cut, trace.TakenBack)
	}
	var spent int64
	for _, n := range trace.Nodes {
		spent += n.Spent[sim.UseLost]
	}
	if spent == 0 || trace.World.Pools[0].Price != 1_200_000_000 {
		t.Error("no node time was booked as lost, or at the wrong price")
	}
}

// Room is kept for one more agent: the second job finds it, and its placeholder
// makes the pool grow instead.
func TestSpareRoomByHand(t *testing.T) {
	b := bench{
		pools:    "[{name: p, nodeType: n, min: 1, max: 3, boot: 60s}]",
		scenario: "  nodes: {growth: {scan: 10s, spareRoom: {t: 1}}}",
		agents:   "reuse: never", jobs: "id,submitted,class\na,100,k\nb,101,k\nc,300,k\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"a": "work 100", "b": "work 100", "c": "work 100"})
	if len(trace.Nodes) < 2 {
		t.Errorf("%d nodes: the placeholder did not make the pool grow", len(trace.Nodes))
	}
	b.scenario = ""
	b.pools = "[{name: p, nodeType: n, max: 3, boot: 60s}]"
	tells(t, b.run(t), map[string]string{"a": "boot 60, work 100"})
}

// A volume that one node can have holds its pods to that node; DaemonSets take room
// before agents; the pod of higher priority goes first.
func TestClaimsAndDaemonSetsByHand(t *testing.T) {
	b := bench{
		pools:   "[{name: p, nodeType: n, min: 2, max: 4, boot: 60s}]",
		cluster: "  claims: [{name: shared, size: 10GB}]",
		agents:  "reuse: never",
		template: strings.Replace(worlds.Template("t", "x", "3", "4Gi", "i:1"), "    containers:",
			"    volumes: [{name: v, persistentVolumeClaim: {claimName: shared}}]\n    containers:", 1),
		jobs: "id,submitted,class\na,0,k\nb,0,k\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"b": "pools-full 100, work 100"})
	if words := trace.Verdicts[trace.Stays(1)[0].By].Words(nil); words !=
		"0/2 nodes are available: 1 Insufficient cpu, 1 node(s) had volume node affinity conflict." {
		t.Error(words)
	}
	b = bench{
		cluster: "  daemonSets: [{name: logs, cpu: 500m, memory: 1Gi}, {name: other, cpu: 4, pools: [q]}]", agents: "reuse: never",
		jobs: "id,submitted,class\na,0,k\nb,0,k\n",
	}
	b.pools = "[{name: p, nodeType: n, min: 1, max: 1}, {name: q, nodeType: m, max: 0}]"
	b.cluster = strings.Replace(b.cluster, "  daemonSets", "  daemonSets", 1)
	b.types = "}, {name: m, cpu: 9, memory: 16Gi, price: 1/h"
	tells(t, b.run(t), map[string]string{"a": "work 100", "b": "pools-full 100, work 100"})
}

// The least charge is paid for a node that lives for less: booted for 60 s, at work
// for 100, gone 60 s later.
func TestLeastChargeByHand(t *testing.T) {
	trace := bench{
		types: "leastCharge: 10m", pools: "[{name: p, nodeType: n, max: 1, boot: 60s}]", agents: "reuse: never",
		jobs:     "id,submitted,class\na,0,k\n",
		scenario: "  nodes: {growth: {shrinkAfter: 1m}}",
	}.run(t)
	n := trace.Nodes[0]
	if n.Billed != 220*units.Second || n.Extra != 380*units.Second {
		t.Errorf("billed %v and %v", n.Billed, n.Extra)
	}
	if !slices.Equal(n.Spent[:], []int64{100e6 * 384, 0, 0, 0, 0, 600e6*1024 - 100e6*384, 0}) {
		t.Errorf("spent %v", n.Spent)
	}
}

// With one agent and jobs of 100 s every 30 s that wait at most a minute, every
// third is served: those at 0, 60 (which waits 40), 150 (50), 240 (60 is too long) …
func TestGivingUpByHand(t *testing.T) {
	b := bench{classes: "[{name: k, wants: [x], work: 100s, giveUpAfter: 1m}]", agents: "floor: 1, ceiling: 1", jobs: "id,submitted,class\n"}
	for i := range 8 {
		b.jobs += fmt.Sprintf("j%d,%d,k\n", i, 30*i)
	}
	trace := b.run(t)
	var got []string
	for j, r := range trace.Records {
		got = append(got, fmt.Sprint(trace.Jobs.ID(j), " ", r.Result))
		if told := story(trace, j); r.Result == sim.GaveUp && told != "ceiling 60" {
			t.Errorf("%s: %s", trace.Jobs.ID(j), told)
		}
	}
	// 0: 0–100. 30 gives up at 90. 60 starts at 100, to 200. 90 gives up at 150, 120
	// at 180. 150 starts at 200, to 300. 180 gives up at 240. 210 at 270.
	want := "j0 succeeded, j1 gave-up, j2 succeeded, j3 gave-up, j4 gave-up, j5 succeeded, j6 gave-up, j7 gave-up"
	if s := strings.Join(got, ", "); s != want {
		t.Errorf("\n got %s\nwant %s", s, want)
	}
}

// An image over a link of its own comes at that link's speed and latency, beside
// what the registry's carries: 4 GB at 500 MB/s, 1 GB at 1 GB/s.
func TestOtherLinksByHand(t *testing.T) {
	b := bench{
		images:  `[{name: "a:1", size: 1GB}, {name: "b:1", size: 4GB, link: mirror}]`,
		cluster: "  links: {registry: {down: 1GB/s, latency: 2s}, others: [{name: mirror, down: 500MB/s, latency: 3s, price: 0.1/GB}]}",
		pools:   "[{name: p, nodeType: n, min: 1, max: 1, pulls: 2}]",
		classes: "[{name: k, wants: [x], work: 10s}, {name: m, wants: [y], work: 10s}]",
		agents:  "reuse: never", more: ", {template: u, agents: {every: 0s, reuse: never}}",
		template: worlds.Template("t", "x", "1", "1Gi", "a:1") + worlds.Template("u", "y", "1", "1Gi", "b:1"),
		jobs:     "id,submitted,class\na,0,k\nb,0,m\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"a": "pull 3, work 10", "b": "pull 11, work 10"})
	if trace.Moved[0] != units.SumOf(units.GB) || trace.Moved[3] != units.SumOf(4*units.GB) {
		t.Errorf("moved %v", trace.Moved)
	}
	parts := outcome.Measure(trace, 0).Cost.Parts
	if last := parts[len(parts)-1]; last.Part != "mirror transfer" || last.Nano != units.SumOf[units.Money](400_000_000) {
		t.Errorf("%+v", parts)
	}
}
