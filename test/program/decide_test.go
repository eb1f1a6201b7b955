package program

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// The jobs of an outcome are listed by what they are and in any order, and summed up, the same way by page, part and file.
func TestSomeJobsOfAnOutcome(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	loadDemo(t, s)
	ctx := context.Background()
	o, err := c.Simulate(ctx, "weekday-lean", wire.Run{})
	if err == nil {
		_, err = c.Watch(ctx, o.ID, func(wire.WorkBrief) {})
	}
	if err != nil {
		t.Fatal(err)
	}
	day := outcome.Filter{From: time.Date(2026, 9, 15, 0, 0, 0, 0, time.UTC), To: time.Date(2026, 9, 16, 0, 0, 0, 0, time.UTC), Class: "tide-charts"}
	part, err := c.Part(ctx, o.ID, day)
	if err != nil || part.Jobs == 0 || len(part.Classes) != 1 {
		t.Fatalf("%+v, %v", part, err)
	}
	seen := map[string]bool{}
	last := int64(1 << 62)
	for from := 0; ; {
		page, err := c.SomeJobs(ctx, o.ID, day, "delay", true, from, 40)
		if err != nil || page.Jobs != part.Jobs {
			t.Fatalf("%d of %d jobs, %v", page.Jobs, part.Jobs, err)
		}
		for _, r := range page.Items {
			if r.Class != "tide-charts" || r.Submitted.Before(day.From) || !r.Submitted.Before(day.To) || r.DelayNs > last || seen[r.ID] {
				t.Fatalf("%+v after a delay of %d", r, last)
			}
			seen[r.ID], last = true, r.DelayNs
		}
		if from = page.Next; from == 0 {
			break
		}
	}
	if len(seen) != part.Jobs {
		t.Errorf("%d jobs on pages, %d in the part", len(seen), part.Jobs)
	}
	r, body := exchange{"GET", "/api/v1/outcomes/1/export?form=jsonl&class=tide-charts&from=2026-09-15T00:00:00Z&to=2026-09-16T00:00:00Z", "", nil}.do(t, c)
	if r.StatusCode != 200 || strings.Count(body, "\n") != part.Jobs {
		t.Errorf("%d, %d lines, want %d", r.StatusCode, strings.Count(body, "\n"), part.Jobs)
	}
	for path, status := range map[string]int{
		"/api/v1/outcomes/1/jobs?by=colour": 422, "/api/v1/outcomes/1/part?from=yesterday": 422, "/api/v1/outcomes/9/part": 404,
		"/api/v1/outcomes/1/jobs?cursor=99999999&by=delay": 200, "/api/v1/outcomes/1/part?class=nobody": 200,
		"/api/v1/outcomes/1/part?from=2030-01-01T00:00:00Z": 200, "/api/v1/outcomes/1/part?from=2026-09-17T00:00:00Z&to=2026-09-16T00:00:00Z": 200,
	} {
		if r, body := (exchange{"GET", path, "", nil}).do(t, c); r.StatusCode != status {
			t.Errorf("%s: %d %.200s", path, r.StatusCode, body)
		}
	}
}

// The way to a decision is told from nothing, of a scenario that lacks what it names, and of one that was simulated.
func TestPath(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	ctx := context.Background()
	path := func(scenario string) (p wire.Path) {
		t.Helper()
		r, body := exchange{"GET", "/api/v1/path?scenario=" + scenario, "", nil}.do(t, c)
		if err := json.Unmarshal([]byte(body), &p); err != nil || r.StatusCode != 200 || len(p.Steps) != 10 {
			t.Fatalf("%d %s", r.StatusCode, body)
		}
		return p
	}
	step := func(p wire.Path, name string) wire.Stage {
		for _, x := range p.Steps {
			if x.Step == name {
				return x
			}
		}
		t.Fatalf("no step %s", name)
		return wire.Stage{}
	}
	if p := path(""); p.Next != "connect" || p.Scenario != "" || step(p, "scale").State != wire.StageMissing {
		t.Errorf("of nothing: %+v", p)
	}
	alone := scenarioText("alone", 1)
	if _, err := c.Put(ctx, "", []byte(alone), false); err != nil {
		t.Fatal(err)
	}
	if p := path(""); p.Scenario != "alone" || !strings.Contains(step(p, "match").Missing, "There is no workload w") || !strings.Contains(p.Sure, "no cluster c") {
		t.Errorf("of one that names what is not there: %+v", p)
	}
	if r, _ := (exchange{"GET", "/api/v1/path?scenario=nobody", "", nil}).do(t, c); r.StatusCode != 404 {
		t.Errorf("of none: %d", r.StatusCode)
	}
	loadDemo(t, s)
	o, err := c.Simulate(ctx, "fixed-six", wire.Run{})
	if err == nil {
		_, err = c.Watch(ctx, o.ID, func(wire.WorkBrief) {})
	}
	if err != nil {
		t.Fatal(err)
	}
	p := path("")
	if scale := step(p, "scale"); scale.State != wire.StageBegun || !strings.HasPrefix(scale.Missing, "It misses 1 of its 2 aims") || scale.Page != "/frontier/fixed-six" {
		t.Errorf("of one that misses an aim: %+v", scale)
	}
	if p.Scenario != "fixed-six" || step(p, "match").State != wire.StageBegun ||
		!strings.Contains(step(p, "match").Missing, "hull-bootloader") || step(p, "cache").Page != "/caching/fixed-six" {
		t.Errorf("simulated: %+v", p)
	}
	d, err := c.WriteScenario(ctx, "fixed-six", "", nil)
	if err == nil {
		_, err = c.Put(ctx, "", []byte(strings.Replace(d.Text, "ceiling: 6", "ceiling: 7", 1)), false)
	}
	if err != nil {
		t.Fatal(err)
	}
	if x := step(path("fixed-six"), "scale"); x.State != wire.StageBegun || !strings.Contains(x.Missing, "has changed since") {
		t.Errorf("changed since: %+v", x)
	}
}

// A beginning is put together, told what is wrong of it, and stored whole or not at all.
func TestBeginOverHTTP(t *testing.T) {
	t.Parallel()
	_, c := running.Start(t)
	ask := func(body map[string]any) (int, string) {
		t.Helper()
		b, err := json.Marshal(body)
		if err != nil {
			t.Fatal(err)
		}
		r, answer := exchange{"POST", "/api/v1/begin", string(b), jsonHeader}.do(t, c)
		return r.StatusCode, answer
	}
	workload := "apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: berth}\nspec:\n  start: 2026-09-14T00:00:00Z\n  zone: UTC\n" +
		"  classes: [{name: a, wants: [linux], work: 60s, arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 4}]}}]\n"
	pod := "apiVersion: v1\nkind: Pod\nmetadata: {name: one}\nspec: {containers: [{name: agent, image: 'images.brinewell.example/a:1', " +
		"resources: {requests: {cpu: 1, memory: 1Gi}}}]}\n"
	if status, body := ask(map[string]any{"workload": "berth", "text": workload, "manifests": pod}); status != 200 || !strings.Contains(body, `"faults":[]`) ||
		!strings.Contains(body, `"stored":[]`) {
		t.Fatalf("%d %s", status, body)
	}
	for name, body := range map[string]map[string]any{
		"no workload":       {"workload": "berth", "manifests": pod},
		"no template":       {"workload": "berth", "text": workload, "manifests": "kind: ConfigMap\napiVersion: v1\nmetadata: {name: x}\n"},
		"no YAML":           {"workload": "berth", "text": workload, "manifests": "{[: "},
		"no node":           {"workload": "berth", "text": workload, "manifests": pod, "node": "many"},
		"no cluster":        {"workload": "berth", "text": workload, "manifests": pod, "cluster": "nowhere"},
		"another kind":      {"workload": "berth", "text": pod, "manifests": pod},
		"a name with a gap": {"workload": "our berth", "text": workload, "manifests": pod, "store": true},
		"too large":         {"workload": "berth", "text": workload, "manifests": pod, "node": "500m,1Gi,0.1"},
	} {
		if status, answer := ask(body); status < 400 || status >= 500 {
			t.Errorf("%s: %d %.300s", name, status, answer)
		}
	}
	if list, err := c.List(context.Background(), ""); err != nil || len(list) > 0 {
		t.Errorf("stored: %v, %v", list, err)
	}
	if _, err := c.Put(context.Background(), "", []byte(workload), false); err != nil {
		t.Fatal(err)
	}
	status, body := ask(map[string]any{"workload": "berth", "manifests": pod, "store": true, "node": "4,16Gi,0.2", "currency": "NOK"})
	var begun wire.Begun
	if err := json.NewDecoder(bytes.NewReader([]byte(body))).Decode(&begun); err != nil || status != 200 || len(begun.Stored) != 3 {
		t.Fatalf("%d %v %s", status, err, body)
	}
	o, err := c.Simulate(context.Background(), begun.Scenario, wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if end, err := c.Watch(context.Background(), o.ID, func(wire.WorkBrief) {}); err != nil || end.Simulation.Summary.Currency != "NOK" {
		t.Errorf("%+v, %v", end, err)
	}
}
