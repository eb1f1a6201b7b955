package outcome_test

import (
	"math"
	"strings"
	"testing"

	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// wayOut is a cluster with a way out of 100 MB/s for all, at a price for what flows and for the time.
const wayOut = worlds.OneNode + `  links: {others: [{name: gateway, down: 100MB/s, up: 10MB/s, price: 0.10/GB, fee: 0.05/h}, {name: spare}]}
`

const fetching = `    - {name: a, wants: [a], work: {fixed: 60s}, network: [{over: gateway, for: packages, down: 4GB, cold: true}, {over: gateway, for: source, down: 1GB}]}
    - {name: b, wants: [a], work: {fixed: 60s}, network: [{over: gateway, for: source, down: 2GB}, {over: gateway, for: results, up: 100MB}]}
`

// Alone a job of a fetches 5 GB in 50 s, within its work of 60 s, and waits for nothing. Two of it at once have
// 10 GB to fetch at 100 MB/s: 100 s, 40 s after their work. What flows is told by class and by what it is for,
// and paid for by that; the gateway costs its fee whether it is used or not.
func TestWayOutByHand(t *testing.T) {
	text := worlds.Replayed(wayOut, fetching, "  templates: [{template: a, agents: {every: 0s}}]\n  run: {span: 10h, warmup: 0s, repeats: 1}\n", worlds.Template("a", "a", "1", "1Gi", "i"))
	w, trace := replayed(t, text, "id,submitted,class\nalone,2026-09-14T01:00:00Z,a\none,2026-09-14T02:00:00Z,a\ntwo,2026-09-14T02:00:00Z,a\nb,2026-09-14T03:00:00Z,b\n")
	for id, want := range map[string]units.Duration{"alone": 0, "one": 40 * units.Second, "two": 40 * units.Second, "b": 0} {
		j, _ := trace.Jobs.Find(id)
		var waited units.Duration
		trace.EachStay(j, func(s sim.Stay) {
			if s.Cause == sim.Fetching {
				waited += s.To - s.From
			}
		})
		if waited != want {
			t.Errorf("%s waits %v for the network, want %v", id, waited, want)
		}
	}
	o, _ := simulate(t, w, 1)
	hours := 730.0 / 10
	near := func(what string, got, want float64) {
		if math.Abs(got-want) > 1e-6*math.Abs(want)+1e-9 {
			t.Errorf("%s: %v, want %v", what, got, want)
		}
	}
	told := map[string][3]float64{}
	for _, x := range o.Network {
		told[x.Class+" "+x.For] = [3]float64{x.DownGB.Mean, x.UpGB.Mean, x.PerMonth.Mean}
	}
	for what, want := range map[string][3]float64{"a packages": {12, 0, 1.2}, "a source": {3, 0, 0.3}, "b source": {2, 0, 0.2}, "b results": {0, 0.1, 0.01}} {
		for i := range want {
			near(what, told[what][i], want[i]*hours)
		}
	}
	parts := map[string]float64{}
	for _, p := range o.Cost.Parts {
		parts[p.Part] = p.PerMonth.Mean
	}
	near("packages", parts["gateway: packages"], 1.2*hours)
	near("source", parts["gateway: source"], 0.5*hours)
	near("results", parts["gateway: results"], 0.01*hours)
	near("the gateway", parts["gateway, for the time"], 0.05*730)
	if len(parts) != 4 {
		t.Errorf("%v", parts)
	}
	// A mirror inside: nothing comes over the gateway, and nobody waits for it.
	if len(o.Beside) != 1 || o.Beside[0].What != "mirror-inside" || !strings.Contains(o.Beside[0].Says, "at hand inside the cluster") {
		t.Fatalf("%+v", o.Beside)
	}
	near("what a mirror spares", float64(units.AmountOf(o.Beside[0].CostNano)), 1.7)
}

// With a workspace that is up to date a job fetches no packages, with one that is out of date the part that is
// not spared; a job that is cut short has fetched what came until then.
func TestWayOutWithAWorkspace(t *testing.T) {
	classes := strings.Replace(fetching, "{name: a, wants: [a],", "{name: a, wants: [a], workspace: {cold: 10s, size: 1GB}, retries: 1, memory: 100Mi,", 1)
	text := worlds.Replayed(wayOut, classes, "  templates: [{template: a, agents: {every: 0s}}]\n  caching: [{plan: node-disk}]\n  run: {span: 10h, warmup: 0s, repeats: 1}\n",
		worlds.Template("a", "a", "1", "1Gi", "i"))
	w, _ := replayed(t, text, "id,submitted,class\nfirst,2026-09-14T01:00:00Z,a\nsecond,2026-09-14T02:00:00Z,a\nthird,2026-09-14T03:00:00Z,a\n")
	o, _ := simulate(t, w, 1)
	if o.Network[0].For != "packages" || math.Abs(o.Network[0].DownGB.Mean-4*73) > 1e-6 || math.Abs(o.Network[1].DownGB.Mean-3*73) > 1e-6 {
		t.Errorf("%+v", o.Network)
	}
	for bad, says := range map[string]string{
		"over: nowhere": "no other link of cluster c is called so (spec.links.others): it has gateway, spare", "over: registry": "no other link",
		"down: much": "", "over: gateway, up: -4": "",
	} {
		if _, err := worlds.Parse(strings.Replace(text, "over: gateway, for: packages", bad, 1), "id,submitted,class\na,0,a\n"); err == nil ||
			!strings.Contains(err.Error(), says) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}

// A way out that is far too narrow: jobs at their limit end, and what had come until then is counted.
func TestWayOutTooNarrow(t *testing.T) {
	classes := strings.ReplaceAll(fetching, "wants: [a],", "wants: [a], limit: 5m,")
	text := worlds.Replayed(strings.Replace(wayOut, "down: 100MB/s", "down: 1MB/s", 1), classes,
		"  templates: [{template: a, agents: {every: 0s}}]\n  run: {span: 10h, warmup: 0s, repeats: 1}\n", worlds.Template("a", "a", "1", "1Gi", "i"))
	_, trace := replayed(t, text, "id,submitted,class\na,2026-09-14T01:00:00Z,a\n")
	r := &trace.Records[0]
	if r.Result != sim.TimedOut || r.Ended-r.Started < 300*units.Second || r.Ended-r.Started > 301*units.Second {
		t.Errorf("%+v", r)
	}
	if got := trace.Carried[0][0].Down.Plus(trace.Carried[0][1].Down).Float(); math.Abs(got-300e6) > 1e3 {
		t.Errorf("%v bytes came", got)
	}
}
