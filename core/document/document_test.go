package document_test

import (
	"encoding/json"
	"io/fs"
	"reflect"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/table"
	"tachyphor/demo"
)

// text returns a document of the demo world.
func text(t testing.TB, path string) string {
	t.Helper()
	b, err := fs.ReadFile(demo.World, path)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

func TestDemoDocumentsAreRead(t *testing.T) {
	n := 0
	err := fs.WalkDir(demo.World, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".yaml") {
			return err
		}
		docs, faults := document.Parse(path, []byte(text(t, path)))
		if len(faults) > 0 || len(docs) != 1 || docs[0].Text != text(t, path) && docs[0].Lift.From == docs[0].Kind {
			t.Errorf("%s: %d documents, faults %v", path, len(docs), faults)
		}
		n++
		return nil
	})
	if err != nil || n < 8 {
		t.Errorf("%d documents, %v", n, err)
	}
}

// A breakage is one thing done wrong to a sound document, and what the fault
// must say.
type breakage struct{ from, to, want string }

// Every breakage is one fault at least, placed, that says what it should.
func TestBrokenDocuments(t *testing.T) {
	count := 0
	for path, list := range map[string][]breakage{
		"scenarios/weekday-lean.yaml": {
			{from: "kind: Scenario", to: "kind: Scenarios", want: `did you mean "Scenario"?`},
			{from: "kind: Scenario", to: "kid: Scenario", want: "kind: missing"},
			{from: "kind: Scenario", to: "kind: Deployment", want: "for a Deployment it is apps/v1"},
			{from: "kind: Scenario", to: "kind: Timetable", want: "expected one of PodTemplate"},
			{from: "apiVersion: tachyphor/v1", to: "apiVersion: v1", want: "for a Scenario it is tachyphor/v1"},
			{from: "apiVersion: tachyphor/v1", to: "# none", want: "apiVersion: missing"},
			{from: "metadata: {name: weekday-lean}", to: "metadata: {nam: weekday-lean}", want: `did you mean "name"?`},
			{from: "name: weekday-lean", to: "name: Weekday_Lean", want: "lower-case letters"},
			{from: "name: weekday-lean", to: "name: 7", want: "expected text; write it in quotes"},
			{from: "name: weekday-lean", to: "name: ", want: "expected text"},
			{from: "cluster: brinewell-north", to: "clustr: brinewell-north", want: `did you mean "cluster"?`},
			{from: "  cluster: brinewell-north\n", to: "", want: "spec.cluster: missing"},
			{from: "cluster: brinewell-north", to: "cluster: [a, b]", want: "found a list; expected text"},
			{from: "cluster: brinewell-north", to: "cluster: {a: b}", want: "found an object; expected text"},
			{from: "  templates:\n", to: "  template:\n", want: `did you mean "templates"?`},
			{from: "template: image-maker", to: "template: compile-wide", want: "used already"},
			{from: "linger: 10m\n        every", to: "lingr: 10m\n        every", want: `did you mean "linger"?`},
			{from: "linger: 10m\n        every", to: "linger: ten\n        every", want: "not a duration"},
			{from: "linger: 10m\n        every", to: "linger: -10m\n        every", want: "not a duration"},
			{from: "linger: 10m\n        every", to: "linger: 10\n        every", want: "not a duration"},
			{from: "linger: 10m\n        every", to: "linger: 99999d\n        every", want: "out of range"},
			{from: "reuse: while-idle\n        ceiling: 24", to: "reuse: sometimes\n        ceiling: 24", want: "expected one of never, while-idle"},
			{from: "reuse: while-idle\n        ceiling: 24", to: "reuse: while-idel\n        ceiling: 24", want: `did you mean "while-idle"?`},
			{from: "ceiling: 24", to: "ceiling: 24.5", want: "expected a whole number"},
			{from: "ceiling: 24", to: "ceiling: many", want: "expected a whole number"},
			{from: "ceiling: 24", to: "ceiling: -1", want: "from 0 to 100000"},
			{from: "ceiling: 24", to: "ceiling: 1e99", want: "expected a whole number"},
			{from: "ceiling: 24", to: "ceiling: .nan", want: "expected a whole number"},
			{from: "ceiling: 24", to: "ceiling: 1", want: "must not be above the ceiling of 1"},
			{from: "ceiling: 24", to: "ceiling: 24\n        ceiling: 25", want: "same field twice"},
			{from: "spare: 1", to: "spare: 999999999", want: "from 0 to 100000"},
			{from: "every: 5s\n", to: "every: 0s\n", want: "a step is for each round"},
			{from: "every: 5s\n", to: "every: 1us\n", want: "at least 1ms"},
			{from: "floor: 2, spare: 2}", to: "floor: 99, spare: 2}", want: "must not be above the ceiling"},
			{from: "Mon-Fri 07:30-21:00", to: "Mon-Fre 07:30-21:00", want: "not a period"},
			{from: "Mon-Fri 07:30-21:00", to: "07:30-21:00", want: "not a period"},
			{from: "Mon-Fri 07:30-21:00", to: "Mon-Fri 7:30-21:00", want: "not a period"},
			{from: "Mon-Fri 07:30-21:00", to: "Mon-Fri 07:30-25:00", want: "not a period"},
			{from: "zone: Europe/Oslo", to: "zone: Europe/Bryne", want: "not a time zone"},
			{from: "zone: Europe/Oslo", to: "zone: Local", want: "not a time zone"},
			{from: "agentCeiling: 50", to: "agentCeiling: -50", want: "from 0 to 100000"},
			{from: "choose: cheapest", to: "choose: cheap", want: "expected one of cheapest"},
			{from: "scan: 10s", to: "scan: 0s", want: "at least 1ms"},
			{from: "placement: pack", to: "placement: tight", want: "expected one of spread, pack"},
			{from: "growth: {", to: "growth: [", want: "not readable"},
			{from: "span: 7d", to: "span: 1ms", want: "expected 1s to 400d"},
			{from: "span: 7d", to: "span: 3000d", want: "expected 1s to 400d"},
			{from: "warmup: 6h", to: "warmup: 36d", want: "expected at most 35d"},
			{from: "repeats: 8", to: "repeats: 0", want: "from 1 to 1000"},
			{from: "repeats: 8", to: "repeats: 5000", want: "from 1 to 1000"},
			{from: "seed: 41", to: "seed: -41", want: "0 or more"},
			{from: "  run:", to: "  caching: [{plan: tape}]\n  run:", want: "expected one of none, archive, volume, node-disk"},
			{from: "  run:", to: "  caching: [{}]\n  run:", want: "plan: missing"},
			{from: "  run:", to: "  caching: [{plan: archive, save: every}]\n  run:", want: "together with save: every"},
			{from: "  run:", to: "  caching: [{plan: archive, every: 3h}]\n  run:", want: "together with save: every"},
			{from: "  run:", to: "  caching: [{plan: volume, copies: 0}]\n  run:", want: "from 1 to 10000"},
			{from: "  run:", to: "  quota: {pods: -1}\n  run:", want: "from 0 to 100000"},
			{
				from: "placement: pack", to: "pools: {burst: {max: 3, calendar: [{when: \"Mon 01:00-02:00\", min: 4}]}}",
				want: "must not be above max 3",
			},
			{from: "shrinkAfter: 6m", to: "spareRoom: {compile-wid: 1}", want: `did you mean "compile-wide"?`},
			{from: "seed: 41", to: "seed: 0x1_0000_0000_0000_0000_0000", want: "whole number"},
			{from: "spec:\n", to: "spec: 5\nrest:\n", want: "expected an object"},
			{from: "spec:\n", to: "spec: &a\n  x: *a\n", want: "too deep or too large"},
			{from: "spec:\n", to: "spec:\n  <<: {run: {seed: 1}}\n", want: "merge key"},
			{from: "spec:\n", to: "spec:\n  ? [a]\n  : b\n", want: "keys must be plain words"},
			{from: "spec:\n", to: "\tspec:\n", want: "not readable"},
			{from: "apiVersion: tachyphor/v1", to: "apiVersion: \"tachyphor/v1", want: "not readable"},
		},
		"cluster.yaml": {
			{from: "name: quad-16, cpu: 4", to: "name: quad-16, cpu: four", want: "not an amount of CPU"},
			{from: "name: quad-16, cpu: 4", to: "name: quad-16, cpu: -4", want: "not an amount of CPU"},
			{from: "name: quad-16, cpu: 4", to: "name: quad-16, cpu: 0", want: "must leave something"},
			{from: "memory: 16Gi", to: "memory: 16Gb", want: "not an amount of bytes"},
			{from: "memory: 16Gi", to: "memory: 1Gi", want: "must leave something"},
			{from: "price: 0.19/h", to: "price: 0.19", want: "not a price"},
			{from: "price: 0.19/h", to: "price: -0.19/h", want: "not a price"},
			{from: "price: 0.19/h", to: "price: NaN/h", want: "not a price"},
			{from: "price: 0.19/h, ", to: "", want: "price: missing"},
			{from: "pods: 6}", to: "pods: 600}", want: "from 0 to 110"},
			{from: "pods: 6}", to: "pods: 6, gpus: 1}", want: "an unknown field"},
			{from: "name: octo-32", to: "name: quad-16", want: "names must differ"},
			{from: "nodeType: octo-64", to: "nodeType: octo-46", want: `did you mean "octo-64"?`},
			{from: "max: 12", to: "max: -1", want: "from 0 to 10000"},
			{from: "      max: 12\n", to: "", want: "max: missing"},
			{from: "max: 2\n", to: "max: 1\n", want: "from 0 to 1"},
			{from: "{median: 85s, p95: 110s}", to: "{median: 85s}", want: "half of a form"},
			{from: "{median: 85s, p95: 110s}", to: "{median: 85s, p95: 10s}", want: "expected 0 < median ≤ p95"},
			{from: "{median: 85s, p95: 110s}", to: "{median: 0s, p95: 10s}", want: "expected 0 < median ≤ p95"},
			{from: "{median: 85s, p95: 110s}", to: "{fixed: 85s, mean: 9s}", want: "more than one form"},
			{from: "{median: 85s, p95: 110s}", to: "{min: 9s, max: 5s}", want: "expected min ≤ max"},
			{from: "{median: 85s, p95: 110s}", to: "{mean: 9s, shape: 0}", want: "from 0.05 to 1000"},
			{from: "{median: 85s, p95: 110s}", to: "{shape: 2}", want: "half of a form"},
			{from: "{median: 85s, p95: 110s}", to: "[85s]", want: "expected an object"},
			{from: "size: 2.3GB", to: "size: big", want: "not an amount of bytes"},
			{from: "size: 2.3GB", to: "size: 2.3GB, link: miror", want: "no such link"},
			{from: "size: 2.3GB", to: "size: [1]", want: "expected a single value"},
			{from: "down: 120MB/s", to: "down: 120MB", want: "not a rate"},
			{from: "down: 120MB/s", to: "upp: 120MB/s", want: "an unknown field"},
			{from: "fee: 0.10/h", to: "fee: {a: 1}", want: "expected a single value"},
			{from: "currency: EUR", to: "currency: [EUR]", want: "expected text"},
			{from: "max: 12\n", to: "max: 12\n      taints: [{key: spot, effect: NoShedule}]\n", want: `did you mean "NoSchedule"?`},
			{from: "max: 12\n", to: "max: 12\n      taints: [{effect: NoSchedule}]\n", want: "key: missing"},
			{from: "labels: {tier: burst}", to: "labels: {tier: 5}", want: "write it in quotes"},
			{from: "price: 0.19/h", to: "price: 0.19/h, extended: {card: 1}", want: "has a domain"},
			{from: "price: 0.19/h", to: "price: 0.19/h, extended: {example.org/card: -1}", want: "from 0 to 1000000"},
			{from: "disk: 120Gi", to: "disk: 1Gi", want: "must leave something"},
			{from: "nodeTypes:", to: "nodeTyps:", want: `did you mean "nodeTypes"?`},
			{from: "spot: {perHour: 0.08", to: "spot: {perHour: 8000", want: "from 0 to 1000"},
			{from: "spot: {perHour: 0.08, notice: 2m}", to: "spot: {notice: 2m}", want: "perHour: missing"},
			{from: "price: 0.74/h, spotPrice: 0.247/h", to: "price: 0.74/h", want: "needs a spotPrice"},
			{from: "labels: {tier: burst}", to: "bootFails: 1.5", want: "from 0 to 1"},
			{from: "labels: {tier: burst}", to: "noCapacity: 0.5\n      retryAfter: 0s", want: "at least 1s"},
			{from: "labels: {tier: burst}", to: "pulls: 0", want: "from 1 to 100"},
			{from: "labels: {tier: burst}", to: "drains: [{when: weekends}]", want: "not a period"},
			{from: "size: 2.3GB", to: "size: 2.3GB, layers: [{name: a, size: 1GB}]", want: "either size or layers"},
			{from: ", size: 2.3GB", to: "", want: "either size or layers"},
			{from: "size: 2.3GB,", to: "layers: [{name: a, size: 1GB}, {name: a, size: 2GB}],", want: "the same name is the same layer"},
			{from: "price: 0.02/GB-month", to: "price: 0.02/GB", want: "write it like 0.02/GB-month"},
			{from: "request: 0.005/1000", to: "request: 0.005", want: "write it like 0.005/1000"},
			{from: "store: {size: 200GB", to: "store: {saveFails: 2, size: 200GB", want: "from 0 to 1"},
			{from: "  fee: 0.10/h", to: "  daemonSets: [{name: logs, pools: [brst]}]", want: `did you mean "burst"?`},
			{from: "  fee: 0.10/h", to: "  claims: [{name: c, nodes: two}]", want: "expected one of one, many"},
			{from: "wipe: {median: 4s, p95: 11s}", to: "tools: [{name: jq}]", want: "install: missing"},
			{from: "wipe: {median: 4s, p95: 11s}", to: "tools: [{name: jq, install: 3s, fails: -1}]", want: "from 0 to 1"},
		},
		"workload.yaml": {
			{from: "start: 2026-09-14T00:00:00+02:00", to: "start: yesterday", want: "not a time"},
			{from: "start: 2026-09-14T00:00:00+02:00", to: "start: 2026-09-14", want: "not a time"},
			{from: "  start: 2026-09-14T00:00:00+02:00\n", to: "", want: "start: missing"},
			{from: "zone: Europe/Oslo", to: "zone: 7", want: "not a time zone"},
			{from: "wants: [linux, rust]", to: "wants: linux", want: "expected a list"},
			{from: "wants: [linux, rust]", to: "wants: [linux, 5]", want: "write it in quotes"},
			{from: "wants: [linux, rust], ", to: "", want: "wants: missing"},
			{from: "name: tide-charts", to: "name: hull-firmware", want: "names must differ"},
			{from: "cores: 7", to: "cores: -7", want: "from 0 to 10000"},
			{from: "cores: 7", to: "cores: .inf", want: "expected a number"},
			{from: "cores: 7", to: "cores: seven", want: "expected a number"},
			{from: "jobs: {file: week-38.csv, cache: warm}", to: "jobs: {file: \"\"}", want: "name of a CSV file"},
			{from: "jobs: {file: week-38.csv, cache: warm}", to: "jobs: {path: week-38.csv}", want: "an unknown field"},
			{from: "{min: 35m, max: 60m}", to: "{min: 35m, max: 60m, arrivals: []}", want: "an unknown field"},
			{from: "memory: 9Gi", to: "memory: 9Gi, arrivals: {hours: [{when: \"Mon 08:00-09:00\", perHour: -3}]}", want: "from 0 to 1000000"},
			{from: "memory: 9Gi", to: "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 8\", count: 3}]}", want: "not a moment"},
			{from: "memory: 9Gi", to: "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 08:00\", count: 0}]}", want: "from 1 to 1000000"},
			{from: "memory: 9Gi", to: "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 08:00\"}]}", want: "count: missing"},
			{from: "memory: 9Gi", to: "memory: {median: 9Gi}", want: "half of a form"},
			{from: "memory: 9Gi", to: "memory: {mean: 9s}", want: "not an amount of bytes"},
			{from: "parallel: 0.85", to: "parallel: 1.85", want: "from 0 to 1"},
			{from: "changeRate: 0.04", to: "changeRate: 4", want: "from 0 to 1"},
			{from: "retries: 2", to: "retries: -2", want: "from 0 to 100"},
			{from: "retries: 2", to: "priority: 5000", want: "from -1000 to 1000"},
			{from: "retries: 2", to: "follows: {class: sonar-sute}", want: `did you mean "sonar-suite"?`},
			{from: "retries: 2", to: "follows: {class: sonar-suite}", want: "cannot follow itself"},
			{from: "retries: 2", to: "follows: {class: tide-charts, count: 0}", want: "from 1 to 1000"},
			{
				from: "jobs: {file: week-38.csv, cache: warm}", to: "jobs: {file: week-38.csv, columns: {sumbitted: queued}}",
				want: `did you mean "submitted"?`,
			},
		},
		"templates/compile-wide.yaml": {
			{from: "containers:\n", to: "container:\n", want: `did you mean "containers"?`},
			{from: "image: images.brinewell.example/agents/wide:2026.9", to: "imagee: x", want: `did you mean "image"?`},
			{from: "        image: images.brinewell.example/agents/wide:2026.9\n", to: "", want: "a container needs an image"},
			{from: "cpu: 6500m", to: "cpu: much", want: "expected a quantity"},
			{from: "cpu: 6500m", to: "cpu: -1", want: "must not be negative"},
			{from: "terminationGracePeriodSeconds: 20", to: "terminationGracePeriodSeconds: 20s", want: "expected a whole number"},
			{from: "automountServiceAccountToken: false", to: "automountServiceAccountToken: maybe", want: "expected true or false"},
			{from: "name: log-tail", to: "name: agent", want: "names must differ"},
			{from: "apiVersion: v1", to: "apiVersion: v2", want: "for a PodTemplate it is v1"},
			{from: "labels: {app: slipway-agent, size: wide}", to: "labels: [app]", want: "expected an object"},
			{from: "labels: {app: slipway-agent, size: wide}", to: "labels: {app: 5}", want: "write it in quotes"},
			{from: "        env:\n", to: "        env: no\n        envFrom:\n", want: "expected a list"},
		},
	} {
		sound := text(t, path)
		for _, b := range list {
			count++
			broken := strings.Replace(sound, b.from, b.to, 1)
			if broken == sound {
				t.Errorf("%s: %q is not in it", path, b.from)
				continue
			}
			_, faults := document.Parse(path, []byte(broken))
			if len(faults) == 0 {
				t.Errorf("%s: %q for %q is taken", path, b.to, b.from)
				continue
			}
			if all := faults.Error(); !strings.Contains(all, b.want) {
				t.Errorf("%s: %q for %q says %s; want %q", path, b.to, b.from, all, b.want)
			}
			if f := faults[0]; f.File != path || f.Line < 1 {
				t.Errorf("%s: %q for %q has no place: %+v", path, b.to, b.from, f)
			}
		}
	}
	if count < 100 {
		t.Errorf("only %d breakages", count)
	}
}

// All faults are told at once, each at its line and column.
func TestFaultsComeTogetherAndPlaced(t *testing.T) {
	_, faults := document.Parse("s.yaml", []byte(`apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: s}
spec:
  cluster: c
  workload: w
  templates:
    - template: t
      agents: {flor: 2, ceiling: x}
  run: {span: never}
`))
	want := []string{
		`s.yaml:9:16: spec.templates[0].agents.flor: found an unknown field; the fields here are reuse, floor, ceiling, spare, prefer, linger, mostJobs, mostAge, every, step, settle, needsOneAgent and 2 more; did you mean "floor"?`,
		`s.yaml:9:34: spec.templates[0].agents.ceiling: found "x"; expected a whole number`,
		`s.yaml:10:15: spec.run.span: "never" is not a duration; write it like 90s, 10m, 1h30m or 7d`,
	}
	if got := strings.Split(faults.Error(), "\n"); !reflect.DeepEqual(got, want) {
		t.Errorf("faults:\n%s\nwant:\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
}

func TestLimits(t *testing.T) {
	deep := strings.Repeat("[", 100) + strings.Repeat("]", 100)
	bomb := "a: &a [x,x,x,x,x,x,x,x,x,x]\n"
	for c := 'b'; c <= 'h'; c++ {
		bomb += string(c) + ": &" + string(c) + " [" + strings.Repeat("*"+string(c-1)+",", 9) + "*" + string(c-1) + "]\n"
	}
	for name, data := range map[string]string{
		"deep": "kind: " + deep, "bomb": bomb, "large": strings.Repeat("#", document.MaxBytes+1),
		"empty": "", "nothing": "---\n---\n", "scalar": "5", "list": "[]", "nul": "\x00", "not utf-8": "kind: \xff\xfe",
	} {
		if docs, faults := document.Parse(name, []byte(data)); len(faults) == 0 {
			t.Errorf("%s: taken as %d documents", name, len(docs))
		} else if len(faults) > 201 {
			t.Errorf("%s: a flood of %d faults", name, len(faults))
		}
	}
}

func TestDefaultsAndSameContent(t *testing.T) {
	const a = "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec: {cluster: c, workload: w, templates: " +
		"[{template: t, agents: {every: 0s}}]}\n"
	const b = `{"kind":"Scenario","apiVersion":"tachyphor/v1","metadata":{"name":"s"},"spec":{"templates":[{"agents":{"every":"0s"},"template":"t"}],"workload":"w","cluster":"c"}}`
	x, f1 := document.Parse("", []byte("# a note\n"+a))
	y, f2 := document.Parse("", []byte(b))
	if len(f1)+len(f2) > 0 {
		t.Fatal(f1, f2)
	}
	if x[0].Digest != y[0].Digest {
		t.Error("the same content in another order and format has another digest")
	}
	if x[0].Note() != "a note" {
		t.Errorf("note %q", x[0].Note())
	}
	s := x[0].Value.(*document.Scenario).Spec
	if n := s.Templates[0].Agents; n.Every != 0 || n.Reuse != document.WhileIdle || n.Linger == 0 || n.Ceiling != nil {
		t.Errorf("numbers %+v", n)
	}
	if s.Run.Repeats != 8 || s.Nodes.Growth.Choose != document.Cheapest {
		t.Errorf("defaults %+v %+v", s.Run, s.Nodes)
	}
}

func TestStreamsKeepEachText(t *testing.T) {
	stream := text(t, "cluster.yaml") + "---\n" + text(t, "workload.yaml") + "---\n# only a comment\n---\n" +
		text(t, "scenarios/on-demand.yaml")
	docs, faults := document.Parse("all.yaml", []byte(stream))
	if len(faults) > 0 || len(docs) != 3 {
		t.Fatalf("%d documents, %v", len(docs), faults)
	}
	for i, path := range []string{"cluster.yaml", "workload.yaml", "scenarios/on-demand.yaml"} {
		if docs[i].Text != text(t, path) {
			t.Errorf("%s became:\n%s", path, docs[i].Text)
		}
	}
}

func TestEditsKeepComments(t *testing.T) {
	was := text(t, "cluster.yaml")
	now, err := document.Apply(was, []document.Edit{
		{Op: "replace", Path: "/spec/pools/1/max", Value: 20},
		{Op: "add", Path: "/spec/links/registry/perFlow", Value: "50MB/s"},
		{Op: "add", Path: "/metadata/labels/tier", Value: "north"},
		{Op: "remove", Path: "/spec/fee"},
		{Op: "add", Path: "/spec/images/-", Value: map[string]any{"name": "x", "size": "1MB"}},
	})
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("", []byte(now))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	c := docs[0].Value.(*document.Cluster)
	if c.Spec.Pools[1].Max != 20 || c.Spec.Links.Registry.PerFlow != 50e6 || c.Metadata.Labels["tier"] != "north" || c.Spec.Fee != 0 ||
		len(c.Spec.Images) != 5 {
		t.Errorf("edits not made:\n%s", now)
	}
	for _, comment := range []string{"# The cluster of Brinewell", "# two nodes, always there"} {
		if !strings.Contains(now, comment) {
			t.Errorf("%q is lost", comment)
		}
	}
	for _, bad := range []document.Edit{
		{Op: "move", Path: "/spec"},
		{Op: "remove", Path: "/spec/nothing"},
		{Op: "add", Path: "spec"},
		{Op: "replace", Path: "/spec/pools/9/max", Value: 1},
		{Op: "add", Path: "/spec/currency/x", Value: 1},
		{Op: "remove", Path: "/a/b/c"},
	} {
		if _, err := document.Apply(was, []document.Edit{bad}); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// What the schema says is what the reader takes: the same fields, the same
// required ones, the same words.
func TestSchemasMatchTheReader(t *testing.T) {
	for _, kind := range document.Kinds() {
		raw, ok := document.Schema(kind)
		if !ok {
			t.Fatalf("no schema for %s", kind)
		}
		var s map[string]any
		if err := json.Unmarshal(raw, &s); err != nil {
			t.Fatal(err)
		}
		if s["title"] != kind || s["additionalProperties"] != false {
			t.Errorf("%s: %v", kind, s["title"])
		}
	}
	raw, _ := document.Schema(document.KindScenario)
	for _, want := range []string{`"enum": [`, `"while-idle"`, `"default": "5s"`, `"pattern"`, `"Fewest agents."`} {
		if !strings.Contains(string(raw), want) {
			t.Errorf("the scenario's schema lacks %s", want)
		}
	}
	raw, _ = document.Schema(document.KindPodTemplate)
	if !strings.Contains(string(raw), "terminationGracePeriodSeconds") {
		t.Error("the pod template's schema lacks fields")
	}
}

func TestNearest(t *testing.T) {
	words := []string{"linux", "cxx", "arm-cross"}
	for word, want := range map[string]string{
		"arm-corss": "arm-cross", "linx": "linux", "windows": "", "cx": "cxx",
		strings.Repeat("x", 1000): "",
	} {
		if got, _ := table.Nearest(word, words); got != want {
			t.Errorf("nearest to %.20q is %q, want %q", word, got, want)
		}
	}
}

// No input makes the reader panic, and what it takes it takes again.
func FuzzParse(f *testing.F) {
	for _, path := range []string{"cluster.yaml", "workload.yaml", "scenarios/weekday-lean.yaml", "templates/compile-wide.yaml"} {
		f.Add(text(f, path))
	}
	f.Add("a: &a [*a]\n")
	f.Add("kind: Scenario\napiVersion: tachyphor/v1\nmetadata: {name: x}\nspec: {templates: [{agents: {calendar: [{}]}}]}")
	f.Fuzz(func(t *testing.T, s string) {
		docs, _ := document.Parse("f", []byte(s))
		for _, d := range docs {
			again, faults := document.Parse("f", []byte(d.Text))
			if len(faults) > 0 || len(again) != 1 || again[0].Digest != d.Digest {
				t.Errorf("%s %s is not taken again: %v", d.Kind, d.Name, faults)
			}
			if _, err := document.Apply(d.Text, []document.Edit{{Op: "add", Path: "/metadata/labels/a", Value: "b"}}); err != nil {
				t.Errorf("cannot be edited: %v", err)
			}
		}
	})
}
