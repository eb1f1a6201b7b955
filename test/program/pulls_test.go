package program

import (
	"context"
	"encoding/json"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/core/pulls"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// What images cost is the same from the service, killed in the middle, as from files.
func TestPullsOfTheDemo(t *testing.T) {
	t.Parallel()
	state, folder := t.TempDir(), shortDemo(t, "2d", "weekday-lean")
	p, c := running.Serve(t, state, nil)
	putFolder(t, state, folder)
	ctx := context.Background()
	lighter := []pulls.Lighter{{Name: "compile-wide", Size: 900e6}}
	asked, err := c.Pulls(ctx, "weekday-lean", 0, lighter)
	if err != nil || asked.Kind != wire.WorkPulls || asked.About != "weekday-lean" {
		t.Fatalf("%v %+v", err, asked)
	}
	p.Kill()
	_, c = running.Serve(t, state, nil)
	if end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {}); err != nil || end.State != wire.Done {
		t.Fatalf("%v %+v", err, end)
	}
	kept, err := c.Pulled(ctx, asked.ID)
	if err != nil || kept.Result == nil || len(kept.Result.Images) != 4 || len(kept.Result.Ways) != 3 {
		t.Fatalf("%v %+v", err, kept)
	}
	r := command(t, state, "pulls", filepath.Join(folder, "scenarios", "weekday-lean.yaml"), "--image", "compile-wide=900MB", "-o", "json", "-q")
	var here pulls.Costs
	if err := json.Unmarshal([]byte(r.out), &here); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if a, b := encoded(t, here), encoded(t, kept.Result); string(a) != string(b) {
		t.Errorf("the service and the command line do not agree:\n%s\n%s", a, b)
	}
	if r := command(t, state, "pulls", "weekday-lean", "-q"); r.status != 0 || !strings.Contains(r.out, "part of what nodes boot from") {
		t.Errorf("%+v", r)
	}
	for args, says := range map[string]string{
		"": "one of them", "weekday-lean --outcome 1": "one of them", "nothing": "there is no scenario nothing", "--outcome 99": "outcome 99",
		"weekday-lean --image wide=1GB": "no image or template is called wide", "weekday-lean --image wide": "expected NAME=SIZE",
		"weekday-lean --image compile-wide=much": "not an amount of bytes",
	} {
		if r := command(t, state, append([]string{"pulls"}, strings.Fields(args)...)...); r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%s: %+v", args, r)
		}
	}
}
