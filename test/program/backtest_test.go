package program

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/backtest"
	"tachyphor/core/document"
	"tachyphor/demo"
	"tachyphor/internal/standin/jobs"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// twoDaysEnd is when the first two days of the demo's week are over, at UTC.
var twoDaysEnd = time.Date(2026, 9, 16, 0, 0, 0, 0, time.UTC)

// asItWent writes a log of the demo's week as it went, of its first two days, and tells how many jobs are in
// it; under make validate the whole.
func asItWent(t *testing.T, file string) (jobs int) {
	t.Helper()
	packed, err := gzip.NewReader(bytes.NewReader(demo.AsItWent))
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(packed).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	if !wholeWeeks {
		until := twoDaysEnd.Format(time.DateOnly)
		rows = slices.DeleteFunc(rows, func(row []string) bool { return row[1] >= until && row[1] < "3" }) // not the header
	}
	var b bytes.Buffer
	if err := csv.NewWriter(&b).WriteAll(rows); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, b.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return len(rows) - 1
}

// The demo's week went on a cluster whose burst nodes boot slower than its facts say: it is found in it,
// from a file without a service, from the same log at the service, and from the live records; taken
// over, it came true.
func TestBacktestTheDemo(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	folder := changedDemo(t, nil)
	log, many := filepath.Join(folder, "as-it-went.csv"), asItWent(t, filepath.Join(folder, "as-it-went.csv"))
	scenario := filepath.Join(folder, "scenarios", "weekday-lean.yaml")
	found := func(r ran) *backtest.Backtest {
		t.Helper()
		b := new(backtest.Backtest)
		if err := json.Unmarshal([]byte(r.out), b); err != nil || r.status != 0 {
			t.Fatalf("%v %+v", err, r)
		}
		if b.Verdict.Agrees || b.Fact == nil || b.Fact.Fact != "pools.burst.boot" || b.Fact.Factor < 1.25 || b.Fact.Factor > 1.7 || b.Jobs != many {
			t.Fatalf("%+v %+v", b.Verdict, b.Fact)
		}
		return b
	}
	one := command(t, state, "backtest", scenario, "--log", log, "-o", "json", "-q", "--quick", "--workers", "1")
	if three := command(t, state, "backtest", scenario, "--log", log, "-o", "json", "-q", "--quick", "--workers", "3"); one.out != three.out || one.status != 0 {
		t.Errorf("what is told depends on the number of workers: %s", one.err)
	}

	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	r := command(t, state, "backtest", "weekday-lean", "--log", log, "-q", "--quick")
	for _, words := range []string{
		"It did not come true", "start delay, 95 %", "off", "the simulation is nearer than both", "No fact of the cluster says when it was measured",
	} {
		if r.status != 0 || !strings.Contains(strings.Join(strings.Fields(r.out), " "), words) {
			t.Errorf("%q is not told: %+v", words, r)
		}
	}
	list, err := jobs.Read(bytes.NewReader(demo.AsItWent))
	if err != nil {
		t.Fatal(err)
	}
	list = slices.DeleteFunc(list, func(h jobs.Happening) bool { return !wholeWeeks && !h.Queued.Before(twoDaysEnd) })
	if _, err := jobs.Send(ctx, list, jobs.Sending{Address: c.Address, Token: c.Token, As: jobs.AsSpans}); err != nil {
		t.Fatal(err)
	}
	live := found(command(t, state, "backtest", "weekday-lean", "--live", "-o", "json", "-q", "--apply"))
	if live.Split.Overlaps {
		t.Errorf("%+v", live.Split)
	}
	d, err := c.Get(ctx, document.KindCluster, "brinewell-north", 0)
	if err != nil || d.Revision != 2 || !strings.Contains(d.Text, "fact: pools.burst.boot") || !strings.Contains(d.Text, "a backtest") ||
		!strings.Contains(d.Text, "# The cluster of Brinewell Instruments") {
		t.Fatalf("%v %s", err, d.Text)
	}
	// It is taken over once: the cluster says otherwise by now.
	listed, err := c.NewestWork(ctx, client.Which{Kinds: client.Backtests, About: "weekday-lean"})
	if err != nil || len(listed) != 2 || listed[0].Backtest == nil || listed[0].Backtest.Fact != "pools.burst.boot" || !listed[0].Backtest.Live || listed[1].Backtest.Live ||
		listed[0].Backtest.Skill < 0.5 {
		t.Fatalf("%v %+v", err, listed)
	}
	if _, err := c.TakeFactOver(ctx, listed[0].ID); !client.IsStatus(err, 409) {
		t.Error(err)
	}
	asked, err := c.Backtest(ctx, wire.AskBacktest{Scenario: "weekday-lean", Live: true, AsStored: true, Quick: true})
	if err != nil {
		t.Fatal(err)
	}
	end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) {})
	if err != nil || end.State != "done" {
		t.Fatalf("%v %+v", err, end)
	}
	b, err := c.Backtested(ctx, asked.ID)
	if err != nil || len(b.Result.Designs) != 1 || b.Result.Designs[0].Revision != 1 || !b.Result.Designs[0].From.IsZero() ||
		len(b.Result.Tried) != 0 || !b.Result.Split.Overlaps {
		t.Fatalf("%v %+v", err, b.Result)
	}
	if off := b.Result.Groups[0].Delay[3]; off.P != 99 || off.Ratio < 0.93 || off.Ratio > 1.1 {
		t.Errorf("with the fact taken over: %+v, %s", off, b.Result.Verdict.Says)
	}
	r = command(t, state, "get", "backtests")
	if r.status != 0 || !strings.Contains(r.out, "weekday-lean") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drop", "backtest", "1"); r.status != 0 {
		t.Errorf("%+v", r)
	}
}

// What cannot be judged is refused with what it would take.
func TestBacktestRefused(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	folder := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(folder, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	begin := time.Date(2026, 9, 14, 6, 0, 0, 0, time.UTC)
	rows := func(n int, wait time.Duration, class string) string {
		var b strings.Builder
		b.WriteString("id,submitted,started,ended,class,wants\n")
		for i := range n {
			at := begin.Add(time.Duration(i) * time.Minute)
			b.WriteString(strings.Join([]string{
				"j" + at.Format("150405.0"), at.Format(time.RFC3339), at.Add(wait).Format(time.RFC3339), at.Add(wait + time.Minute).Format(time.RFC3339), class, "linux web",
			}, ",") + "\n")
		}
		return b.String()
	}
	few, waitless, strange := write("few.csv", rows(20, 5*time.Second, "shore-desk")), write("waitless.csv", rows(300, 0, "shore-desk")),
		write("strange.csv", strings.ReplaceAll(rows(300, 5*time.Second, "kelp"), "linux web", "kelp-cutter"))
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"backtest", "weekday-lean"}, 1, "does not say when its jobs started"},
		{[]string{"backtest", "weekday-lean", "--live"}, 1, "no jobs were reported"},
		{[]string{"backtest", "weekday-lean", "--log", few}, 1, "at least 100 are needed"},
		{[]string{"backtest", "weekday-lean", "--log", waitless}, 1, "no job waited at all"},
		{[]string{"backtest", "weekday-lean", "--log", strange}, 1, "fit no template"},
		{[]string{"backtest", "weekday-lean", "--log", few, "--live"}, 2, "choose one"},
		{[]string{"backtest", "gone"}, 1, "tachyphor get scenarios"},
		{[]string{"backtest", filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"), "--live"}, 2, "put the scenario"},
		{[]string{"backtest", filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"), "--log", "gone.csv"}, 2, "gone.csv"},
		{[]string{"backtest", filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"), "--log", strange}, 1, "fit no template"},
		{[]string{"backtest", "weekday-lean", "--project", "x"}, 2, "--live"},
	} {
		if r := command(t, state, x.args...); r.status != x.status || !strings.Contains(strings.Join(strings.Fields(r.err), " "), x.says) {
			t.Errorf("%v: %d %s", x.args, r.status, r.err)
		}
	}
}
