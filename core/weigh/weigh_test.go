package weigh_test

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/caching"
	"tachyphor/core/document"
	"tachyphor/core/outcome"
	"tachyphor/core/sim"
	"tachyphor/core/units"
	"tachyphor/core/weigh"
	"tachyphor/test/worlds"
)

func weighed(t *testing.T, q weigh.Question, workers int) *weigh.Weighing {
	t.Helper()
	last := 0.0
	o, err := weigh.Weigh(q, workers, func(done float64) bool {
		if workers == 1 && (done < last || done > 1) {
			t.Errorf("progress goes from %v to %v", last, done)
		}
		last = done
		return true
	})
	if err != nil {
		t.Fatal(err)
	}
	return o
}

func planOf(t *testing.T, o *weigh.Weighing, key string) *weigh.Weighed {
	t.Helper()
	for i := range o.Plans {
		if o.Plans[i].Key == key {
			return &o.Plans[i]
		}
	}
	t.Fatalf("no plan %s", key)
	return nil
}

// Weighing the demo's naive scenario gives, for the plans that the demo has scenarios
// of, what simulating those gives; it tells the truth beside the usual comparison; and
// it does not depend on the number of workers.
func TestWeighingTheDemo(t *testing.T) {
	w, err := worlds.Demo("cached-naive")
	if err != nil {
		t.Fatal(err)
	}
	w.Plan.Repeats, w.Plan.Span = 2, 4*units.Day
	o := weighed(t, weigh.Question{World: w}, 1)
	if n := askEvery(t, o); n < 800 {
		t.Errorf("%d numbers", n)
	}
	for key, scenario := range map[string]string{"none": "weekday-lean", "every-all": "cached-naive", "changed-trunk": "cached"} {
		x, err := worlds.Demo(scenario)
		if err != nil {
			t.Fatal(err)
		}
		x.Plan.Repeats, x.Plan.Span = 2, 4*units.Day
		want, _, err := outcome.Simulate(x, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		p := planOf(t, o, key)
		if math.Abs(p.Cost.Mean-want.Cost.PerMonth.Mean) > 1e-6*want.Cost.PerMonth.Mean {
			t.Errorf("%s costs %v a month, %s %v", key, p.Cost.Mean, scenario, want.Cost.PerMonth.Mean)
		}
		for _, g := range want.Groups {
			for _, f := range p.Groups[1:] {
				if g.By == "class" && g.Name == f.Class &&
					(math.Abs(g.Lead.Mean.Mean-f.Lead.Mean) > 1 ||
						math.Abs(f.Start.Mean+f.Restore.Mean+f.Work.Mean+f.Cold.Mean+f.Save.Mean+f.Wipe.Mean-f.Lead.Mean) > 10) {
					t.Errorf("%s of %s: lead %v, in %s %v", key, f.Class, f.Lead.Mean, scenario, g.Lead.Mean.Mean)
				}
			}
		}
	}
	if o.Today != "every-all" || o.Best != "changed-trunk" || o.Plans[0].Key != weigh.None {
		t.Errorf("today %s, best %s, first %s", o.Today, o.Best, o.Plans[0].Key)
	}
	// With each class its own best plan jobs end as soon as with any one plan for all, but
	// for what queues make of it, among the plans whose facts are known.
	mix := planOf(t, o, weigh.Best).Groups[0].Lead.Mean
	for _, p := range o.Plans {
		if len(p.Missing) > 0 {
			t.Errorf("%s rests on %v, which the demo does not say", p.Key, p.Missing)
		} else if p.Key != weigh.Best && p.Groups[0].Lead.Mean <= 0.997*mix {
			t.Errorf("%s: %v, each its own best %v", p.Key, p.Groups[0].Lead.Mean, mix)
		}
	}
	if len(o.Assumed) != 1 || !strings.Contains(o.Assumed[0], "found a fresh cache") {
		t.Errorf("assumed %q", o.Assumed)
	}
	// What a workspace takes of a build is what lead time differs by, but for queues;
	// a baked one takes pulling.
	without := &o.Plans[0].Groups[0]
	for i := range o.Plans {
		p := &o.Plans[i]
		f := &p.Groups[0]
		if baked := p.Key == "baked"; p.Key != weigh.Best && (f.Pull.Mean > 1e9) != baked {
			t.Errorf("%s pulls %v", p.Key, f.Pull)
		}
		if strings.HasPrefix(p.Key, "volume") {
			continue // agents wait for them, and others for agents
		}
		if d := f.Carried() - without.Carried(); math.Abs(d-f.LeadDiff.Mean) > 0.1*math.Abs(f.LeadDiff.Mean)+5e8 {
			t.Errorf("%s: the workspace takes %v, lead time %v more", p.Key, d, f.LeadDiff.Mean)
		}
	}
	// The usual comparison praises what is worse than no cache.
	all := o.Views[0]
	if all.Usual < 0.2 || all.Words == "" || !strings.Contains(all.Words, "more; saved by the trunk") {
		t.Errorf("%+v", all)
	}
	// Volumes are the best alone, and bad when all want them.
	if !o.Peak.Changed || !strings.Contains(strings.Join(o.Words, " "), "because agents wait for each other") ||
		!strings.Contains(strings.Join(o.Words, " "), "Thursday") {
		t.Errorf("%+v %s", o.Peak, o.Words)
	}
	if len(o.Case) != 5 || o.Surface == nil || len(o.Surface.Curves) != len(caching.Quantities()) {
		t.Errorf("%q", o.Case)
	}
	// Today's point lies where the map says that saving when changed is best.
	s := o.Surface
	if got := s.Plans[s.Map[len(s.Y.Values)/2][len(s.X.Values)/2]].Key; got != "changed-trunk" {
		t.Errorf("%s at today's point", got)
	}
	one, err := json.Marshal(o)
	if err != nil {
		t.Fatal(err)
	}
	two, _ := json.Marshal(weighed(t, weigh.Question{World: w}, 3))
	if string(one) != string(two) {
		t.Error("three workers give another result than one")
	}
}

// One class, fixed times: a build finds nothing (1 s), saves (121 s), and every later
// one restores in 16 s what spares it 50 s.
const little = `
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  currency: EUR
  nodeTypes: [{name: n, cpu: 4, memory: 16Gi, price: 3.6/h}]
  pools: [{name: p, nodeType: n, min: 1, max: 1}]
  images: [{name: "i:1", size: 1}]
  links: {store: {down: 100MB/s, up: 10MB/s, latency: 1s, price: 0.1/GB}}
  store: {pack: 50MB/s, unpack: 200MB/s, price: 0.02/GB-month, request: 0.005/1000}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, project: a, wants: [x], work: 100s, workspace: {cold: 50s, size: 1GB}}, {name: m, wants: [x], work: 10s}]
  jobs: {file: jobs.csv}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {every: 0s, floor: 1, ceiling: 1}}]
  run: {span: 24h, repeats: 1}
`

// Plans whose facts nobody gave are shown and not judged: without what volumes cost, how
// long they take to attach and how much nodes keep, none of them is recommended or part
// of a mix, however good their figures look; with no facts at all, no plan is.
func TestFactsThatAreMissing(t *testing.T) {
	text, jobs, err := worlds.DemoText("cached-naive")
	if err != nil {
		t.Fatal(err)
	}
	without := func(text string, patterns ...string) *weigh.Weighing {
		for _, p := range patterns {
			less := regexp.MustCompile(p).ReplaceAllString(text, "")
			if less == text {
				t.Fatalf("%s is not in the demo", p)
			}
			text = less
		}
		w, err := worlds.Parse(text, jobs)
		if err != nil {
			t.Fatal(err)
		}
		w.Plan.Repeats, w.Plan.Span = 2, units.Day
		o, err := weigh.Weigh(weigh.Question{World: w}, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		return o
	}
	o := without(text, `(?m)^  volumes: \{attach.*$`, `, cacheDisk: \w+`)
	var unknown []string
	for _, p := range o.Plans {
		if len(p.Missing) > 0 {
			unknown = append(unknown, p.Key)
			if p.Key == o.Best || slices.Contains(o.AsGood, p.Key) {
				t.Errorf("%s is recommended without %v", p.Key, p.Missing)
			}
		}
	}
	if !slices.Equal(unknown, []string{"volume", "volumes", "node-disk"}) {
		t.Errorf("not judged: %v", unknown)
	}
	for _, want := range []string{
		"spec.volumes.attach", "spec.volumes.price", "spec.nodeTypes[sixteen-64].cacheDisk",
		"left on the node's disk",
	} {
		if !strings.Contains(o.Assumed[0], want) {
			t.Errorf("%q is not in %q", want, o.Assumed[0])
		}
	}
	if strings.Contains(o.Assumed[0], "quad-16") { // of which no pool has nodes
		t.Error(o.Assumed[0])
	}
	o = without(text, `(?m)^  volumes: \{attach.*$`, `, cacheDisk: \w+`, `, unpack: \w+/s`, `(?m)^    store: \{.*$`, `(?m)^  store: \{.*$`)
	if o.Best != weigh.None || !strings.HasPrefix(o.Words[0], "No plan can be judged") {
		t.Errorf("%s: %s", o.Best, o.Words[0])
	}
}

func TestWeighingByHand(t *testing.T) {
	jobs := "id,submitted,class,branch\n"
	for i := range 40 {
		jobs += fmt.Sprintf("b%d,%d,k,trunk\n", i, 2000*i)
	}
	w, err := worlds.Parse(little+worlds.Template("t", "x", "2", "4Gi", "i:1"), jobs)
	if err != nil {
		t.Fatal(err)
	}
	o := weighed(t, weigh.Question{World: w}, 2)
	p := planOf(t, o, "changed-trunk")
	f := p.Groups[0]
	const s = 1e9
	// Restoring: 1 s once and 16 s 39 times; cold 50 s once; saving 121 s once.
	if f.Restore.Mean != s*(1+39*16)/40 || f.Cold.Mean != s*50/40 || f.Save.Mean != s*121/40 ||
		f.LeadDiff.Mean != f.Restore.Mean+f.Cold.Mean+f.Save.Mean-50*s {
		t.Errorf("%+v", f)
	}
	// 122 s lost with the first, 34 s won with each other: 122 − 4 × 34 < 0.
	if f.Pays.Builds != 5 || f.Pays.Paid != 1 || f.Pays.Course[0] != 122*s || f.Pays.Course[1] != 88*s || f.Fresh.Mean != 39.0/40 ||
		f.Missed.Mean != 1.0/40 || f.Saves.Mean != 1 {
		t.Errorf("%+v", f.Pays)
	}
	v := o.Views[1]
	if v.Without != 150*s || v.Filling != 272*s || v.Using != 116*s || v.Usual != 1-116.0/272 {
		t.Errorf("%+v", v)
	}
	if got := caching.Pays(v.Terms, p.Rules[0]); got != 5 {
		t.Errorf("by the closed form it pays after %v builds", got)
	}
	// 39 GB came and 1 GB went at 0.1 a GB, in a day of a month of 730 h.
	for _, m := range p.Money {
		if m.What == outcome.PartStore && math.Abs(m.PerMonth.Mean-4*730.0/24) > 1e-6 {
			t.Errorf("%+v", m)
		}
	}
	if f.DownGB.Mean != 39*730.0/24 || math.Abs(f.UpGB.Mean-730.0/24) > 1e-9 {
		t.Errorf("%v GB down, %v up", f.DownGB.Mean, f.UpGB.Mean)
	}
	// With an hour worth nothing lead time decides; saving after every success loses.
	if naive := planOf(t, o, "every-all").Groups[0]; naive.LeadDiff.Mean <= 0 || naive.Pays.Paid != 0 {
		t.Errorf("%+v", naive)
	}
	for _, bad := range []weigh.Question{{World: w, Class: "m"}, {World: w, X: "up", Y: "up"}, {World: w, X: "wind"}} {
		if _, err := weigh.Weigh(bad, 1, nil); err == nil {
			t.Errorf("%+v was weighed", bad)
		}
	}
	if _, err := weigh.Weigh(weigh.Question{World: w}, 1, func(float64) bool { return false }); err != sim.ErrStopped {
		t.Error(err)
	}
}

// Where builds seldom overlap the engine confirms the closed forms, and the break-evens
// are theirs.
func TestSurfaceOfLoneBuilds(t *testing.T) {
	w, err := worlds.Parse(strings.NewReplacer(
		"size: 1GB}}, {name: m, wants: [x], work: 10s}]",
		`size: 20MB, changeRate: 0.1}, trunkShare: 0.5, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: 0.5}]}}]`,
		"  jobs: {file: jobs.csv}\n", "", "run: {span: 24h, repeats: 1}", "run: {span: 80d, warmup: 4d, repeats: 2, seed: 3}",
	).Replace(little)+worlds.Template("t", "x", "2", "4Gi", "i:1"), "")
	if err != nil {
		t.Fatal(err)
	}
	o := weighed(t, weigh.Question{World: w}, 2)
	s, agree := o.Surface, 0
	for _, p := range s.Plans {
		if p.Agrees {
			agree++
		}
	}
	// Of thirty intervals of 95 % one or two fail by chance, each with its plan.
	if agree < 3 {
		t.Errorf("%d closed forms agree: %s", agree, s.How)
	}
	for i, p := range s.Plans[1:] {
		rule := planOf(t, o, p.Key).Rules[0]
		for _, v := range p.Values {
			e, ok := caching.Expect(s.Terms.With(v.Quantity, v.At), rule)
			if off := math.Abs(e.Carried() - s.Terms.With(v.Quantity, v.At).Cold); !ok || p.Agrees && s.Plans[0].Agrees && off > 1e-6 ||
				off > 0.1*s.Terms.Cold {
				t.Errorf("%s: at its break-even %s = %v it is off by %v s", p.Key, v.Quantity, v.At, off)
			}
		}
		if p.Agrees && p.Pays != caching.Pays(s.Terms, rule) {
			t.Errorf("plan %d pays after %v", i, p.Pays)
		}
	}
}

// The edits of every plan make a scenario that has that plan.
func TestEditsOfPlans(t *testing.T) {
	text := "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec:\n  cluster: c # here\n  workload: w\n  " +
		"templates: [{template: t}]\n  caching: [{plan: archive, save: every-success, savedBy: all}]\n"
	for _, p := range weigh.Standard(20 << 30) {
		out, err := document.Apply(text, p.Edits())
		if err != nil {
			t.Fatal(err)
		}
		docs, faults := document.Parse("", []byte(out))
		if len(faults) > 0 || !strings.Contains(out, "# here") {
			t.Fatalf("%s: %v\n%s", p.Key, faults, out)
		}
		got := docs[0].Value.(*document.Scenario).Spec.Caching
		if len(got) != len(p.Rules) {
			t.Fatalf("%s: %+v", p.Key, got)
		}
		for i, r := range p.Rules {
			g := got[i]
			same := g.Plan == r.Plan && g.Scope == r.Scope && g.Every == r.Every && g.Size == r.Size &&
				(r.Plan != document.Volume || g.Copies == r.Copies)
			if r.Plan == document.Archive {
				same = same && g.Save == r.Save && g.SavedBy == r.SavedBy
			}
			if !same {
				t.Errorf("%s: %+v became %+v", p.Key, r, g)
			}
		}
	}
}
