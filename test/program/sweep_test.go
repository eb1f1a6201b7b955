package program

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/explore"
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
  aims: [95 % of all jobs start within 60s, bill at most 3500 a month]
`

// A sweep tells what to have, on top in a sentence, and writes it as a scenario that can be
// simulated; faults say where they are.
func TestSweep(t *testing.T) {
	dir := t.TempDir()
	file, better := filepath.Join(dir, "small.yaml"), filepath.Join(dir, "better.yaml")
	if err := os.WriteFile(file, []byte(small), 0o600); err != nil {
		t.Fatal(err)
	}
	sweep := func(args ...string) ran {
		return command(t, dir, append([]string{"sweep", file, "--with", demoFolder, "-q"}, args...)...)
	}
	r := sweep("--write", better)
	out := strings.Join(strings.Fields(r.out), " ")
	for _, want := range []string{
		"Have compile-wide spare 6", "a year; it keeps both aims, sure at 95 %, tried on", "today)", "The changes, those that bring most first",
		"The frontier", "One step further", "What matters", "bill at most 3500 a month",
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
		"--least money": "expected bill, delay, lead, worth", "--budget -1": "expected a number of runs",
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
	if r := command(t, dir, "sweep", file); r.status == 0 || !strings.Contains(r.err, "no Scenario of that name") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "sweep", filepath.Join(demoFolder, "cluster.yaml")); r.status == 0 || !strings.Contains(r.err, "there is no Sweep in it") {
		t.Errorf("%+v", r)
	}
}

// Without a document the knobs are those of the scenario itself.
func TestImprove(t *testing.T) {
	r := command(t, t.TempDir(), "improve", filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"), "--aim", "95 % of all jobs start within 2m",
		"--budget", "120", "-q", "-o", "json")
	var a explore.Answer
	if err := json.Unmarshal([]byte(r.out), &a); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if !a.Searched || len(a.Variants) < 10 || a.Runs < 60 || len(a.Matters) < 8 {
		t.Errorf("searched %v, %d variants, %d runs, %d knobs; %s", a.Searched, len(a.Variants), a.Runs, len(a.Matters), a.Sentence)
	}
}
