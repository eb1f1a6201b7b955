package program

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/explore"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// small is a sweep of the demo that is soon over.
const small = `apiVersion: tachyphor/v1
kind: Sweep
metadata: {name: small}
spec:
  scenario: weekday-lean
  knobs:
    - {at: Scenario/spec/templates/compile-wide/agents/calendar/0/spare, values: [2, 6]}
    - {at: Scenario/spec/nodes/growth/shrinkAfter, values: [3m, 6m]}
  aims: [95 % of all jobs start within 60s, bill at most 4400 a month]
`

// A sweep tells what to have, on top in a sentence, and writes it as a scenario that can be
// simulated; faults say where they are.
func TestSweep(t *testing.T) {
	t.Parallel()
	dir, folder := t.TempDir(), shortDemo(t, "1d", "weekday-lean")
	file, better := filepath.Join(dir, "alone", "small.yaml"), filepath.Join(dir, "better.yaml")
	if err := os.Mkdir(filepath.Dir(file), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(small), 0o600); err != nil {
		t.Fatal(err)
	}
	sweep := func(args ...string) ran {
		return command(t, dir, append([]string{"sweep", file, "--here", "--with", folder, "-q"}, args...)...)
	}
	r := sweep("--write", better)
	out := strings.Join(strings.Fields(r.out), " ")
	for _, want := range []string{
		"Have compile-wide spare 6", "a year; it keeps both aims, sure at 95 %, tried on", "today)", "The changes, those that bring most first",
		"The frontier", "One step further", "What matters", "bill at most 4400 a month",
	} {
		if r.status != 0 || !strings.Contains(out, want) {
			t.Errorf("no %q in %+v", want, r)
		}
	}
	text, err := os.ReadFile(better)
	if err != nil {
		t.Fatal(err)
	}
	docs, faults := document.Parse("better", text)
	if len(faults) > 0 || docs[0].Name != "weekday-lean-better" || *docs[0].Value.(*document.Scenario).Spec.Templates[0].Agents.Calendar[0].Spare != 6 ||
		!strings.Contains(string(text), "# A few agents kept ready") {
		t.Errorf("%v %s", faults, text)
	}
	var a explore.Answer
	if r := sweep("-o", "json", "--workers", "1"); r.status != 0 || json.Unmarshal([]byte(r.out), &a) != nil || a.Best < 0 ||
		!strings.HasPrefix(strings.Join(strings.Fields(r.out), " "), "{") || !strings.Contains(out, a.Sentence[:60]) {
		t.Errorf("%+v", r)
	}
	if r := sweep("-o", "csv"); r.status != 0 || !strings.Contains(r.out, "billPerMonth") || !strings.Contains(r.out, "compile-wide spare 6") {
		t.Errorf("%+v", r)
	}
	if r := sweep("--aim", "bill at most 5"); r.status != 0 || !strings.Contains(strings.Join(strings.Fields(r.out), " "), "None of the 4 variants keeps all aims") {
		t.Errorf("%+v", r)
	}
	for args, want := range map[string]string{
		"--least money": "expected bill, delay, lead, worth", "--budget -1": "expected a number of runs", "--store x": "needs the service",
		"--on -": "leave --here out", "--pods 3": "--pods goes with --on",
	} {
		if r := sweep(strings.Fields(args)...); r.status == 0 || !strings.Contains(r.err, want) {
			t.Errorf("%q: %+v", args, r)
		}
	}
	if r := sweep("--aim", "95 % of all jobs strat within 60s"); r.status != 2 || !strings.Contains(r.err, "\n                 ^ expected") {
		t.Errorf("%+v", r)
	}
	if r := sweep("--aim", "bill at most 5", "--write", better); r.status == 0 || !strings.Contains(r.err, "nothing was written") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "sweep", file); r.status == 0 || !strings.Contains(r.err, "add --here") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "sweep", file, "--here"); r.status == 0 || !strings.Contains(r.err, "no Scenario of that name") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "sweep", filepath.Join(demoFolder, "cluster.yaml"), "--here"); r.status == 0 || !strings.Contains(r.err, "there is no Sweep in it") {
		t.Errorf("%+v", r)
	}
}

// Without a document the knobs are those of the scenario itself.
func TestImprove(t *testing.T) {
	t.Parallel()
	r := command(t, t.TempDir(), "improve", filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"), "--here", "--aim", "95 % of all jobs start within 2m",
		"--budget", "60", "-q", "-o", "json")
	var a explore.Answer
	if err := json.Unmarshal([]byte(r.out), &a); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if !a.Searched || len(a.Variants) < 10 || a.Runs < 60 || len(a.Matters) < 8 {
		t.Errorf("searched %v, %d variants, %d runs, %d knobs; %s", a.Searched, len(a.Variants), a.Runs, len(a.Matters), a.Sentence)
	}
}

// The service explores what is stored. Killed in the middle it goes on, without running anything
// again, to the bytes that the command line has from files; asked again it reads them. What is
// recommended becomes a scenario of its own, which is stored, simulated and compared.
func TestExploreTheDemo(t *testing.T) {
	t.Parallel()
	state, folder := t.TempDir(), shortDemo(t, "1d", "weekday-lean")
	p, c := running.Serve(t, state, nil)
	putFolder(t, state, folder)
	ctx := context.Background()
	file := filepath.Join(t.TempDir(), "small.yaml")
	// A template is varied too, which others use.
	text := strings.Replace(small, "  aims:", "    - {name: cpu, at: PodTemplate/compile-wide/template/spec/containers/0/resources/requests/cpu, values: [4150m]}\n  aims:", 1)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "put", file); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	asked, err := c.Explore(ctx, wire.Explore{Sweep: "small"})
	if err != nil || asked.Kind != wire.WorkExploration || asked.About != "weekday-lean" || len(asked.Exploration.Aims) != 2 {
		t.Fatalf("%v %+v", err, asked)
	}
	eventually(t, "the exploration to stand somewhere", func() bool {
		w, err := c.Work(ctx, asked.ID)
		return err == nil && (w.State == wire.Done || w.Exploration.Standing != nil && w.Exploration.Standing.Runs > 0)
	})
	p.Kill()
	_, c = running.Serve(t, state, nil)
	if end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {}); err != nil || end.State != wire.Done || end.Exploration.Sentence == "" {
		t.Fatalf("%v %+v", err, end)
	}
	kept, err := c.Exploration(ctx, asked.ID)
	if err != nil || kept.Result == nil || kept.Result.Best < 0 {
		t.Fatalf("%v %+v", err, kept)
	}
	r := command(t, state, "sweep", file, "--here", "--with", folder, "-o", "json", "-q", "--workers", "1")
	var here explore.Answer
	if err := json.Unmarshal([]byte(r.out), &here); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if a, b := encoded(t, here), encoded(t, kept.Result); string(a) != string(b) {
		t.Errorf("the service and the command line do not agree:\n%s\n%s", a, b)
	}

	better := filepath.Join(t.TempDir(), "better.yaml")
	r = command(t, state, "sweep", "small", "-q", "--write", better, "--store", "leaner")
	if r.status != 0 || !strings.Contains(r.err, "Scenario leaner is stored") || !strings.Contains(r.err, "PodTemplate compile-wide-leaner is stored") ||
		!strings.Contains(r.out, "Have ") {
		t.Fatalf("%+v", r)
	}
	if text, err := os.ReadFile(better); err != nil || !strings.Contains(string(text), "template: compile-wide-weekday-lean-better") {
		t.Errorf("%v %s", err, text)
	}
	if r := command(t, state, "sweep", "small", "-q", "--store", "leaner"); r.status == 0 || !strings.Contains(r.err, "choose another name") {
		t.Errorf("%+v", r)
	}
	v, err := c.Variant(ctx, asked.ID, kept.Result.Best)
	if err != nil || len(v.Changes) == 0 || !strings.Contains(v.Diff, "+++ changed") || !strings.Contains(v.Diff, "4150m") {
		t.Errorf("%v %+v", err, v)
	}
	one, err := c.SimulateVariant(ctx, asked.ID, kept.Result.Best)
	if err != nil {
		t.Fatal(err)
	}
	two, err := c.Simulate(ctx, "leaner", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	var costs []float64
	for _, id := range []uint64{one.ID, two.ID} {
		if end, err := c.Watch(ctx, id, func(wire.WorkBrief) {}); err != nil || end.State != wire.Done {
			t.Fatalf("%v %+v", err, end)
		}
		o, err := c.Outcome(ctx, id, false)
		if err != nil {
			t.Fatal(err)
		}
		costs = append(costs, o.Result.Cost.PerMonth.Mean)
	}
	// The first repeats of the outcome are those of the race, with the same draws. A template of
	// another name has other ones.
	if math.Abs(costs[0]/costs[1]-1) > 0.02 || math.Abs(costs[0]/kept.Result.Variants[kept.Result.Best].Bill.Mean-1) > 0.02 {
		t.Errorf("the variant costs %v a month, as a scenario of its own %v; in the race %v", costs[0], costs[1],
			kept.Result.Variants[kept.Result.Best].Bill.Mean)
	}

	number := strconv.FormatUint(asked.ID, 10)
	// The same page from the service and from files.
	page := filepath.Join(t.TempDir(), "answer.html")
	if r := command(t, state, "brief", "small", "--write", page); r.status != 0 || !strings.Contains(r.err, "Written into") {
		t.Errorf("%+v", r)
	}
	html, err := os.ReadFile(page)
	if err != nil || !strings.Contains(string(html), "<svg") || strings.Contains(string(html), "<script") || strings.Contains(string(html), "http://127") ||
		!strings.Contains(string(html), "PodTemplate compile-wide, revision 1") {
		t.Errorf("%v %s", err, html)
	}
	told := func(r ran) string {
		text, _, _ := strings.Cut(r.out, "\nMade ")
		return text
	}
	there, files := command(t, state, "brief", number), command(t, state, "brief", file, "--here", "--with", folder, "-q")
	if there.status != 0 || files.status != 0 || told(there) != told(files) || !strings.Contains(there.out, "```diff") || !strings.Contains(there.out, kept.Result.Sentence[:40]) {
		t.Errorf("%+v %+v", there, files)
	}
	both := command(t, state, "brief", strconv.FormatUint(one.ID, 10), strconv.FormatUint(two.ID, 10))
	if both.status != 0 || !strings.Contains(both.out, "beside leaner") || !strings.Contains(both.out, "never measured") {
		t.Errorf("%+v", both)
	}
	for args, says := range map[string]string{
		"get explorations": "weekday-lean", "get exploration " + number: "The frontier", "sweep small --aim bill_at_most_1 -q": "None of the",
	} {
		if r := command(t, state, parted(args)...); r.status != 0 || !strings.Contains(strings.Join(strings.Fields(r.out), " "), says) {
			t.Errorf("%q: %+v", args, r)
		}
	}
	for args, says := range map[string]string{
		"sweep nothing": "there is no sweep nothing", "improve nothing": "there is no scenario nothing", "get exploration 999": "exploration 999",
		"get exploration x": "not the number of an exploration",
		"brief nothing":     "there is neither a scenario nor an explored sweep", "brief 9999": "work 9999", "brief small --write a.pdf": "ends in .html or .md",
		"brief " + number + " " + number: "for outcomes alone", "brief a.yaml": "add --here", "sweep small --aim no_job_of_x_fails": "there is no class x",
	} {
		if r := command(t, state, parted(args)...); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%q: %+v", args, r)
		}
	}
	if _, err := c.Variant(ctx, asked.ID, 4000); err == nil || !strings.Contains(err.Error(), "there is no variant 4000") {
		t.Error(err)
	}
	if _, err := c.Explore(ctx, wire.Explore{Sweep: "small", Scenario: "weekday-lean"}); err == nil || !strings.Contains(err.Error(), "one of the two") {
		t.Error(err)
	}
	if _, err := c.Explore(ctx, wire.Explore{Scenario: "weekday-lean", Aims: []string{"95 % of all jobs strat"}}); err == nil ||
		!strings.Contains(err.Error(), "expected") {
		t.Error(err)
	}
	if r := command(t, state, "drop", "exploration", number); r.status != 0 || !strings.Contains(r.err, "exploration "+number+" dropped") {
		t.Errorf("%+v", r)
	}
}

// How far a design bears what grows is told by the service and from files alike; known runs are
// not run again.
func TestMargin(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	ctx := context.Background()
	text, err := os.ReadFile(filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "short.yaml")
	aims := []string{"80 % of all jobs start within 3m", "bill at most 9000 a month"}
	const its = "\n  aims: [95 % of all jobs start within 2m, bill at most 3500 a month]"
	for _, x := range []struct{ name, aims string }{{"aimless", ""}, {"short", "\n  aims: [" + strings.Join(aims, ", ") + "]"}} { // the last stays in the file
		short := strings.NewReplacer("name: weekday-lean", "name: "+x.name, "span: 7d", "span: 12h", "warmup: 6h", "warmup: 2h", its, x.aims).Replace(string(text))
		if err := os.WriteFile(file, []byte(short), 0o600); err != nil {
			t.Fatal(err)
		}
		if r := command(t, state, "put", file); r.status != 0 {
			t.Fatalf("%+v", r)
		}
	}
	asked, err := c.Margin(ctx, "short", nil) // for its own aims
	if err != nil || asked.Kind != wire.WorkMargin || !slices.Equal(asked.Margin.Aims, aims) {
		t.Fatalf("%v %+v", err, asked)
	}
	if end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {}); err != nil || end.State != wire.Done || end.Margin.Sentence == "" {
		t.Fatalf("%v %+v", err, end)
	}
	kept, err := c.Margins(ctx, asked.ID)
	if err != nil || kept.Result == nil || len(kept.Result.Margins) != 5 {
		t.Fatalf("%v %+v", err, kept)
	}
	r := command(t, state, "margin", file, "--here", "--with", demoFolder, "--aim", aims[0], "--aim", aims[1], "-q", "-o", "json")
	var here explore.Margins
	if err := json.Unmarshal([]byte(r.out), &here); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if a, b := encoded(t, here), encoded(t, kept.Result); string(a) != string(b) {
		t.Errorf("the service and the command line do not agree:\n%s\n%s", a, b)
	}
	for _, args := range [][]string{
		{"margin", "short", "--aim", aims[0], "--aim", aims[1], "-q"}, {"get", "margin", strconv.FormatUint(asked.ID, 10)},
	} {
		if r := command(t, state, args...); r.status != 0 || !strings.Contains(r.out, "kept up to") || !strings.Contains(r.out, "breaks first") {
			t.Errorf("%q: %+v", args, r)
		}
	}
	for _, x := range []struct{ args, says string }{
		{"margin aimless", "say what must be kept"},
		{"margin nothing --aim x", "expected"},
		{"margin a.yaml --aim nobody_waits_over_5m", "add --here"},
		{"margin nothing --aim nobody_waits_over_5m", "there is no scenario nothing"},
	} {
		if r := command(t, state, parted(x.args)...); r.status == 0 || !strings.Contains(r.err, x.says) {
			t.Errorf("%q: %+v", x.args, r)
		}
	}
}

// parted parts a command's words, in which _ stands for a space.
func parted(args string) []string {
	words := strings.Fields(args)
	for i := range words {
		words[i] = strings.ReplaceAll(words[i], "_", " ")
	}
	return words
}

// A sweep across workloads keeps its aims on each: the service and the command line agree, each
// brings the recorded jobs of each, and what is missing is told.
func TestSweepAcross(t *testing.T) {
	t.Parallel()
	dir, state, folder := t.TempDir(), t.TempDir(), shortDemo(t, "1d", "weekday-lean")
	for _, name := range []string{"workload.yaml", "week-38.csv"} {
		b, err := os.ReadFile(filepath.Join(folder, name))
		if err != nil {
			t.Fatal(err)
		}
		text := strings.Replace(strings.Replace(string(b), "name: week-38}", "name: busier}", 1), "jobs: {file: week-38.csv", "jobs: {times: 1.2, file: week-38.csv", 1)
		if name == "workload.yaml" && (!strings.Contains(text, "name: busier}") || !strings.Contains(text, "times: 1.2")) {
			t.Fatal(text)
		}
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	file := filepath.Join(dir, "both.yaml")
	text := strings.Replace(strings.Replace(small, "name: small", "name: both", 1), "  aims:", "  across: [week-38, busier]\n  aims:", 1)
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	running.Serve(t, state, nil)
	putFolder(t, state, folder)
	if r := command(t, state, "put", file); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, "sweep", "both", "-q"); r.status == 0 || !strings.Contains(r.err, "there is no workload busier") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "put", filepath.Join(dir, "workload.yaml")); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	there := command(t, state, "sweep", "both", "-q", "-o", "json")
	here := command(t, state, "sweep", file, "--here", "--with", folder, "-q", "-o", "json")
	if here.status != 0 || there.status != 0 || here.out != there.out {
		t.Errorf("%d bytes and %d: %s %s", len(here.out), len(there.out), here.err, there.err)
	}
	if r := command(t, state, "sweep", "both", "-q"); r.status != 0 || !strings.Contains(r.out, "with busier") ||
		!strings.Contains(strings.Join(strings.Fields(r.out), " "), "of the workloads week-38 and busier together") {
		t.Errorf("%+v", r)
	}
	// On other workloads than it names.
	flags := []string{"--across", "busier,week-38", "--aim", "mean start delay at most 10m", "-q", "-o", "json"}
	there = command(t, state, append([]string{"sweep", "both"}, flags...)...)
	here = command(t, state, append([]string{"sweep", file, "--here", "--with", folder}, flags...)...)
	if here.status != 0 || there.status != 0 || here.out != there.out || !strings.Contains(here.out, "of the workloads busier and week-38 together") {
		t.Errorf("%d bytes and %d: %s %s", len(here.out), len(there.out), here.err, there.err)
	}
	for says, names := range map[string]string{"there is no workload nope": "nope", "week-38 is named twice": "week-38,week-38"} {
		if r := command(t, state, "improve", "weekday-lean", "--across", names, "-q"); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%+v", r)
		}
	}
	if err := os.Remove(filepath.Join(dir, "workload.yaml")); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "sweep", file, "--here", "--with", folder, "-q"); r.status == 0 || !strings.Contains(r.err, "no Workload of that name") ||
		!strings.Contains(r.err, "spec.across[1]") {
		t.Errorf("%+v", r)
	}
}
