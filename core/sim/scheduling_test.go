package sim_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/test/worlds"
)

// twoSorts are agents of 2 CPU and of 4, on nodes of 4.
const twoSorts = `[{name: k, wants: [x], work: 100s}, {name: short, wants: [x], work: 99s}, {name: m, wants: [y], work: 100s}]`

// A pod is tried when it comes, when something happens, and not while it is left alone: for
// 1 s, 2 s, 4 s after one, two, three tries in vain.
func TestBackoffByHand(t *testing.T) {
	grow := "[{name: p, nodeType: n, max: 1, boot: 60s, notReady: %s}]"
	soon := "  nodes: {growth: {scan: 1ms}}"
	for _, c := range []struct {
		name string
		b    bench
		want map[string]string
	}{
		{ // known at 59 and tried in vain, ready at 60, left alone until 61
			"a cold node",
			bench{pools: fmt.Sprintf(grow, "1s"), scenario: soon, jobs: "id,submitted,class\na,0,k\n"},
			map[string]string{"a": "boot 60, backoff 1, work 100"},
		},
		{ // known at 50: the two seconds are over when it is ready
			"long not ready",
			bench{pools: fmt.Sprintf(grow, "10s"), scenario: soon, jobs: "id,submitted,class\na,0,k\n"},
			map[string]string{"a": "boot 60, work 100"},
		},
		{
			"never known before",
			bench{pools: fmt.Sprintf(grow, "0s"), scenario: soon, jobs: "id,submitted,class\na,0,k\n"},
			map[string]string{"a": "boot 60, work 100"},
		},
		{ // c needs the whole node: tried at 0, at 99 when one agent goes, and not at 100
			"two that go",
			bench{
				classes: twoSorts, more: ", {template: w, agents: {reuse: never, every: 0s}}",
				template: worlds.Template("t", "x", "2", "4Gi", "i:1") + worlds.Template("w", "y", "4", "4Gi", "i:1"),
				jobs:     "id,submitted,class\na,0,short\nb,0,k\nc,0,m\n",
			},
			map[string]string{"c": "pools-full 100, backoff 1, work 100"},
		},
		{ // d comes while c is left alone, and takes the room: c is tried in vain at 101, and again when d goes
			"one that comes between",
			bench{
				classes: twoSorts, more: ", {template: w, agents: {reuse: never, every: 0s}}",
				template: worlds.Template("t", "x", "2", "4Gi", "i:1") + worlds.Template("w", "y", "4", "4Gi", "i:1"),
				jobs:     "id,submitted,class\na,0,short\nb,0,k\nc,0,m\nd,100.5,k\n",
			},
			map[string]string{"d": "work 100", "c": "pools-full 200.5, work 100"},
		},
	} {
		c.b.agents = "reuse: never"
		c.b.cluster = "  scheduler: {backoff: {}}"
		t.Log(c.name)
		trace := c.b.run(t)
		tells(t, trace, c.want)
	}
	b := bench{cluster: "  scheduler: {backoff: {initial: 1m}}", jobs: "submitted,class\n1,k\n"}
	if _, err := worlds.Parse(b.text(), b.jobs); err == nil || !strings.Contains(err.Error(), "expected 1ms ≤ initial ≤ max ≤ 1h") {
		t.Error(err)
	}
}

// ranked is a template of pods with a priority class.
func ranked(name, offers, cpu, class, more string) string {
	return strings.Replace(worlds.Template(name, offers, cpu, "4Gi", "i:1"), "    containers:",
		"    priorityClassName: "+class+"\n"+more+"    containers:", 1)
}

func TestPreemptionByHand(t *testing.T) {
	classes := `[{name: k, wants: [x], work: 100s, retries: 1}, {name: n, wants: [z], work: 100s, retries: 1}, {name: m, wants: [y], work: 100s}]`
	more := ", {template: w, agents: {reuse: never, every: 0s}}, {template: z, agents: {reuse: never, every: 0s}}"
	for _, c := range []struct {
		name, pools, high, template, jobs string
		want                              map[string]string
		pushed                            int64
	}{
		{
			"a whole node", "[{name: p, nodeType: n, min: 1, max: 1}]", "4", "", "a,0,k\nb,0,k\nc,50,m\n",
			map[string]string{"a": "lost 50, rerun 100, work 100", "b": "lost 50, rerun 100, work 100", "c": "work 100"},
			2,
		},
		{ // the older agent stays
			"half a node", "[{name: p, nodeType: n, min: 1, max: 1}]", "2", "", "a,0,k\nb,10,k\nc,50,m\n",
			map[string]string{"a": "work 100", "b": "lost 40, rerun 50, work 100", "c": "work 100"},
			1,
		},
		{
			"it may not", "[{name: p, nodeType: n, min: 1, max: 1}]", "4", "    preemptionPolicy: Never\n", "a,0,k\nb,0,k\nc,50,m\n",
			map[string]string{"a": "work 100", "b": "work 100", "c": "pools-full 50, work 100"},
			0,
		},
		{ // a on p-001, b on p-002: the one of lower priority must go, though it is the older
			"the lower one", "[{name: p, nodeType: n, min: 2, max: 2}]", "4", "", "a,0,k\nb,1,n\nc,50,m\n",
			map[string]string{"a": "lost 50, work 100", "b": "work 100", "c": "work 100"},
			1,
		},
		{ // two on p-001, whose image is there before the other node's, and one on p-002, who has to go
			"the fewer", "[{name: p, nodeType: n, min: 2, max: 2}]", "4", "", "a,0,k\nb,0,k\nd,0,k\nc,50,m\n",
			map[string]string{"a": "work 100", "b": "work 100", "d": "lost 50, rerun 50, work 100", "c": "work 100"},
			1,
		},
	} {
		t.Log(c.name)
		b := bench{
			pools: c.pools, cluster: "  priorityClasses: {low: 1, middle: 5, high: 9}\n  scheduler: {preemption: true}", classes: classes,
			more: more, agents: "reuse: never",
			template: ranked("t", "x", "2", "low", "") + ranked("w", "y", c.high, "high", c.template) + ranked("z", "z", "2", "middle", ""),
			jobs:     "id,submitted,class\n" + c.jobs,
		}
		trace := b.run(t)
		tells(t, trace, c.want)
		if trace.Pushed != c.pushed || trace.Cut[sim.Preempted] != c.pushed {
			t.Errorf("%d are pushed off, %d attempts cut short, want %d", trace.Pushed, trace.Cut[sim.Preempted], c.pushed)
		}
	}
}

// An image that takes 10 s is pulled k + 1 times where k tries fail, 10 s, 20 s, 40 s … up
// to 5 min apart; half of all pulls fail.
func TestPullsThatFail(t *testing.T) {
	const n = 1000
	b := bench{
		pools: "[{name: p, nodeType: n, min: 1, max: 1}]", images: `[{name: "i:1", size: 1GB}]`,
		cluster: "  links: {registry: {perFlow: 100MB/s, fails: 0.5}}",
		agents:  "reuse: never", jobs: "id,submitted,class\na,0,k\n",
	}
	w := b.world(t)
	byTries := map[int]int{}
	for r := range n {
		trace, err := sim.Run(w, 1, r, nil)
		if err != nil {
			t.Fatal(err)
		}
		told, k, pause, sum := story(trace, 0), 0, 10.0, 0.0
		for ; k < 40; k++ {
			want := fmt.Sprintf("pull %d, work 100", 10*(k+1))
			if k > 0 {
				want = fmt.Sprintf("pull %d, pull-again %v, work 100", 10*(k+1), sum)
			}
			if told == want {
				break
			}
			sum += pause
			pause = min(2*pause, 300)
		}
		if k == 40 {
			t.Fatal(told)
		}
		byTries[k]++
		if int64(k) != trace.PullsFailed {
			t.Errorf("%d pulls failed, the job says %d", trace.PullsFailed, k)
		}
	}
	for k, share := range []float64{0.5, 0.25, 0.125} {
		if got := float64(byTries[k]) / n; math.Abs(got-share) > 4*math.Sqrt(share*(1-share)/n) {
			t.Errorf("%d tries fail for %v of all, want %v", k, got, share)
		}
	}
}

// Two images share a layer: where the pull that brings it fails, the other brings it itself.
func TestPullsThatFailShareLayers(t *testing.T) {
	b := bench{
		pools: "[{name: p, nodeType: n, min: 1, max: 1, pulls: 2}]", agents: "reuse: never",
		classes: `[{name: k, wants: [x], work: 100s}, {name: m, wants: [y], work: 100s}]`,
		images:  `[{name: "i:1", layers: [{name: both, size: 1GB}]}, {name: "i:2", layers: [{name: both, size: 1GB}, {name: own, size: 500MB}]}]`,
		cluster: "  links: {registry: {perFlow: 100MB/s, fails: 0.6}}", more: ", {template: w, agents: {reuse: never, every: 0s}}",
		template: worlds.Template("t", "x", "2", "4Gi", "i:1") + worlds.Template("w", "y", "2", "4Gi", "i:2"),
		jobs:     "id,submitted,class\na,0,k\nb,0,m\n",
	}
	w := b.world(t)
	for r := range 50 {
		trace, err := sim.Run(w, 1, r, nil)
		if err != nil {
			t.Fatal(err)
		}
		for j, rec := range trace.Records {
			if rec.Result != sim.Succeeded {
				t.Errorf("repeat %d, job %s: %s", r, trace.Jobs.ID(j), rec.Result)
			}
		}
		if moved, least := trace.Moved[0].Float(), 1.5e9; moved < least {
			t.Errorf("repeat %d: %v bytes moved, want %v at least", r, moved, least)
		}
	}
}

// Two nodes boot side by side in 60 s; a third beside them takes half as long again, a
// fourth twice as long.
func TestBootsInBulk(t *testing.T) {
	b := bench{
		types: "pods: 1", pools: "[{name: p, nodeType: n, max: 9, boot: 60s, bootsAtOnce: 2}]", agents: "reuse: never",
		scenario: "  nodes: {growth: {scan: 1ms, shrinkAfter: 0s}}", jobs: "id,submitted,class\na,0,k\nb,0,k\nc,0,k\nd,0,k\ne,300,k\n",
	}
	trace := b.run(t)
	tells(t, trace, map[string]string{
		"a": "boot 60, work 100", "b": "boot 60, work 100", "c": "boot 90, work 100",
		"d": "boot 120, work 100", "e": "boot 60, work 100",
	})
	if n := outcome.Measure(trace, 0).Groups[0].Jobs; n != 5 {
		t.Error(n)
	}
}
