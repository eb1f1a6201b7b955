package explore_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"slices"
	"strconv"
	"strings"
	"testing"

	"tachyphor/core/aim"
	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/core/stats"
	"tachyphor/core/world"
	"tachyphor/test/worlds"
)

// queue is a scenario whose jobs come by Poisson and work for exponential times, at agents that
// are there all the time: M/M/c. An agent has a node of its own.
func queue(perHour, minutes float64, agents, repeats int, seed uint64) string {
	return fmt.Sprintf(`apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: c}
spec:
  nodeTypes: [{name: n, cpu: 2, memory: 8Gi, price: 0.5/h}]
  pools: [{name: p, nodeType: n, max: 200}]
  images: [{name: "i:1", size: 1MB}]
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: w}
spec:
  start: 2026-01-05T00:00:00Z
  classes: [{name: k, wants: [go], work: {mean: %gm, shape: 1}, arrivals: {hours: [{when: "Mon-Sun 00:00-24:00", perHour: %g}]}}]
---
apiVersion: v1
kind: PodTemplate
metadata: {name: t, annotations: {tachyphor/offers: go, tachyphor/idle-timeout: 10m}}
template:
  spec: {containers: [{name: agent, image: "i:1", resources: {requests: {cpu: 1500m, memory: 4Gi}}}]}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates: [{template: t, agents: {reuse: while-idle, floor: %d, ceiling: %d, every: 0s, linger: 1h}}]
  nodes: {growth: {shrinkAfter: 10m}, placement: pack}
  run: {span: 3d, warmup: 6h, repeats: %d, seed: %d}
`, minutes, perHour, agents, agents, repeats, seed)
}

func input(t testing.TB, text string) world.Input {
	t.Helper()
	in, err := worlds.Read(text, "")
	if err != nil {
		t.Fatal(err)
	}
	return in
}

func spec(t testing.TB, text string) document.SweepSpec {
	t.Helper()
	docs, faults := document.Parse("sweep", []byte("apiVersion: tachyphor/v1\nkind: Sweep\nmetadata: {name: x}\nspec:\n  scenario: s\n"+text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	return docs[0].Value.(*document.Sweep).Spec
}

func answer(t testing.TB, in world.Input, s document.SweepSpec, workers int) *explore.Answer {
	t.Helper()
	q, err := explore.Ask("x", s, in)
	if err != nil {
		t.Fatal(err)
	}
	a, err := q.Answer(explore.Way{Workers: workers})
	if err != nil {
		t.Fatal(err)
	}
	return a
}

// fleet moves floor and ceiling as one.
const fleet = `  knobs:
    - name: agents
      together:
        - {at: Scenario/spec/templates/t/agents/floor, from: 3, to: 12}
        - {at: Scenario/spec/templates/t/agents/ceiling, from: 3, to: 12}
`

// within is the share of jobs of M/M/c that start within a time, by Erlang.
func within(c int, perHour, minutes, seconds float64) float64 {
	load := perHour * minutes / 60
	if float64(c) <= load {
		return 0
	}
	return 1 - stats.ErlangC(c, load)*math.Exp(-(float64(c)-load)*seconds/(60*minutes))
}

// Of a queue whose answer is known, the recommended number of agents is the smallest that keeps
// the aim, in at least 95 of 100 seeds, and never one that does not keep it.
func TestTheory(t *testing.T) {
	seeds := 4
	if os.Getenv("TACHYPHOR_VALIDATE") != "" {
		seeds = 100
	}
	const perHour, minutes = 30, 8.0 // four agents' work
	want := 0
	for c := 3; want == 0; c++ {
		if within(c, perHour, minutes, 60) >= 0.85 {
			want = c
		}
	}
	if a, b := within(want, perHour, minutes, 60), within(want-1, perHour, minutes, 60); a < 0.88 || b > 0.82 {
		t.Fatalf("the aim lies too near: %v, %v", a, b)
	}
	wrong, low := 0, 0
	for seed := range seeds {
		a := answer(t, input(t, queue(perHour, minutes, 10, 8, uint64(seed))), spec(t, fleet+"  aims: [85 % of all jobs start within 60s]\n"), 2)
		got := 10
		if a.Best >= 0 {
			for _, s := range a.Variants[a.Best].Settings {
				if _, err := fmt.Sscan(strings.Split(s.Is, ",")[0], &got); err != nil {
					t.Fatal(err)
				}
			}
		}
		if a.Best < 0 || got != want {
			wrong++
			t.Logf("seed %d: %d agents, best %d: %s", seed, got, a.Best, a.Sentence)
		}
		if a.Best >= 0 && got < want {
			low++
		}
	}
	if wrong > seeds/20 || low > seeds/20 {
		t.Errorf("%d of %d seeds say another than %d agents, %d too few", wrong, seeds, want, low)
	}
}

// Neither workers nor the order of knobs and values change what is recommended; the first not a
// byte.
func TestOrder(t *testing.T) {
	const two = `  knobs:
    - {at: Scenario/spec/templates/t/agents/ceiling, values: [6, 8, 10]}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [1m, 10m, 1h]}
  aims: [80 % of all jobs start within 5m]
`
	const other = `  knobs:
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [1h, 1m, 10m]}
    - {at: Scenario/spec/templates/t/agents/ceiling, values: [10, 6, 8]}
  aims: [80 % of all jobs start within 5m]
`
	in := input(t, strings.Replace(queue(30, 8, 8, 4, 1), "floor: 8", "floor: 0", 1))
	bytes := func(a *explore.Answer) string {
		b, err := json.Marshal(a)
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	first := answer(t, in, spec(t, two), 1)
	if bytes(first) != bytes(answer(t, in, spec(t, two), 3)) {
		t.Error("workers change the answer")
	}
	// What stays on is dearer than what comes and goes, is of the draws that the answer is told
	// of, and no working hours hold the whole week.
	x := first.Stays
	if x == nil || x.Best == nil || x.Best.AsItIs != first.Confirm.Best.Bill || x.Today.AsItIs != first.Confirm.Today.Bill ||
		x.Today.Always.Mean <= x.Today.AsItIs.Mean || x.Best.InHours.Mean >= x.Best.Always.Mean || x.Outside <= 0 || x.Outside >= 1 {
		t.Errorf("%+v", x)
	}
	turned := answer(t, in, spec(t, other), 2)
	settings := func(a *explore.Answer) []explore.Setting {
		if a.Best < 0 {
			t.Fatal(a.Sentence)
		}
		list := slices.Clone(a.Variants[a.Best].Settings)
		slices.SortFunc(list, func(a, b explore.Setting) int { return strings.Compare(a.Knob, b.Knob) })
		return list
	}
	if a, b := settings(first), settings(turned); !slices.Equal(a, b) {
		t.Errorf("%v, in another order %v", a, b)
	}
}

// What is wrong with a question is told before anything runs, with what is there.
func TestFaults(t *testing.T) {
	in := input(t, queue(30, 8, 8, 4, 1))
	for text, want := range map[string]string{
		"  knobs: [{at: Scenario/spec/templates/x/agents/ceiling, values: [1, 2]}]\n":       `there is no entry "x"`,
		"  knobs: [{at: Scenario/spec/templates/t/agents/cieling, values: [9, 10]}]\n":      "cieling",
		"  knobs: [{at: PodTemplate/u/template, values: [1]}]\n":                            "goes on with its name, one of t",
		"  knobs: [{at: Scenario, values: [1]}]\n":                                          "expected a place within the document",
		"  knobs: [{at: Scenario/spec/templates/t/agents/ceiling, values: [1, 2]}]\n":       "floor",
		"  knobs: [{at: Scenario/spec/run/span, values: [soon]}]\n":                         "not a duration",
		fleet + "  aims: [95 % of sonar start within 60s]\n":                                "there is no class sonar; the classes are k",
		"  knobs: [{at: Cluster/spec/pools/q/max, values: [1, 2]}]\n":                       `there is no entry "q"`,
		"  knobs: [{at: Cluster/spec/pools/p/max/more, values: [1, 2]}]\n":                  `"more" is inside a single value`,
		"  knobs: [{at: PodTemplate/t/template/spec/containers/agnt/image, values: [x]}]\n": `"agent" is there`,
	} {
		if _, err := explore.Ask("x", spec(t, text), in); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
	for text, want := range map[string]string{
		"  knobs: []\n": "expected 1 to 40", "  knobs: [{at: Scenario/spec/x}]\n": "expected either values",
		"  knobs: [{at: Nothing/spec/x, values: [1]}]\n":                                                           "expected a place",
		"  knobs: [{at: Scenario/spec/x, values: [1, 1]}]\n":                                                       "values must differ",
		"  knobs: [{at: Scenario/spec/x, from: 3, to: 1}]\n":                                                       "a rising range",
		"  knobs: [{at: Scenario/spec/x, from: 0, to: 1, by: 0}]\n":                                                "a rising range",
		"  knobs: [{at: Scenario/spec/x, from: 0, to: 1}]\n  aims: [bill at most much]\n":                          "expected an amount",
		"  knobs: [{at: Scenario/spec/x, from: 0, to: 1}]\n  budget: {runs: 0}\n":                                  "from 1 to",
		"  knobs: [{name: a, at: Scenario/spec/x, from: 0, to: 1}, {name: a, at: Scenario/spec/y, values: [1]}]\n": "another knob is called so",
		"  knobs: [{together: [{at: Scenario/spec/x, values: [1]}, {at: Scenario/spec/y, values: [1, 2]}]}]\n":     "as many values each",
		"  knobs: [{at: Scenario/spec/x, from: 0, to: 1}]\n  least: money\n":                                       "expected one of bill",
	} {
		_, faults := document.Parse("s", []byte("apiVersion: tachyphor/v1\nkind: Sweep\nmetadata: {name: x}\nspec:\n  scenario: s\n"+text))
		if !strings.Contains(fmt.Sprint(faults), want) {
			t.Errorf("%s: %v", text, faults)
		}
	}
}

// An aim that nothing keeps is said, with the nearest; variants that are no documents are left
// out and counted; where more is possible than the budget allows it is searched, and said.
func TestNothingKeepsAndSearch(t *testing.T) {
	in := input(t, queue(30, 8, 8, 4, 1))
	a := answer(t, in, spec(t, fleet+"  aims: [bill at most 1]\n"), 2)
	if a.Best >= 0 || !strings.Contains(a.Sentence, "None of the 10 variants keeps all aims") || !strings.Contains(a.Sentence, "agents 3, 3") {
		t.Errorf("%d %s", a.Best, a.Sentence)
	}
	a = answer(t, in, spec(t, `  knobs:
    - {at: Scenario/spec/templates/t/agents/floor, from: 0, to: 12}
    - {at: Scenario/spec/templates/t/agents/ceiling, from: 3, to: 12}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [1m, 2m, 5m, 10m]}
  aims: [90 % of all jobs start within 60s]
  budget: {runs: 240}
`), 2)
	if !a.Searched || a.Possible != 520 || a.Unfit == 0 || a.Best < 0 || a.Runs > 240+200 || !strings.Contains(strings.Join(a.Notes, " "), "520 variants are possible") {
		t.Errorf("searched %v of %d, %d unfit, best %d, %d runs; %s %q", a.Searched, a.Possible, a.Unfit, a.Best, a.Runs, a.Sentence, a.Notes)
	}
	if free := answer(t, in, spec(t, fleet), 2); !strings.Contains(free.Sentence, "agents 3, 3: 95 % of jobs") ||
		!strings.Contains(free.Sentence, "no aim was given, so that only the bill counts") {
		t.Error(free.Sentence)
	}
	ladder := a.Ladder
	if len(ladder) == 0 || len(ladder) != len(a.Variants[a.Best].Settings) {
		t.Fatalf("%+v", ladder)
	}
	last, best := ladder[len(ladder)-1].Added.Bill, a.Variants[a.Best].Bill
	off := 0.1 // of figures over different runs
	if last.Runs == best.Runs {
		off = 1e-9
	}
	if math.Abs(last.Mean-best.Mean) > off*best.Mean {
		t.Errorf("the ladder ends at %+v, what is recommended costs %+v", last, best)
	}
	shown := map[string]bool{}
	for _, m := range a.Matters {
		shown[m.Knob+m.With] = true
		if m.Delay < 0 || m.Delay > 1+1e-9 || m.Bill < 0 || m.Bill > 1+1e-9 {
			t.Errorf("%+v", m)
		}
	}
	if !shown["t floor"] || !shown["t ceiling"] {
		t.Errorf("%+v", a.Matters)
	}
}

// A scenario's own knobs are those of a Sweep, with ceilings up to what the jobs would take at
// once; none is only what stands there.
func TestKnobsOf(t *testing.T) {
	in := input(t, queue(30, 8, 5, 4, 1))
	knobs, err := explore.KnobsOf(in)
	if err != nil {
		t.Fatal(err)
	}
	raw, err := json.Marshal(document.Sweep{
		APIVersion: "tachyphor/v1", Kind: "Sweep", Metadata: document.Meta{Name: "own"},
		Spec: document.SweepSpec{Scenario: "s", Knobs: knobs, Least: document.LeastBill, Budget: document.Runs{Runs: 90}},
	})
	if err != nil {
		t.Fatal(err)
	}
	if _, faults := document.Parse("own", raw); len(faults) > 0 {
		t.Fatal(faults)
	}
	names := map[string][]string{}
	for _, k := range knobs {
		for _, v := range k.Values {
			names[k.Name] = append(names[k.Name], v.String())
		}
		if len(k.Values) == 0 {
			t.Errorf("%+v", k)
		}
	}
	ceiling := names["t ceiling"]
	if most, err := strconv.Atoi(ceiling[len(ceiling)-1]); err != nil || most < 9 || most > 25 || !slices.Contains(ceiling, "5") {
		t.Errorf("ceilings %v", ceiling)
	}
	if got := names["t reuse"]; !slices.Equal(got, []string{"never", "while-idle"}) {
		t.Errorf("reuse %v", got)
	}
	if got := names["choose"]; slices.Contains(got, "cheapest") || len(got) != 2 { // what is left out stays so
		t.Errorf("choose %v", got)
	}
	a := answer(t, in, document.SweepSpec{
		Scenario: "s", Knobs: knobs, Aims: []string{"85 % of all jobs start within 60s"},
		Least: document.LeastBill, Budget: document.Runs{Runs: 240},
	}, 2)
	if a.Best < 0 || a.Today != aim.Missed || len(a.Knobs) != len(knobs) {
		t.Errorf("%d, today %s: %s", a.Best, a.Today, a.Sentence)
	}
}

// A variant whose agents fit on no node is not run, and it is told why: without an aim it would have
// the least bill of all.
func TestAgentsThatFitNowhere(t *testing.T) {
	in := input(t, queue(30, 8, 8, 4, 1))
	const text = `  knobs: [{at: PodTemplate/t/template/spec/containers/agent/resources/requests/cpu, values: ["1", "300"]}]
`
	a := answer(t, in, spec(t, text), 2)
	if notes := strings.Join(a.Notes, " "); a.Unfit != 1 || len(a.Variants) != 2 || !strings.Contains(notes, "One variant cannot be run") ||
		!strings.Contains(notes, "fits no node of any pool") {
		t.Errorf("%d, %d variants: %s", a.Unfit, len(a.Variants), notes)
	}
}
