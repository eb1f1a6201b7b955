package program

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/weigh"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// Weighed at the service, killed in the middle and started again, the scenario gets the
// plan it should have; the numbers are those that a file weighed without a service gives.
func TestWeighTheDemo(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	file := filepath.Join(changedDemo(t, map[string][]string{
		"scenarios/cached-naive.yaml": {"span: 7d", "span: 1d", "repeats: 8", "repeats: 2"},
	}), "scenarios", "cached-naive.yaml")
	if r := command(t, state, "put", file); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	ctx := context.Background()
	asked, err := c.Weigh(ctx, "cached-naive", weigh.Ask{X: "size", Y: "down", Class: "tide-charts"})
	if err != nil {
		t.Fatal(err)
	}
	eventually(t, "the weighing to be under way", func() bool {
		w, err := c.Weighing(ctx, asked.ID)
		return err == nil && w.State == "running" && w.Progress > 0
	})
	p.Kill()
	_, c = running.Serve(t, state, nil)
	end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {})
	if err != nil || end.State != "done" || end.Weighing.Best != "changed-trunk" ||
		!strings.Contains(end.Weighing.Headline, "saved when changed, by the trunk") {
		t.Fatalf("%v %+v", err, end)
	}
	kept, err := c.Weighing(ctx, asked.ID)
	if err != nil || kept.Result.Surface.Class != "tide-charts" || kept.Result.Surface.X.Quantity != "size" ||
		kept.Result.Surface.Y.Quantity != "down" {
		t.Fatalf("%v %+v", err, kept.WorkBrief)
	}

	drawn(t, c, fmt.Sprintf("/weighings/%d/figure", asked.ID), "png")
	drawn(t, c, fmt.Sprintf("/weighings/%d/figure?form=svg", asked.ID), "svg")

	r := command(t, state, "weigh", file, "--here", "-o", "json", "--class", "tide-charts", "--map", "size,down", "--workers", "1")
	var here weigh.Weighing
	if err := json.Unmarshal([]byte(r.out), &here); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if a, b := encoded(t, here), encoded(t, kept.Result); string(a) != string(b) {
		t.Error("the service and the command line do not agree")
	}

	// It is no outcome of the scenario, and outcomes are no weighings; both are work.
	all, err := c.NewestWork(ctx, client.Which{})
	if err != nil || len(all) == 0 || all[0].ID != asked.ID || all[0].Kind != "weighing" || all[0].Simulation != nil {
		t.Errorf("%v %+v", err, all)
	}
	if err := c.DropWork(ctx, client.Simulations, asked.ID); !client.IsStatus(err, 404) {
		t.Error(err)
	}
	if w, err := c.Work(ctx, asked.ID); err != nil || w.State != wire.Done || w.Weighing.Headline != end.Weighing.Headline {
		t.Errorf("%v %+v", err, w)
	}
	if _, err := c.Outcome(ctx, asked.ID, false); !client.IsStatus(err, 404) {
		t.Error(err)
	}
	if s, err := c.Scenario(ctx, "cached-naive"); err != nil || s.Last != nil {
		t.Errorf("%v %+v", err, s.Last)
	}
	which := client.Which{Kinds: client.Weighings, About: "cached-naive"}
	if list, err := c.NewestWork(ctx, which); err != nil || len(list) != 1 || list[0].Weighing.Ask.Class != "tide-charts" {
		t.Errorf("%v %+v", err, list)
	}

	dir := t.TempDir()
	picture, brief := filepath.Join(dir, "caches.svg"), filepath.Join(dir, "case.md")
	r = command(t, state, "weigh", "cached-naive", "--plot", picture, "--brief", brief, "--apply", "best")
	if r.status != 0 || !strings.Contains(r.err, "cached-naive is revision 3 now") {
		t.Fatalf("%+v", r)
	}
	for _, words := range []string{
		"compared with no cache", "today", "every-all", "never", "→ changed-trunk",
		"the part of the nodes' cost", "break-even of", "In the busiest hour (Monday",
	} {
		if !strings.Contains(strings.Join(strings.Fields(r.out), " "), words) {
			t.Errorf("%q is not told:\n%s", words, r.out)
		}
	}
	if b, err := os.ReadFile(brief); err != nil || !strings.Contains(string(b), "## What it costs, and what it buys") ||
		!strings.Contains(string(b), "save: when-changed") {
		t.Errorf("%v %s", err, b)
	}
	if b, err := os.ReadFile(picture); err != nil || !strings.Contains(string(b), "</svg>") || !strings.Contains(string(b), "every-all") {
		t.Errorf("%v, %d bytes", err, len(b))
	}
	d, err := c.Get(ctx, document.KindScenario, "cached-naive", 0)
	if err != nil || d.Revision != 3 || !strings.Contains(d.Text, "save: when-changed") ||
		!strings.Contains(d.Text, "# The lean design with archives") {
		t.Errorf("%v %s", err, d.Text)
	}
	if r := command(t, state, "weigh", "cached-naive", "--apply", "best", "-o",
		"csv"); r.status != 0 || !strings.Contains(r.err, "has that plan already") ||
		!strings.HasPrefix(r.out, "key,label,costPerMonth.mean [EUR/month],") {
		t.Errorf("%+v", r)
	}
}

func TestWeighingThatIsWrong(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"weigh", "cached", "--class", "hull-bootloader"}, 1, "no class \"hull-bootloader\" has a workspace"},
		{[]string{"weigh", "cached", "--map", "up"}, 2, "two quantities"},
		{[]string{"weigh", "cached", "--map", "up,up"}, 1, "named twice"},
		{[]string{"weigh", "cached", "--map", "up,tide"}, 1, "size, up, down"},
		{[]string{"weigh", "cached", "--hour", "dear"}, 1, "perHour"},
		{[]string{"weigh", "gone"}, 1, "tachyphor get scenarios"},
		{[]string{"weigh", "cached.yaml"}, 2, "--here"},
		{[]string{"weigh", "cached", "--plot", "x.jpg"}, 2, ".png or .svg"},
		{
			[]string{"weigh", filepath.Join(demoFolder, "scenarios", "cached.yaml"), "--here", "--apply", "nothing"},
			2,
			"choose best or one of none, every-all",
		},
	} {
		if r := command(t, state, x.args...); r.status != x.status || !strings.Contains(r.err, x.says) {
			t.Errorf("%v: %+v", x.args, r)
		}
	}
	// A weighing can be cancelled and taken away, and not taken away before.
	ctx := context.Background()
	w, err := c.Weigh(ctx, "cached", weigh.Ask{})
	if err != nil {
		t.Fatal(err)
	}
	if w, err = c.Cancel(ctx, w.ID); err != nil || w.State != "cancelled" {
		t.Errorf("%v %+v", err, w)
	}
	number := strconv.FormatUint(w.ID, 10)
	if r := command(t, state, "get", "weighings"); r.status != 0 || !strings.Contains(r.out, "cancelled") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "get", "weighing", number); r.status != 1 || !strings.Contains(r.err, "is cancelled") {
		t.Errorf("%+v", r)
	}
	for status, says := range []string{"weighing " + number + " dropped", "there is no weighing"} {
		if r := command(t, state, "drop", "weighing", number); r.status != status || !strings.Contains(r.err, says) {
			t.Errorf("%+v", r)
		}
	}
	if _, err := c.Weighing(ctx, w.ID+100); !client.IsStatus(err, 404) {
		t.Error(err)
	}
}
