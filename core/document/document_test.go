package document_test

import (
	"encoding/json"
	"io/fs"
	"reflect"
	"strings"
	"testing"

	"tachyphor/core/document"
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
			{"kind: Scenario", "kind: Scenarios", `did you mean "Scenario"?`},
			{"kind: Scenario", "kid: Scenario", "kind: missing"},
			{"kind: Scenario", "kind: Deployment", "for a Deployment it is apps/v1"},
			{"kind: Scenario", "kind: Timetable", "expected one of PodTemplate"},
			{"apiVersion: tachyphor/v1", "apiVersion: v1", "for a Scenario it is tachyphor/v1"},
			{"apiVersion: tachyphor/v1", "# none", "apiVersion: missing"},
			{"metadata: {name: weekday-lean}", "metadata: {nam: weekday-lean}", `did you mean "name"?`},
			{"name: weekday-lean", "name: Weekday_Lean", "lower-case letters"},
			{"name: weekday-lean", "name: 7", "expected text; write it in quotes"},
			{"name: weekday-lean", "name: ", "expected text"},
			{"cluster: brinewell-north", "clustr: brinewell-north", `did you mean "cluster"?`},
			{"  cluster: brinewell-north\n", "", "spec.cluster: missing"},
			{"cluster: brinewell-north", "cluster: [a, b]", "found a list; expected text"},
			{"cluster: brinewell-north", "cluster: {a: b}", "found an object; expected text"},
			{"  templates:\n", "  template:\n", `did you mean "templates"?`},
			{"template: image-maker", "template: compile-wide", "used already"},
			{"linger: 10m\n        every", "lingr: 10m\n        every", `did you mean "linger"?`},
			{"linger: 10m\n        every", "linger: ten\n        every", "not a duration"},
			{"linger: 10m\n        every", "linger: -10m\n        every", "not a duration"},
			{"linger: 10m\n        every", "linger: 10\n        every", "not a duration"},
			{"linger: 10m\n        every", "linger: 99999d\n        every", "out of range"},
			{"reuse: while-idle\n        ceiling: 24", "reuse: sometimes\n        ceiling: 24", "expected one of never, while-idle"},
			{"reuse: while-idle\n        ceiling: 24", "reuse: while-idel\n        ceiling: 24", `did you mean "while-idle"?`},
			{"ceiling: 24", "ceiling: 24.5", "expected a whole number"},
			{"ceiling: 24", "ceiling: many", "expected a whole number"},
			{"ceiling: 24", "ceiling: -1", "from 0 to 100000"},
			{"ceiling: 24", "ceiling: 1e99", "expected a whole number"},
			{"ceiling: 24", "ceiling: .nan", "expected a whole number"},
			{"ceiling: 24", "ceiling: 1", "must not be above the ceiling of 1"},
			{"ceiling: 24", "ceiling: 24\n        ceiling: 25", "same field twice"},
			{"spare: 1", "spare: 999999999", "from 0 to 100000"},
			{"every: 5s\n", "every: 0s\n", "a step is for each round"},
			{"every: 5s\n", "every: 1us\n", "at least 1ms"},
			{"floor: 2, spare: 2}", "floor: 99, spare: 2}", "must not be above the ceiling"},
			{"Mon-Fri 07:30-21:00", "Mon-Fre 07:30-21:00", "not a period"},
			{"Mon-Fri 07:30-21:00", "07:30-21:00", "not a period"},
			{"Mon-Fri 07:30-21:00", "Mon-Fri 7:30-21:00", "not a period"},
			{"Mon-Fri 07:30-21:00", "Mon-Fri 07:30-25:00", "not a period"},
			{"zone: Europe/Oslo", "zone: Europe/Bryne", "not a time zone"},
			{"zone: Europe/Oslo", "zone: Local", "not a time zone"},
			{"agentCeiling: 50", "agentCeiling: -50", "from 0 to 100000"},
			{"choose: cheapest", "choose: cheap", "expected one of cheapest"},
			{"scan: 10s", "scan: 0s", "at least 1ms"},
			{"placement: pack", "placement: tight", "expected one of spread, pack"},
			{"growth: {", "growth: [", "not readable"},
			{"span: 7d", "span: 1ms", "expected 1s to 400d"},
			{"span: 7d", "span: 3000d", "expected 1s to 400d"},
			{"warmup: 6h", "warmup: 36d", "expected at most 35d"},
			{"repeats: 8", "repeats: 0", "from 1 to 1000"},
			{"repeats: 8", "repeats: 5000", "from 1 to 1000"},
			{"seed: 41", "seed: -41", "0 or more"},
			{"  run:", "  caching: [{plan: tape}]\n  run:", "expected one of none, archive, volume, node-disk"},
			{"  run:", "  caching: [{}]\n  run:", "plan: missing"},
			{"  run:", "  caching: [{plan: archive, save: every}]\n  run:", "together with save: every"},
			{"  run:", "  caching: [{plan: archive, every: 3h}]\n  run:", "together with save: every"},
			{"  run:", "  caching: [{plan: volume, copies: 0}]\n  run:", "from 1 to 10000"},
			{"  run:", "  quota: {pods: -1}\n  run:", "from 0 to 100000"},
			{"placement: pack", "pools: {burst: {max: 3, calendar: [{when: \"Mon 01:00-02:00\", min: 4}]}}", "must not be above max 3"},
			{"shrinkAfter: 6m", "spareRoom: {compile-wid: 1}", `did you mean "compile-wide"?`},
			{"seed: 41", "seed: 0x1_0000_0000_0000_0000_0000", "whole number"},
			{"spec:\n", "spec: 5\nrest:\n", "expected an object"},
			{"spec:\n", "spec: &a\n  x: *a\n", "too deep or too large"},
			{"spec:\n", "spec:\n  <<: {run: {seed: 1}}\n", "merge key"},
			{"spec:\n", "spec:\n  ? [a]\n  : b\n", "keys must be plain words"},
			{"spec:\n", "\tspec:\n", "not readable"},
			{"apiVersion: tachyphor/v1", "apiVersion: \"tachyphor/v1", "not readable"},
		},
		"cluster.yaml": {
			{"name: quad-16, cpu: 4", "name: quad-16, cpu: four", "not an amount of CPU"},
			{"name: quad-16, cpu: 4", "name: quad-16, cpu: -4", "not an amount of CPU"},
			{"name: quad-16, cpu: 4", "name: quad-16, cpu: 0", "must leave something"},
			{"memory: 16Gi", "memory: 16Gb", "not an amount of bytes"},
			{"memory: 16Gi", "memory: 1Gi", "must leave something"},
			{"price: 0.19/h", "price: 0.19", "not a price"},
			{"price: 0.19/h", "price: -0.19/h", "not a price"},
			{"price: 0.19/h", "price: NaN/h", "not a price"},
			{"price: 0.19/h, ", "", "price: missing"},
			{"pods: 6}", "pods: 600}", "from 0 to 110"},
			{"pods: 6}", "pods: 6, gpus: 1}", "an unknown field"},
			{"name: octo-32", "name: quad-16", "names must differ"},
			{"nodeType: octo-64", "nodeType: octo-46", `did you mean "octo-64"?`},
			{"max: 12", "max: -1", "from 0 to 10000"},
			{"      max: 12\n", "", "max: missing"},
			{"max: 2\n", "max: 1\n", "from 0 to 1"},
			{"{median: 85s, p95: 110s}", "{median: 85s}", "half of a form"},
			{"{median: 85s, p95: 110s}", "{median: 85s, p95: 10s}", "expected 0 < median ≤ p95"},
			{"{median: 85s, p95: 110s}", "{median: 0s, p95: 10s}", "expected 0 < median ≤ p95"},
			{"{median: 85s, p95: 110s}", "{fixed: 85s, mean: 9s}", "more than one form"},
			{"{median: 85s, p95: 110s}", "{min: 9s, max: 5s}", "expected min ≤ max"},
			{"{median: 85s, p95: 110s}", "{mean: 9s, shape: 0}", "from 0.05 to 1000"},
			{"{median: 85s, p95: 110s}", "{shape: 2}", "half of a form"},
			{"{median: 85s, p95: 110s}", "[85s]", "expected an object"},
			{"size: 2.3GB", "size: big", "not an amount of bytes"},
			{"size: 2.3GB", "size: 2.3GB, link: miror", "no such link"},
			{"size: 2.3GB", "size: [1]", "expected a single value"},
			{"down: 120MB/s", "down: 120MB", "not a rate"},
			{"down: 120MB/s", "upp: 120MB/s", "an unknown field"},
			{"fee: 0.10/h", "fee: {a: 1}", "expected a single value"},
			{"currency: EUR", "currency: [EUR]", "expected text"},
			{"max: 12\n", "max: 12\n      taints: [{key: spot, effect: NoShedule}]\n", `did you mean "NoSchedule"?`},
			{"max: 12\n", "max: 12\n      taints: [{effect: NoSchedule}]\n", "key: missing"},
			{"labels: {tier: burst}", "labels: {tier: 5}", "write it in quotes"},
			{"price: 0.19/h", "price: 0.19/h, extended: {card: 1}", "has a domain"},
			{"price: 0.19/h", "price: 0.19/h, extended: {example.org/card: -1}", "from 0 to 1000000"},
			{"disk: 120Gi", "disk: 1Gi", "must leave something"},
			{"nodeTypes:", "nodeTyps:", `did you mean "nodeTypes"?`},
			{"spot: {perHour: 0.08", "spot: {perHour: 8000", "from 0 to 1000"},
			{"spot: {perHour: 0.08, notice: 2m}", "spot: {notice: 2m}", "perHour: missing"},
			{"price: 0.74/h, spotPrice: 0.247/h", "price: 0.74/h", "needs a spotPrice"},
			{"labels: {tier: burst}", "bootFails: 1.5", "from 0 to 1"},
			{"labels: {tier: burst}", "noCapacity: 0.5\n      retryAfter: 0s", "at least 1s"},
			{"labels: {tier: burst}", "pulls: 0", "from 1 to 100"},
			{"labels: {tier: burst}", "drains: [{when: weekends}]", "not a period"},
			{"size: 2.3GB", "size: 2.3GB, layers: [{name: a, size: 1GB}]", "either size or layers"},
			{", size: 2.3GB", "", "either size or layers"},
			{"size: 2.3GB,", "layers: [{name: a, size: 1GB}, {name: a, size: 2GB}],", "the same name is the same layer"},
			{"price: 0.02/GB-month", "price: 0.02/GB", "write it like 0.02/GB-month"},
			{"request: 0.005/1000", "request: 0.005", "write it like 0.005/1000"},
			{"store: {size: 200GB", "store: {saveFails: 2, size: 200GB", "from 0 to 1"},
			{"  fee: 0.10/h", "  daemonSets: [{name: logs, pools: [brst]}]", `did you mean "burst"?`},
			{"  fee: 0.10/h", "  claims: [{name: c, nodes: two}]", "expected one of one, many"},
			{"wipe: {median: 4s, p95: 11s}", "tools: [{name: jq}]", "install: missing"},
			{"wipe: {median: 4s, p95: 11s}", "tools: [{name: jq, install: 3s, fails: -1}]", "from 0 to 1"},
		},
		"workload.yaml": {
			{"start: 2026-09-14T00:00:00+02:00", "start: yesterday", "not a time"},
			{"start: 2026-09-14T00:00:00+02:00", "start: 2026-09-14", "not a time"},
			{"  start: 2026-09-14T00:00:00+02:00\n", "", "start: missing"},
			{"zone: Europe/Oslo", "zone: 7", "not a time zone"},
			{"wants: [linux, rust]", "wants: linux", "expected a list"},
			{"wants: [linux, rust]", "wants: [linux, 5]", "write it in quotes"},
			{"wants: [linux, rust], ", "", "wants: missing"},
			{"name: tide-charts", "name: hull-firmware", "names must differ"},
			{"cores: 7", "cores: -7", "from 0 to 10000"},
			{"cores: 7", "cores: .inf", "expected a number"},
			{"cores: 7", "cores: seven", "expected a number"},
			{"jobs: {file: week-38.csv, cache: warm}", "jobs: {file: \"\"}", "name of a CSV file"},
			{"jobs: {file: week-38.csv, cache: warm}", "jobs: {path: week-38.csv}", "an unknown field"},
			{"{min: 35m, max: 60m}", "{min: 35m, max: 60m, arrivals: []}", "an unknown field"},
			{"memory: 9Gi", "memory: 9Gi, arrivals: {hours: [{when: \"Mon 08:00-09:00\", perHour: -3}]}", "from 0 to 1000000"},
			{"memory: 9Gi", "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 8\", count: 3}]}", "not a moment"},
			{"memory: 9Gi", "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 08:00\", count: 0}]}", "from 1 to 1000000"},
			{"memory: 9Gi", "memory: 9Gi, arrivals: {bursts: [{when: \"Mon 08:00\"}]}", "count: missing"},
			{"memory: 9Gi", "memory: {median: 9Gi}", "half of a form"},
			{"memory: 9Gi", "memory: {mean: 9s}", "not an amount of bytes"},
			{"parallel: 0.85", "parallel: 1.85", "from 0 to 1"},
			{"changeRate: 0.04", "changeRate: 4", "from 0 to 1"},
			{"retries: 2", "retries: -2", "from 0 to 100"},
			{"retries: 2", "priority: 5000", "from -1000 to 1000"},
			{"retries: 2", "follows: {class: sonar-sute}", `did you mean "sonar-suite"?`},
			{"retries: 2", "follows: {class: sonar-suite}", "cannot follow itself"},
			{"retries: 2", "follows: {class: tide-charts, count: 0}", "from 1 to 1000"},
			{"jobs: {file: week-38.csv, cache: warm}", "jobs: {file: week-38.csv, columns: {sumbitted: queued}}", `did you mean "submitted"?`},
		},
		"templates/compile-wide.yaml": {
			{"containers:\n", "container:\n", `did you mean "containers"?`},
			{"image: images.brinewell.example/agents/wide:2026.9", "imagee: x", `did you mean "image"?`},
			{"        image: images.brinewell.example/agents/wide:2026.9\n", "", "a container needs an image"},
			{"cpu: 6500m", "cpu: much", "expected a quantity"},
			{"cpu: 6500m", "cpu: -1", "must not be negative"},
			{"terminationGracePeriodSeconds: 20", "terminationGracePeriodSeconds: 20s", "expected a whole number"},
			{"automountServiceAccountToken: false", "automountServiceAccountToken: maybe", "expected true or false"},
			{"name: log-tail", "name: agent", "names must differ"},
			{"apiVersion: v1", "apiVersion: v2", "for a PodTemplate it is v1"},
			{"labels: {app: slipway-agent, size: wide}", "labels: [app]", "expected an object"},
			{"labels: {app: slipway-agent, size: wide}", "labels: {app: 5}", "write it in quotes"},
			{"        env:\n", "        env: no\n        envFrom:\n", "expected a list"},
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
		`s.yaml:9:16: spec.templates[0].agents.flor: found an unknown field; the fields here are reuse, floor, ceiling, spare, prefer, linger, every, step, settle, needsOneAgent, oneAgentWithin, calendar; did you mean "floor"?`,
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
	const a = "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec: {cluster: c, workload: w, templates: [{template: t, agents: {every: 0s}}]}\n"
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
	stream := text(t, "cluster.yaml") + "---\n" + text(t, "workload.yaml") + "---\n# only a comment\n---\n" + text(t, "scenarios/on-demand.yaml")
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
	if c.Spec.Pools[1].Max != 20 || c.Spec.Links.Registry.PerFlow != 50e6 || c.Metadata.Labels["tier"] != "north" || c.Spec.Fee != 0 || len(c.Spec.Images) != 5 {
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
	for word, want := range map[string]string{"arm-corss": "arm-cross", "linx": "linux", "windows": "", "cx": "cxx", strings.Repeat("x", 1000): ""} {
		if got, _ := document.Nearest(word, words); got != want {
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
