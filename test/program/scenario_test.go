package program

import (
	"context"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// A text of a scenario is changed, checked, told in words and run once, and nothing of it is stored.
func TestTextsOfScenarios(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	loadDemo(t, s)
	ctx := context.Background()
	const name = "weekday-lean"
	before, err := c.Get(ctx, document.KindScenario, name, 0)
	if err != nil {
		t.Fatal(err)
	}
	now, err := c.WriteScenario(ctx, name, "", []document.Edit{
		{Op: "add", Path: "/spec/templates/1/agents/spare", Value: 5},
		{Op: "remove", Path: "/spec/agentCeiling"},
		{Op: "remove", Path: "/spec/quota/pods"}, // which is not there
	})
	if err != nil {
		t.Fatal(err)
	}
	if strings.Join(now.Sentences, "; ") != "small-steady: spare is 5, was 1; agentCeiling is not set any more, was 50" || len(now.Faults) > 0 ||
		now.Spec == nil || now.Spec.Templates[1].Agents.Spare != 5 || len(now.Pools) != 3 || len(now.Classes) == 0 || now.Currency != "EUR" ||
		!strings.Contains(now.Text, "# A few agents kept ready") {
		t.Errorf("%+v", now)
	}
	seen, err := c.Glance(ctx, name, now.Text)
	if err != nil || seen.Was == nil || seen.Now.CostPerMonth <= seen.Was.CostPerMonth || seen.Now.Jobs != seen.Was.Jobs {
		t.Errorf("a glance: %+v, %v", seen, err)
	}
	if again, err := c.Glance(ctx, name, now.Text); err != nil || again.Now.MeanDelayNs != seen.Now.MeanDelayNs {
		t.Errorf("another glance: %+v, %v", again, err)
	}
	if fresh, err := c.Glance(ctx, "nobody-knows", strings.Replace(now.Text, "name: weekday-lean", "name: nobody-knows", 1)); err != nil || fresh.Was != nil {
		t.Errorf("of one that is not stored: %+v, %v", fresh, err)
	}
	if after, err := c.Get(ctx, document.KindScenario, name, 0); err != nil || after.Revision != before.Revision || after.Text != before.Text {
		t.Errorf("it was stored: revision %d, %v", after.Revision, err)
	}
	// The outcome is of the state that was; what changed since is told with the other documents'.
	o, err := c.Simulate(ctx, name, wire.Run{})
	if err == nil {
		_, err = c.Watch(ctx, o.ID, func(wire.WorkBrief) {})
	}
	if err != nil {
		t.Fatal(err)
	}
	cluster, err := c.Get(ctx, document.KindCluster, "brinewell-north", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Put(ctx, "", []byte(cluster.Text+"# looked at again\n"), false); err != nil {
		t.Fatal(err)
	}
	now, err = c.WriteScenario(ctx, name, now.Text, nil)
	if err != nil || now.Since == nil || now.Since.Outcome != o.ID || len(now.Since.Sentences) < 2 {
		t.Errorf("since the outcome: %+v, %v", now.Since, err)
	}

	// Wrong in every way: told at its place, with what can be shown shown.
	for _, bad := range []struct {
		text    string
		faults  string
		written bool
	}{
		{strings.Replace(now.Text, "settle: 3m", "settle: soon", 1), "spec.templates[0].agents.settle", true},
		{strings.Replace(now.Text, "cluster: brinewell-north", "cluster: nowhere", 1), "spec.cluster", true},
		{strings.Replace(now.Text, "name: weekday-lean", "name: another", 1), "metadata.name", true},
		{now.Text + "---\n" + now.Text, "", true},
		{strings.Replace(now.Text, "kind: Scenario", "kind: Workload", 1), "", true},
		{"{[: ", "", false},
		{"- 1\n- 2\n", "", true},
		{"a: &a [*a, *a]", "", false},
		{strings.Repeat("{", 10_000), "", false},
		{"\x00", "", false},
	} {
		told, err := c.WriteScenario(ctx, name, bad.text, nil)
		if err != nil || len(told.Faults) == 0 || (told.Written != nil) != bad.written || bad.faults != "" && told.Faults[0].Path != bad.faults {
			t.Errorf("%.40q: %+v, written %v, %v", bad.text, told.Faults, told.Written != nil, err)
		}
		if bad.faults == "metadata.name" { // which can be run
			continue
		}
		if _, err := c.Glance(ctx, name, bad.text); err == nil {
			t.Errorf("%.40q was run", bad.text)
		}
	}
	for _, x := range []exchange{
		{"POST", "/api/v1/scenarios/nobody/text", "{}", jsonHeader},
		{"POST", "/api/v1/scenarios/weekday-lean/text", `{"edits": [{"op": "move", "from": "/spec/cluster", "path": "/spec/workload"}]}`, jsonHeader},
		{"POST", "/api/v1/scenarios/weekday-lean/text", `{"edits": [{"op": "add", "path": "spec"}]}`, jsonHeader},
		{"POST", "/api/v1/scenarios/weekday-lean/glance", `{"text": ""}`, jsonHeader},
		{"POST", "/api/v1/scenarios/weekday-lean/glance", `{"text": "` + strings.Repeat("x", document.MaxBytes) + `"}`, jsonHeader},
	} {
		r, body := x.do(t, c)
		if r.StatusCode < 400 || r.StatusCode >= 500 || r.Header.Get("Content-Type") != "application/problem+json" {
			t.Errorf("%s %.60s: %d %.200s", x.path, x.body, r.StatusCode, body)
		}
	}
}

var jsonHeader = map[string]string{"Content-Type": "application/json"}
