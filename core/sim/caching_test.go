package sim_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"tachyphor/core/caching"
	"tachyphor/core/document"
	"tachyphor/core/sim"
	"tachyphor/core/stats"
	"tachyphor/core/units"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// builds is a world of one class whose builds come at random.
func builds(t *testing.T) *world.World {
	t.Helper()
	w, err := worlds.Parse(`
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 1/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [x], work: 20ms, trunkShare: 0.5, workspace: {cold: {median: 50s, p95: 90s}, size: {median: 1GB, p95: 2GB}, changeRate: 0.1}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 20}]}}]
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, reuse: never}}]
  run: {span: 80h, warmup: 8h, repeats: 8, seed: 5}
`+worlds.Template("t", "x", "1", "1Gi", "i:1"), "")
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// carried is the mean time in restoring, cold work and saving of a build that was
// submitted within the window, seconds.
func carried(t *sim.Trace) float64 {
	var sum units.Duration
	n := 0
	for j := range t.Records {
		if s := t.Jobs.List[j].Submitted; s < t.World.Plan.Warmup || t.Records[j].Ended < 0 {
			continue
		}
		n++
		t.EachStay(j, func(s sim.Stay) {
			if s.Cause == sim.Restoring || s.Cause == sim.ColdWork || s.Cause == sim.Saving {
				sum += s.To - s.From
			}
		})
	}
	return sum.Seconds() / float64(n)
}

// The closed forms of what a workspace costs a build hold inside the engine's interval
// on random settings: every rule that has one, builds that seldom overlap.
func TestTheoryOfCaches(t *testing.T) {
	w := builds(t)
	r := rand.New(rand.NewPCG(8, 6))
	rules := []document.CacheRule{
		{Plan: document.NoCache},
		{Plan: document.Archive, Save: document.EverySuccess, SavedBy: document.ByAll},
		{Plan: document.Archive, Save: document.EverySuccess, SavedBy: document.ByTrunk},
		{Plan: document.Archive, Save: document.WhenChanged, SavedBy: document.ByAll},
		{Plan: document.Archive, Save: document.WhenChanged, SavedBy: document.ByTrunk},
		{Plan: document.Archive, Save: document.SaveEvery, SavedBy: document.ByTrunk},
		{Plan: document.Archive, Save: document.SaveEvery, SavedBy: document.ByAll},
		{Plan: document.Archive, Save: document.NeverSave},
		{Plan: document.Baked},
	}
	// Intervals of 95 % of which more fail once in a thousand times by chance.
	settings, most := 60, 10
	if long {
		settings, most = 200, 20
	}
	missed := 0
	jobs, err := w.Jobs(5, 0)
	if err != nil {
		t.Fatal(err)
	}
	base, ok := w.Terms(0, jobs)
	if !ok || math.Abs(base.Trunk-0.5) > 0.1 || math.Abs(base.PerDay-480) > 60 {
		t.Fatalf("%+v", base)
	}
	wrong := map[string]int{}
	for n := range settings {
		spread := func(mid, by float64) float64 { return mid * math.Pow(by, 2*r.Float64()-1) }
		terms := caching.Terms{
			Work: 0.02, Cold: spread(1, 3), Partial: r.Float64(), Change: spread(0.08, 10), Trunk: 0.5,
			Size: spread(1e7, 4), Down: spread(9e7, 3), Up: spread(1.5e7, 3), Pack: spread(6e7, 2), Unpack: spread(1.8e8, 2),
			Latency: r.Float64() / 50,
		}
		// Busy for a thousandth of the time.
		terms.PerDay = 86.4 / (terms.Cold + terms.Restore() + terms.Save() + 0.02)
		by := base.PerDay / terms.PerDay
		rule := rules[n%len(rules)]
		if rule.Save == document.SaveEvery {
			rule.Every = units.Duration(spread(4, 6) * 86400e9 / terms.PerDay)
		}
		if rule.Plan == document.Baked {
			rule.Every = units.Duration(spread(8, 4) * 86400e9 / terms.PerDay)
		}
		var got, share []float64
		for repeat := range w.Plan.Repeats {
			jobs, err := w.Jobs(uint64(n), repeat)
			if err != nil {
				t.Fatal(err)
			}
			trace, err := sim.RunJobs(w.Alone(0, terms, by, []document.CacheRule{rule}), jobs.Only(0, by, math.MaxInt), uint64(n), repeat, nil)
			if err != nil {
				t.Fatal(err)
			}
			got = append(got, carried(trace))
			c := trace.Cache.Classes[0]
			share = append(share, float64(c.Hits)/float64(max(1, c.Hits+c.Stale+c.Misses)))
		}
		e, ok := caching.Expect(terms, rule)
		if !ok {
			t.Fatalf("%+v has no closed form", rule)
		}
		f, hits := stats.Of(got), stats.Of(share)
		if math.Abs(f.Mean-e.Carried()) > f.Half {
			missed++
			wrong[fmt.Sprint(rule.Plan, " ", rule.Save, " ", rule.SavedBy)]++
		}
		// Far outside is a mistake, not chance.
		if math.Abs(f.Mean-e.Carried()) > 4*f.Half+0.002*f.Mean ||
			math.Abs(hits.Mean-e.Fresh) > 4*hits.Half+0.005 && rule.Plan != document.NoCache && rule.Save != document.NeverSave {
			t.Errorf("%+v under %+v: %.3f ± %.3f s a build, closed form %.3f; fresh %.3f ± %.3f, %.3f", terms, rule, f.Mean, f.Half, e.Carried(),
				hits.Mean, hits.Half, e.Fresh)
		}
	}
	if missed > most {
		t.Errorf("%d of %d settings lie outside the engine's 95 %% interval: %v", missed, settings, wrong)
	}
	t.Logf("%d of %d inside the interval; outside %v", settings-missed, settings, wrong)
}
