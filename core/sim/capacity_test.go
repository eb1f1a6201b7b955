package sim_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// One node for one job: from being asked for to its going after 60 s of boot, 100 s of work
// and 40 s of being empty. What is paid for is that, or as the bill's rules say.
func TestBillingSteps(t *testing.T) {
	for _, c := range []struct {
		types, pool string
		want        float64 // s
	}{
		{"", "", 200},
		{"leastCharge: 5m", "", 300},
		{"", "going: 90s", 290},
		{"billedBy: 1h", "", 3600},
		{"billedBy: 1m", "", 240},
		{"billedBy: 100s", "", 200},
		{"billedBy: 1m", "going: 90s", 300},
		{"billedBy: 1m, leastCharge: 5m", "", 300},
	} {
		trace := bench{
			types: c.types, pools: "[{name: p, nodeType: n, max: 1, boot: 60s, " + c.pool + "}]",
			agents: "reuse: never", scenario: "  nodes: {growth: {scan: 1ms, shrinkAfter: 40s}}",
			jobs: "id,submitted,class\na,0,k\n",
		}.run(t)
		if len(trace.Nodes) != 1 {
			t.Fatalf("%d nodes", len(trace.Nodes))
		}
		n := trace.Nodes[0]
		if area := trace.Lines.Nodes[0].Area; math.Abs(sumOf(area)-n.Billed.Seconds()) > 0.01 {
			t.Errorf("%s %s: the time line has %v node-seconds, its life is %v", c.types, c.pool, sumOf(area), n.Billed.Seconds())
		}
		if got := (n.Billed + n.Extra).Seconds(); math.Abs(got-c.want) > 0.01 {
			t.Errorf("%s %s: %v s are paid for, want %v", c.types, c.pool, got, c.want)
		}
		var bill, uses units.Sum[units.Money]
		for _, p := range outcome.Measure(trace, 0).Cost.Pools {
			bill = bill.Plus(p.Nano)
			for _, u := range p.Uses {
				uses = uses.Plus(u)
			}
		}
		if want := c.want * 3.6 / 3600; math.Abs(float64(units.AmountOf(bill))-want) > 0.0001 || bill != uses {
			t.Errorf("%s %s: the bill is %v, its uses %v, want %v", c.types, c.pool, units.AmountOf(bill), units.AmountOf(uses), want)
		}
	}
}

// sumOf adds areas up, in seconds.
func sumOf(area []units.Sum[units.Duration]) float64 {
	total := 0.0
	for _, a := range area {
		total += a.Float() / 1e9
	}
	return total
}

// Work takes less on faster nodes, cold work too, and as much as was measured for a class.
// The floor counts what the fastest nodes would need.
func TestSpeedOfNodes(t *testing.T) {
	for _, c := range []struct {
		types, class, want string
	}{
		{"", "", "work 100, cold 50"},
		{"speed: 2", "", "work 50, cold 25"},
		{"speed: 0.8", "", "work 125, cold 62.5"},
		{"speed: 2", ", speeds: {n: 1.25}", "work 80, cold 40"},
		{"", ", speeds: {n: 0.5}", "work 200, cold 100"},
	} {
		b := bench{
			types: c.types, agents: "floor: 1, ceiling: 1", jobs: "id,submitted,class\na,0,k\n",
			classes: "[{name: k, wants: [x], work: 100s, cores: 1, workspace: {cold: 50s, size: 1GB}" + c.class + "}]",
		}
		trace := b.run(t)
		tells(t, trace, map[string]string{"a": c.want})
		s := outcome.Measure(trace, 0)
		if s.Cost.FloorNano.Sign() <= 0 || s.Cost.FloorNano.Float() > s.Cost.TotalNano.Float() {
			t.Errorf("%s%s: the floor is %v, the bill %v", c.types, c.class, s.Cost.FloorNano.Float(), s.Cost.TotalNano.Float())
		}
	}
	// Two pools: what ran on the slow one would have taken half on the fast one.
	floors := map[string]float64{}
	for _, max := range []string{"min: 1, max: 1", "max: 0"} {
		b := bench{
			types:  "speed: 1}, {name: fast, cpu: 4, memory: 16Gi, price: 3.6/h, speed: 2",
			pools:  "[{name: p, nodeType: n, " + max + "}, {name: q, nodeType: fast, min: 1, max: 1}]",
			agents: "reuse: never", jobs: "id,submitted,class\na,0,k\nb,0,k\nc,0,k\nd,0,k\n",
			classes: "[{name: k, wants: [x], work: 100s, cores: 1}]",
		}
		s := outcome.Measure(b.run(t), 0)
		floors[max] = s.Cost.FloorNano.Float()
	}
	if a, b := floors["min: 1, max: 1"], floors["max: 0"]; math.Abs(a-b) > 1e-9*b {
		t.Errorf("the floor is %v with slow nodes beside the fast ones, %v without", a, b)
	}
	b := bench{classes: "[{name: k, wants: [x], work: 100s, speeds: {none: 2}}]", jobs: "submitted,class\n1,k\n"}
	if _, err := worlds.Parse(b.text(), b.jobs); err == nil || !strings.Contains(err.Error(), "the cluster has no such node type; it has n") {
		t.Errorf("%v", err)
	}
}

// Where there is no node for 3 h at a time, for a twentieth of the time, one job in a
// hundred waits longer than 0.8 of that: 0.05 · (1 − x/3 h) = 0.01. A chance of a twentieth
// at each asking is over after minutes.
func TestOutagesAreLong(t *testing.T) {
	late := map[string]float64{}
	for _, pool := range []string{"outages: {share: 0.05, length: 3h}, retryAfter: 10s", "noCapacity: 0.05, retryAfter: 1m"} {
		b := bench{
			pools:  "[{name: p, nodeType: n, max: 20, " + pool + "}]",
			agents: "reuse: never", scenario: "  nodes: {growth: {scan: 1s, shrinkAfter: 0s}}",
			classes:  `[{name: k, wants: [x], work: 60s, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 3}]}}]`,
			template: worlds.Template("t", "x", "4", "4Gi", "i:1"),
		}
		w, err := worlds.Parse(b.made("span: 40d, repeats: 1"), "")
		if err != nil {
			t.Fatal(err)
		}
		var delays []int64
		for r := range 8 {
			trace, err := sim.Run(w, 5, r, nil)
			if err != nil {
				t.Fatal(err)
			}
			for j, rec := range trace.Records {
				delays = append(delays, int64(rec.Started-trace.Jobs.List[j].Submitted))
			}
		}
		slices.Sort(delays)
		late[pool[:7]] = float64(stats.Percentile(delays, 99)) / 1e9
	}
	if got := late["outages"]; math.Abs(got-8640) > 0.06*8640 {
		t.Errorf("with outages the 99th percentile is %.0f s, want 8,640", got)
	}
	if got := late["noCapac"]; got > 200 {
		t.Errorf("with chance at each asking it is %.0f s", got)
	}
}

// What a job waits for in an outage is told as capacity.
func TestOutageIsTold(t *testing.T) {
	trace := bench{
		pools:  "[{name: p, nodeType: n, max: 1, boot: 60s, outages: {share: 0.999, length: 1h}, retryAfter: 10m}]",
		agents: "reuse: never", jobs: "id,submitted,class\na,0,k\n",
	}.run(t)
	if got := story(trace, 0); !strings.HasPrefix(got, "no-capacity ") || trace.NoCapacity < 3 {
		t.Errorf("%s, asked in vain %d times", got, trace.NoCapacity)
	}
}

// Nodes that are taken back together are warned at one moment: of twelve that would not go
// by themselves in a week all, or about as many as the share says.
func TestSpotNodesGoTogether(t *testing.T) {
	for _, share := range []float64{1, 0.5} {
		taken, times := 0, map[units.Duration]int{}
		const repeats = 40
		for r := range repeats {
			b := bench{
				types: "spotPrice: 1/h", pools: fmt.Sprintf("[{name: p, nodeType: n, min: 12, max: 12, spot: {perHour: 0, notice: 2m, "+
					"bulk: {perWeek: 168, share: %g}}}]", share),
				agents: "floor: 0", jobs: "id,submitted,class\na,0,k\n",
			}
			w := b.world(t)
			trace, err := sim.Run(w, 9, r, nil)
			if err != nil {
				t.Fatal(err)
			}
			first := units.Duration(-1)
			for _, n := range trace.Nodes {
				if n.Ordinal <= 12 && n.Gone < w.Plan.Span && (first < 0 || n.Gone < first) {
					first = n.Gone
				}
			}
			for _, n := range trace.Nodes {
				if n.Ordinal <= 12 && first >= 0 && n.Gone == first {
					times[first]++
				}
			}
		}
		groups := 0
		for _, n := range times {
			taken, groups = taken+n, groups+1
		}
		mean := float64(taken) / float64(max(1, groups))
		// Of 12 nodes with a half each; the first group is the first with any.
		if want := 12 * share; groups < repeats/2 || math.Abs(mean-want) > 4.5*math.Sqrt(12*share*(1-share)/float64(groups))+1e-9 {
			t.Errorf("share %v: %d groups of %.2f nodes, want %.0f", share, groups, mean, want)
		}
	}
}

// Two nodes hold an idle agent each: the one that rests first goes with its agent, which
// starts anew on the other where a floor asks for it. Without packing again both stay, and
// so they do where the other has no room.
func TestNodesArePackedAgain(t *testing.T) {
	for _, c := range []struct {
		growth, floor string
		cpu, wide     string
		nodes, made   int // at the end, and agents of the template in all
	}{
		{"", "2", "1", "3", 2, 2},
		{"repack: true, ", "2", "1", "3", 1, 3},
		{"repack: true, ", "0", "1", "3", 1, 3}, // another when the last two come at once
		{"repack: true, ", "2", "2500m", "1500m", 2, 2},
	} {
		trace := bench{
			pools:    "[{name: p, nodeType: n, max: 4, boot: 60s}]",
			agents:   `linger: 10h, calendar: [{when: "Mon 00:10-24:00", floor: ` + c.floor + `}]`,
			scenario: "  nodes: {placement: spread, growth: {" + c.growth + "scan: 1s, shrinkAfter: 10m}}",
			template: worlds.Template("t", "x", c.cpu, "1Gi", "i:1") + worlds.Template("wide", "w", c.wide, "1Gi", "i:1"),
			more:     ", {template: wide, agents: {reuse: never, every: 0s}}",
			classes:  "[{name: k, wants: [x], work: 100s}, {name: w, wants: [w], work: 100s}]",
			// A wide job fills the first agent's node, another opens the second agent's.
			jobs: "id,submitted,class,work\na,0,k,2000\nwide,100,w,1000\nwide2,110,w,1000\nb,300,k,1700\nlater,14300,k,10\nlast,14300,k,10\n",
		}.run(t)
		there, made := 0, int32(0)
		for _, n := range trace.Nodes {
			if n.Gone >= trace.World.Plan.Span {
				there++
			}
		}
		for j, r := range trace.Records {
			if trace.Jobs.List[j].Class == 0 {
				made = max(made, r.Agent)
			}
		}
		if there != c.nodes || int(made) != c.made {
			t.Errorf("%sfloor %s of %s CPU: %d nodes at the end and %d agents in all, want %d and %d", c.growth, c.floor, c.cpu, there, made,
				c.nodes, c.made)
			for _, n := range trace.Nodes {
				t.Log(n.Ordinal, n.Asked, n.Gone)
			}
		}
	}
}

// A new node pulls its DaemonSets' image first, over the same link: 460 MB at 100 MB/s are
// 4.6 s more for the first agent. A node that was there from the start has it, and an agent
// of the same image finds it.
func TestDaemonSetsPullFirst(t *testing.T) {
	b := bench{
		images:  `[{name: "i:1", size: 1GB}, {name: "log:1", size: 460MB}]`,
		cluster: "  links: {registry: {perFlow: 100MB/s}}\n  daemonSets: [{name: log, image: \"log:1\"}]",
		agents:  "reuse: never", jobs: "id,submitted,class\na,0,k\nb,400,k\n",
		pools:    "[{name: p, nodeType: n, max: 1, boot: 60s}]",
		scenario: "  nodes: {growth: {scan: 1s, shrinkAfter: 10m}}",
	}
	tells(t, b.run(t), map[string]string{"a": "boot 60, pull 14.6, work 100", "b": "work 100"})
	b.pools = "[{name: p, nodeType: n, min: 1, max: 1}]"
	tells(t, b.run(t), map[string]string{"a": "pull 10, work 100"})
	b.template = worlds.Template("t", "x", "2", "4Gi", "log:1")
	tells(t, b.run(t), map[string]string{"a": "work 100"})
	b.cluster = strings.Replace(b.cluster, "log:1", "lgo:1", 1)
	if _, err := worlds.Parse(b.text(), b.jobs); err == nil || !strings.Contains(err.Error(), `no such image in this cluster`) {
		t.Errorf("%v", err)
	}
}
