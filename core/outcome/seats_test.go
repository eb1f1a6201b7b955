package outcome_test

import (
	"math"
	"strings"
	"testing"

	"tachyphor/core/outcome"
	"tachyphor/core/units"
	"tachyphor/test/worlds"
)

// Two templates under one licence of two seats, reckoned by hand: three jobs of an hour at once, of
// which the third waits until a seat is free. A seat of EUR 0.50 an hour is paid for whether it is used
// or not, and one more would have met the third.
func TestSeats(t *testing.T) {
	text := worlds.Replayed(worlds.OneNode, "    - {name: a, wants: [a], work: {fixed: 1h}}\n    - {name: b, wants: [b], work: {fixed: 1h}}\n", `  templates: [{template: a, agents: {every: 0s, linger: 0s}}, {template: b, agents: {every: 0s, linger: 0s}}]
  limits: [{name: suite, templates: [a, b], agents: 2, seat: 0.5/h}]
  run: {span: 10h, warmup: 0s, repeats: 1}
`, worlds.Template("a", "a", "1", "1Gi", "i")+worlds.Template("b", "b", "1", "1Gi", "i"))
	const jobs = "id,submitted,class,work\nfirst,2026-09-14T01:00:00Z,a,3600\nsecond,2026-09-14T01:00:00Z,b,3600\nthird,2026-09-14T01:00:10Z,b,3600\n"
	w, trace := replayed(t, text, jobs)
	third, ok := trace.Jobs.Find("third")
	if !ok {
		t.Fatal("no third job")
	}
	waited := trace.Records[third].Started - trace.Jobs.List[third].Submitted
	if waited < units.Hour-10*units.Second || waited > units.Hour {
		t.Errorf("the third waited %s", waited)
	}
	limits := outcome.Limits(trace)
	if len(limits) != 1 || limits[0].Name != "suite" || limits[0].Jobs != 1 || limits[0].Label != "the limit of 2 agents for suite together" ||
		math.Abs(limits[0].JobHours-1) > 0.01 {
		t.Errorf("%+v", limits)
	}
	o, _ := simulate(t, w, 1)
	i := -1
	for k, p := range o.Samples[0].Cost.Parts {
		if p.Part == "seats of suite" {
			i = k
		}
	}
	if i < 0 || o.Samples[0].Cost.Parts[i].Nano.Float() != 10e9 { // 2 seats, 10 h, 0.5
		t.Errorf("%+v", o.Samples[0].Cost.Parts)
	}
	if len(o.Limits) != 1 || o.Limits[0].More == nil || o.Limits[0].More.What != "seat of suite" || math.Abs(o.Limits[0].More.MetHours-1) > 0.01 ||
		o.Limits[0].More.CostNano.Float() < 4.9e9 || o.Limits[0].More.CostNano.Float() > 5.1e9 {
		t.Errorf("%+v", o.Limits)
	}
	for bad, want := range map[string]string{
		"templates: [a, c], agents: 2": "expected a template of the scenario", "templates: [a, a], agents: 2": "name each once",
		"templates: [], agents: 2": "name the templates", "templates: [a], agents: -1": "agents",
	} {
		if _, err := worlds.Parse(strings.Replace(text, "templates: [a, b], agents: 2", bad, 1), jobs); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", bad, err)
		}
	}
}
