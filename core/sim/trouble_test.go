package sim_test

import (
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// event is text of a scenario with trouble from one second of the first day to another.
func event(from, to, what string) string {
	return "  events: [{from: \"2026-01-05T" + from + "Z\", to: \"2026-01-05T" + to + "Z\", reason: tests, " + what + "}]\n"
}

// The controller is away from 60 s to 660 s. Rounds are every 7 s: the first after it is at 665 s. An agent
// that joins in 30 s after being made at 56 s comes at 86 s and is let in at 660 s; the job that it was made
// for, submitted at 50 s, was seen at 56 s.
func TestControllerAwayByHand(t *testing.T) {
	b := bench{
		agents: "every: 7s, reuse: never", cluster: "  agents: {join: 30s}", scenario: event("00:01:00", "00:11:00", "controllerAway: true"),
		template: worlds.Template("t", "x", "500m", "1Gi", "i:1"),
		jobs:     "id,submitted,class\nbefore,0,k\ncoming,50,k\nlate,58,k\nmeanwhile,300,k\nafter,700,k\n",
	}
	tells(t, b.run(t), map[string]string{
		"before":    "join 30, work 100",
		"coming":    "round 6, join 30, nobody-there 574, work 100",
		"late":      "round 2, controller-away 600, round 5, join 30, work 100",
		"meanwhile": "controller-away 360, round 5, join 30, work 100",
		"after":     "join 30, work 100",
	})

	// With one agent only the second job waits for its ceiling; while the controller is away it is that which
	// keeps it, and the first job goes on.
	b = bench{
		agents: "every: 5s, ceiling: 1, linger: 1h", scenario: event("00:00:50", "00:05:00", "controllerAway: true"),
		jobs: "id,submitted,class\na,0,k\nb,10,k\n",
	}
	tells(t, b.run(t), map[string]string{"a": "work 100", "b": "ceiling 40, controller-away 250, work 100"})
}

// A pull of 10 GB over 1 GB/s begins at 2 s. From 6 s to 46 s the link carries a tenth: 4 GB before, 4 GB in
// that time, and 2 GB after it.
func TestSlowLinkByHand(t *testing.T) {
	b := bench{
		images: `[{name: "i:1", size: 10GB}]`, cluster: "  links: {registry: {down: 1GB/s, latency: 2s}}", agents: "reuse: never",
		scenario: event("00:00:06", "00:00:46", "slow: {link: registry, to: 0.1}"), jobs: "id,submitted,class\na,0,k\n",
	}
	tells(t, b.run(t), map[string]string{"a": "pull 48, work 100"})

	// Two at a time: a quarter of a tenth where both are on.
	b.scenario = strings.Replace(b.scenario, "]\n", `, {from: "2026-01-05T00:00:26Z", to: "2026-01-05T00:00:46Z", slow: {link: registry, to: 0.25}}]`+"\n", 1)
	tells(t, b.run(t), map[string]string{"a": "pull 49.5, work 100"}) // 4 + 2 + 0.5 GB, and 3.5 GB after 46 s
}

// A store that is slow carries less both ways: 1 GB at 100 MB/s from 101 s on, slowed to a half from 106 s.
func TestSlowStoreByHand(t *testing.T) {
	b := cached("{plan: archive, save: every-success, savedBy: all}", "")
	b.classes = strings.ReplaceAll(b.classes, "CHANGE", "0")
	usual := b.run2(t, "id,submitted,class\na,0,k\nb,1000,k\n")
	b.scenario += "\n" + event("00:16:46", "00:30:00", "slow: {link: store, to: 0.5}")
	slow := b.run2(t, "id,submitted,class\na,0,k\nb,1000,k\n")
	// b asks for 1 s, has half of its 10 s by 1006 s, and the rest at half the rate.
	if a, c := story(usual, 1), story(slow, 1); a == c || !strings.HasPrefix(a, "restore 16") || !strings.HasPrefix(c, "restore 21") {
		t.Errorf("usually %s, slow %s", a, c)
	}
}

func (b bench) run2(t *testing.T, jobs string) *sim.Trace {
	t.Helper()
	b.jobs = jobs
	return b.run(t)
}

// For a pool without a node to give from 100 s to 3700 s an asking at 200 s is in vain, and again every
// minute; one after it is not.
func TestNoCapacityByHand(t *testing.T) {
	const east = "[{name: p, nodeType: n, max: 9, boot: 40s, retryAfter: 1m, labels: {topology.kubernetes.io/zone: east}}]"
	b := bench{
		pools: east, agents: "reuse: never", jobs: "id,submitted,class\nearly,0,k\nlate,200,k\n",
		scenario: event("00:01:40", "01:01:40", "noCapacity: {zone: east}") + "  nodes: {growth: {scan: 10s, shrinkAfter: 0s}}",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{"early": "boot 40, work 100", "late": "no-capacity 3540, boot 40, work 100"})
	if trace.Hit[0] != 59 || trace.NoCapacity != 59 {
		t.Errorf("asked in vain %d and %d times", trace.Hit[0], trace.NoCapacity)
	}
	if _, err := worlds.Parse(strings.Replace(b.text(), "zone: east}}]", "zone: west}}]", 1), b.jobs); err == nil ||
		!strings.Contains(err.Error(), "no pool of cluster c is in it") {
		t.Error(err)
	}
}

// Two spot nodes of 2 CPU for each agent: a wave at 50 s takes both, after a notice of 20 s; the jobs run
// again on new nodes, which the wave at 650 s finds at work or gone.
func TestWavesByHand(t *testing.T) {
	const spot = "[{name: p, nodeType: n, max: 9, boot: 0s, spot: {perHour: 0, notice: 20s}}]"
	b := bench{
		types: "spotPrice: 1/h,", pools: spot, agents: "reuse: never", jobs: "id,submitted,class\na,0,k\nb,0,k\nc,0,k\n",
		classes:  "[{name: k, wants: [x], work: 500s, retries: 5}]",
		scenario: event("00:00:50", "00:25:00", "spotTaken: {share: 1, every: 10m}") + "  nodes: {growth: {scan: 1s, shrinkAfter: 0s}}",
	}
	trace := b.run(t)
	// Three agents are on two nodes; the first attempts are lost at 70 s, the second ones end at 570 s.
	for _, id := range []string{"a", "b", "c"} {
		j, _ := trace.Jobs.Find(id)
		if got := story(trace, j); !strings.HasPrefix(got, "lost 70") || trace.Records[j].Lost != 1 || trace.Records[j].Result != sim.Succeeded {
			t.Errorf("%s: %s", id, got)
		}
	}
	if trace.Hit[0] != 2 || trace.TakenBack != 2 {
		t.Errorf("%d nodes were warned, %d went", trace.Hit[0], trace.TakenBack)
	}
	if _, err := worlds.Parse(strings.Replace(b.text(), "share: 1,", "share: 1, pools: [q],", 1), b.jobs); err == nil {
		t.Error("a pool that there is not is taken")
	}
}

// Fifty kinds of trouble, every day of a month: it is told up to a bound, and the run comes to its end.
func TestTroubleEveryDay(t *testing.T) {
	events := "  events:\n"
	for i := range 50 {
		what := []string{"controllerAway: true", "slow: {link: registry, to: 0.5}", "noCapacity: {}", "spotTaken: {share: 0.5, every: 5m}"}[i%4]
		events += "    - {when: \"Mon-Sun " + []string{"00:00-24:00", "08:00-09:30", "23:30-00:30"}[i%3] + "\", " + what + "}\n"
	}
	text := strings.Replace(worlds.WildText(3), "  nodes: {placement:", events+"  nodes: {placement:", 1)
	w, err := worlds.Parse(strings.Replace(text, "span: 26h", "span: 30d", 1), "")
	if err != nil {
		t.Fatal(err)
	}
	trace, err := sim.Run(w, 1, 0, nil)
	if err != nil {
		t.Fatal(err)
	}
	if err := trace.Check(); err != nil {
		t.Error(err)
	}
	for j := range trace.Records { // the controller is never there
		if trace.Records[j].Started >= 0 {
			t.Fatalf("job %d starts at %v", j, trace.Records[j].Started)
		}
	}
}
