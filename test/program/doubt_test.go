package program

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"tachyphor/core/document"
	"tachyphor/core/doubt"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// What an outcome hangs on is the same from the service, killed in the middle and started
// again, as from files; an outcome with changes is doubted with them.
func TestDoubtTheDemo(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	text, err := os.ReadFile(filepath.Join(shortDemo(t, "1d", "weekday-lean"), "scenarios", "weekday-lean.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "twice.yaml")
	twice := strings.NewReplacer("name: weekday-lean", "name: twice", "repeats: 8", "repeats: 2").Replace(string(text))
	if err := os.WriteFile(file, []byte(twice), 0o600); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "put", file); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	ctx := context.Background()
	asked, err := c.Doubt(ctx, "twice", 0)
	if err != nil || asked.Kind != wire.WorkDoubt || asked.About != "twice" {
		t.Fatalf("%v %+v", err, asked)
	}
	eventually(t, "the doubt to be under way", func() bool {
		w, err := c.Work(ctx, asked.ID)
		return err == nil && (w.State == wire.Done || w.State == wire.Running && w.Progress > 0)
	})
	p.Kill()
	_, c = running.Serve(t, state, nil)
	if end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {}); err != nil || end.State != wire.Done {
		t.Fatalf("%v %+v", err, end)
	}
	kept, err := c.Doubted(ctx, asked.ID)
	if err != nil || kept.Result == nil || len(kept.Result.Facts) < 5 {
		t.Fatalf("%v %+v", err, kept)
	}
	r := command(t, state, "doubt", file, "--with", demoFolder, "-o", "json", "--workers", "1")
	var here doubt.Doubts
	if err := json.Unmarshal([]byte(r.out), &here); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if a, b := encoded(t, here), encoded(t, kept.Result); string(a) != string(b) {
		t.Errorf("the service and the command line do not agree:\n%s\n%s", a, b)
	}

	more, err := c.Simulate(ctx, "twice", wire.Run{Changes: []document.Changes{{Kind: document.KindScenario, Name: "twice", Edits: []document.Edit{
		{Op: "add", Path: "/spec/templates/1/agents/floor", Value: 12},
	}}}})
	if err != nil {
		t.Fatal(err)
	}
	r = command(t, state, "doubt", "--outcome", strconv.FormatUint(more.ID, 10), "-o", "json", "-q")
	var changed doubt.Doubts
	if err := json.Unmarshal([]byte(r.out), &changed); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if changed.Cost <= here.Cost {
		t.Errorf("with more agents it costs %v, before %v", changed.Cost, here.Cost)
	}
	for args, says := range map[string]string{
		"": "one of them", "weekday-lean --outcome 1": "one of them", "nothing": "there is no scenario nothing", "--outcome 99": "outcome 99",
		"weekday-lean --with x": "are for files",
	} {
		if r := command(t, state, append([]string{"doubt"}, strings.Fields(args)...)...); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%q: %+v", args, r)
		}
	}
}
