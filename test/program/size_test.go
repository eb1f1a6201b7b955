package program

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"image/png"
	"io"
	"math"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/fleet"
	"tachyphor/core/review"
	"tachyphor/core/sizing"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// written puts the demo's usage of a template into files.
func written(t *testing.T, template string) (samples, jobs string) {
	t.Helper()
	u := drawnUsage(t, template)
	dir := t.TempDir()
	samples, jobs = filepath.Join(dir, "usage.csv"), filepath.Join(dir, "jobs.csv")
	for file, data := range map[string][]byte{samples: u.Samples, jobs: u.Jobs} {
		if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	return samples, jobs
}

// sized reads an advice as JSON.
func sized(t *testing.T, state string, args ...string) *sizing.Advice {
	t.Helper()
	r := command(t, state, append([]string{"size", "-o", "json"}, args...)...)
	if r.status != 0 {
		t.Fatalf("%v: %+v", args, r)
	}
	a := new(sizing.Advice)
	if err := json.Unmarshal([]byte(r.out), a); err != nil {
		t.Fatal(err)
	}
	return a
}

// From samples to a new revision: small-steady asks three times the memory that it
// uses, and compile-wide less than the acoustic suite sometimes needs.
func TestSizeTheDemo(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	if r := command(t, state, "size", "small-steady"); r.status != 1 || !strings.Contains(r.err, "tachyphor observe small-steady") {
		t.Errorf("%+v", r)
	}
	for _, name := range []string{"small-steady", "compile-wide"} {
		samples, jobs := written(t, name)
		r := command(t, state, "observe", name, samples, "--jobs", jobs)
		if r.status != 0 || !strings.Contains(r.out, "matched with the job log, 0 pods not in it") ||
			!strings.Contains(r.out, "Worked around: ") || !strings.Contains(r.out, "0 known") {
			t.Fatalf("%+v", r)
		}
		if r := command(t, state, "observe", name, samples, "--jobs", jobs); r.status != 0 || !strings.Contains(r.out, " 0 new, 0 more complete") {
			t.Errorf("taken in again: %+v", r)
		}
	}

	// Peaks are drawn up to 1.22 times 2 GiB and a little more for the same job in another
	// week; half of them stay under 1.7 GiB.
	small := sized(t, state, "small-steady")
	if m := small.Memory.Request; m < small.Memory.Most || m > 11<<28 || small.Memory.Killed != 0 || small.Now.Memory != 6<<30 {
		t.Errorf("%+v", small.Memory)
	}
	if b, n := small.Best, small.Now; b.Slow > 1.1 || b.Agents <= n.Agents || b.PerRun > 0.7*n.PerRun {
		t.Errorf("%+v instead of %+v", b, n)
	}
	// One in twenty nights needs up to 1.22 times 11 GiB, and is killed at 12.
	suite := sized(t, state, "compile-wide", "--class", "sonar-suite")
	if share := float64(suite.Memory.Killed) / float64(suite.Memory.Runs); share < 0.03 || share > 0.07 || suite.Memory.Request != 0 ||
		suite.Memory.Trial < 14<<30 {
		t.Errorf("%+v", suite.Memory)
	}
	if c := suite.Classes; len(c) != 1 || c[0].Cores < 3 || c[0].Cores > 4.5 || c[0].Parallel < 0.75 || c[0].Parallel > 0.95 {
		t.Errorf("%+v", c)
	}
	all := sized(t, state, "compile-wide")
	if len(all.Classes) != 3 || len(all.Splits) == 0 || all.Verdict == "" || all.Best.Memory < 14<<30 {
		t.Errorf("%+v %+v", all.Classes, all.Best)
	}

	drawn(t, c, "/size/compile-wide/figure?class=sonar-suite", "png")
	drawn(t, c, "/fit/figure?templates=compile-wide,small-steady&form=svg", "svg")

	// What a run costs is the same number wherever it is told, whichever runs count.
	for _, x := range []struct{ flags, query []string }{
		{nil, nil},
		{[]string{"--half-life", "0s"}, []string{"halfLife", "0s"}},
		{[]string{"--half-life", "3d", "--class", "sonar-suite"}, []string{"halfLife", "3d", "class", "sonar-suite"}},
	} {
		a := sized(t, state, append([]string{"compile-wide"}, x.flags...)...)
		q := url.Values{"templates": {"compile-wide"}}
		for i := 0; i < len(x.query); i += 2 {
			q.Set(x.query[i], x.query[i+1])
		}
		_, body := (exchange{"GET", "/api/v1/fit?" + q.Encode(), "", nil}).do(t, c)
		var fits review.Fits
		if err := json.Unmarshal([]byte(body), &fits); err != nil {
			t.Fatal(err, body)
		}
		i := slices.IndexFunc(fits.Fits, func(f fleet.Fit) bool { return f.Pool == a.Pool })
		if i < 0 || math.Abs(fits.Fits[i].PerRun*a.Now.Expected/a.Now.PerRun-1) > 1e-6 {
			t.Errorf("%v: %v a run where %v is told", x.query, a.Now.PerRun, fits.Fits)
		}
	}

	// What is to be improved may take the advice too.
	better := command(t, state, "improve", "weekday-lean", "--aim", "bill at most 1 a month", "--budget", "6", "-q", "-o", "json")
	if better.status != 0 || !strings.Contains(better.out, `"knob": "compile-wide requests"`) || !strings.Contains(better.out, `"was": "6500m, 12Gi, 20Gi"`) ||
		strings.Contains(better.out, `"knob": "image-maker requests"`) { // of which no usage is stored
		t.Errorf("%+v", better)
	}

	// What if: with the trial nobody is killed any more, and it costs less.
	r := command(t, state, "size", "compile-wide", "--try", "weekday-lean", "-o", "json")
	var cmp wire.ComparedOutcomes
	if err := json.Unmarshal([]byte(r.out), &cmp); err != nil || r.status != 0 {
		t.Fatalf("%v %+v", err, r)
	}
	if !cmp.Paired || cmp.Scenarios[1] != "weekday-lean, changed" {
		t.Errorf("%v %v", cmp.Paired, cmp.Scenarios)
	}
	for _, m := range cmp.Metrics {
		switch m.Key {
		case "memory-kills":
			if m.Values[0].Mean < 10 || m.Values[1].Mean != 0 {
				t.Errorf("%+v", m)
			}
		case "cost-month":
			if m.Differences[1].Mean >= 0 || !m.Sure[1] {
				t.Errorf("%+v", m)
			}
		case "stretch-mean":
			if m.Differences[1].Mean <= 0 {
				t.Errorf("%+v", m)
			}
		}
	}
	changed := false
	for _, d := range cmp.Design {
		changed = changed || d.Path == "requests.compile-wide.Memory" && d.Values[0] != d.Values[1]
	}
	if !changed {
		t.Errorf("%+v", cmp.Design)
	}
	// The changed outcome is not taken for the scenario's own.
	if s, err := c.Scenario(context.Background(), "weekday-lean"); err != nil || s.Last == nil || len(s.Last.Simulation.Inputs.Changes) != 0 ||
		!s.Current {
		t.Errorf("%v %+v", err, s.Last)
	}

	// It is all there after the process was killed.
	p.Kill()
	_, c = running.Serve(t, state, nil)
	if u, err := c.Usage(context.Background(), "small-steady"); err != nil || u.Runs != small.Evidence.Runs || len(u.Classes) != 2 ||
		len(u.Intakes) != 2 || u.Intakes[1].Report.New != u.Runs {
		t.Errorf("%v %+v", err, u)
	}
	if r := command(t, state, "size", "small-steady", "--apply"); r.status != 0 || !strings.Contains(r.err, "revision 2 now") {
		t.Fatalf("%+v", r)
	}
	d, err := c.Get(context.Background(), document.KindPodTemplate, "small-steady", 0)
	if err != nil || !strings.Contains(d.Text, "# Short web and gateway jobs") || !strings.Contains(d.Text, "tachyphor/sized: ") ||
		!strings.Contains(d.Text, "with 95 % confidence") {
		t.Errorf("%v %s", err, d.Text)
	}
	if r := command(t, state, "check", "small-steady"); r.status != 0 {
		t.Errorf("the sized template has findings: %s", r.out)
	}
	if r := command(t, state, "size", "small-steady", "--apply"); r.status != 0 || !strings.Contains(r.err, "Nothing to change") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drop", "usage", "small-steady"); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drop", "usage", "small-steady"); r.status != 1 {
		t.Errorf("%+v", r)
	}
}

// A file is sized without a service, drawn, and written anew.
func TestSizeAFile(t *testing.T) {
	t.Parallel()
	samples, jobs := written(t, "image-maker")
	dir := t.TempDir()
	text, err := os.ReadFile(filepath.Join(demoFolder, "templates", "image-maker.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "image-maker.yaml")
	if err := os.WriteFile(file, text, 0o600); err != nil {
		t.Fatal(err)
	}
	base := []string{"size", file, "--usage", samples, "--jobs", jobs, "--with", filepath.Join(demoFolder, "cluster.yaml")}
	for _, picture := range []string{"a.png", "a.svg"} {
		picture = filepath.Join(dir, picture)
		r := command(t, dir, append(base, "--plot", picture)...)
		if r.status != 0 || !strings.Contains(r.out, "Request ") || !strings.Contains(r.out, "with 95 % confidence") {
			t.Fatalf("%+v", r)
		}
		data, err := os.ReadFile(picture)
		if err != nil || !bytes.HasPrefix(data, []byte("\x89PNG")) && !bytes.HasPrefix(data, []byte("<?xml")) || len(data) < 10_000 {
			t.Errorf("%v: %d bytes", err, len(data))
		}
	}
	// The same samples named twice are the same runs.
	once, twice := command(t, dir, append(base, "-o", "json")...), command(t, dir, append(base, "-o", "json", "--usage", samples)...)
	if once.status != 0 || once.out != twice.out {
		t.Errorf("samples that are named twice count twice: %d and %d bytes", len(once.out), len(twice.out))
	}
	if r := command(t, dir, append(base, "--apply")...); r.status != 0 || !strings.Contains(r.err, "is rewritten") {
		t.Fatalf("%+v", r)
	}
	after, err := os.ReadFile(file)
	if err != nil || bytes.Equal(after, text) || !bytes.Contains(after, []byte("# Container images, built without privileges.")) ||
		!bytes.Contains(after, []byte("tachyphor/sized")) {
		t.Errorf("%v %s", err, after)
	}
	if r := command(t, dir, append(base, "-o", "csv")...); r.status != 0 || !strings.Contains(r.out, "slowClass") {
		t.Errorf("%+v", r)
	}
	picture := filepath.Join(dir, "fit.svg")
	if r := command(t, dir, "fit", file, "--with", filepath.Join(demoFolder, "cluster.yaml"), "--plot", picture); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if data, err := os.ReadFile(picture); err != nil || !bytes.Contains(data, []byte("image-maker")) {
		t.Errorf("%v", err)
	}
}

// What is wrong is said with its place, and loses nothing.
func TestUsageThatIsWrong(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	ctx := context.Background()
	good := "pod,container,at,cpu_seconds,memory\np,agent,1700000000,0,1Gi\np,agent,1700000060,60,2Gi\n"
	for _, x := range []struct {
		name, body, want string
		status           int
	}{
		{"gone", good, "gone", 404},
		{"small-steady", "pod;at\n", "pod;at", 422},
		{"small-steady", "", "body is required", 400},
		{"small-steady", "pod,at,memori\n", `did you mean "memory"`, 422},
		{"small-steady", "PAR1 no", "Parquet", 422},
		{"small-steady", `{"status":"success","data":{"resultType":"vector"}}`, "expected matrix", 422},
	} {
		if _, err := c.PutUsage(ctx, x.name, "test", "", strings.NewReader(x.body)); !client.IsStatus(err, x.status) ||
			!strings.Contains(err.Error(), x.want) {
			t.Errorf("%s %q: %v", x.name, x.body, err)
		}
	}
	got, err := c.PutUsage(ctx, "small-steady", "test", "",
		strings.NewReader(good+"p,agent,soon,1,1\n,agent,1700000090,1,1\nq,log-tail,1700000000,0,1\nr,agent,1700000000,0,1\n"))
	if err != nil || got.Runs != 1 || got.Bad != 2 || got.BadRows[0].Line != 4 || got.BadRows[0].Column != "at" || got.Others != 1 ||
		got.Short != 1 {
		t.Errorf("%v %+v", err, got)
	}
	// A run that went on is told better by a longer one, and not by a shorter one.
	if got, err := c.PutUsage(ctx, "small-steady", "test", "",
		strings.NewReader(good+"p,agent,1700000120,90,3Gi\n")); err != nil || got.Replaced != 1 || got.New != 0 {
		t.Errorf("%v %+v", err, got)
	}
	if got, err := c.PutUsage(ctx, "small-steady", "test", "", strings.NewReader(good)); err != nil || got.Known != 1 || got.Replaced != 0 {
		t.Errorf("%v %+v", err, got)
	}
	if u, err := c.Usage(ctx, "small-steady"); err != nil || u.Runs != 1 || u.To-u.From != 120 {
		t.Errorf("%v %+v", err, u)
	}
	log, err := c.PutRecording(ctx, strings.NewReader("submitted,class\n2026-01-01T00:00:00Z,a\n"), nil, false)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.PutUsage(ctx, "small-steady", "test", log.Digest, strings.NewReader(good)); !client.IsStatus(err, 422) ||
		!strings.Contains(err.Error(), "column pod") {
		t.Errorf("%v", err)
	}
	if _, err := c.PutUsage(ctx, "small-steady", "test", strings.Repeat("0", 64), strings.NewReader(good)); !client.IsStatus(err, 404) {
		t.Errorf("%v", err)
	}
	for _, args := range [][]string{
		{"size", "small-steady", "--share", "100"},
		{"size", "small-steady", "--stretch", "0.5"},
		{"size", "small-steady", "--plot", "a.jpg"},
		{"size", "small-steady", "--usage", "x.csv"},
		{"size", filepath.Join(demoFolder, "templates", "small-steady.yaml")},
		{"observe", "small-steady"},
		{"observe", "small-steady", "x.csv", "--prometheus", "http://127.0.0.1:1"},
		{"observe", "small-steady", "--prometheus", "http://127.0.0.1:1", "--since", "soon"},
	} {
		if r := command(t, state, args...); r.status != 2 || r.err == "" {
			t.Errorf("%v: %+v", args, r)
		}
	}
	for _, args := range [][]string{
		{"size", "small-steady", "--pool", "gone"},
		{"size", "small-steady", "--class", "gone"},
		{"size", "gone"},
		{"size", "small-steady", "--half-life", "soon"},
	} {
		if r := command(t, state, args...); r.status != 1 || r.err == "" {
			t.Errorf("%v: %+v", args, r)
		}
	}
	// Changes of a scenario that cannot be made.
	for _, ch := range []document.Changes{
		{Kind: "PodTemplate", Name: "image-makers"},
		{Kind: "PodTemplate", Name: "small-steady", Edits: []document.Edit{{Op: "remove", Path: "/template/spec/nothing"}}},
	} {
		if _, err := c.Simulate(ctx, "weekday-lean", wire.Run{Changes: []document.Changes{ch}}); !client.IsStatus(err, 422) {
			t.Errorf("%+v: %v", ch, err)
		}
	}
}

// Many take the same in at once: each run is known once.
func TestUsageTakenInAtOnce(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	var b strings.Builder
	b.WriteString("pod,at,cpu_seconds,memory\n")
	for i := range 300 {
		fmt.Fprintf(&b, "p%d,1700000000,0,1Gi\np%d,1700000060,60,2Gi\n", i, i)
	}
	var wg sync.WaitGroup
	for range 6 {
		wg.Go(func() {
			if _, err := c.PutUsage(context.Background(), "small-steady", "test", "", strings.NewReader(b.String())); err != nil {
				t.Error(err)
			}
		})
	}
	wg.Wait()
	if u, err := c.Usage(context.Background(), "small-steady"); err != nil || u.Runs != 300 {
		t.Errorf("%v: %d runs", err, u.Runs)
	}
}

// drawn asks the service for a picture.
func drawn(t *testing.T, c *client.Client, path, form string) {
	t.Helper()
	req, err := http.NewRequest(http.MethodGet, c.Address+"/api/v1"+path, nil)
	if err != nil {
		t.Fatal(err)
	}
	req.Header.Set("Authorization", "Bearer "+c.Token)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = resp.Body.Close() }()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	media := resp.Header.Get("Content-Type")
	if form == "svg" {
		if media != "image/svg+xml" || !strings.Contains(string(b[:min(300, len(b))]), "<svg") {
			t.Errorf("%s: %s, %.200s", path, media, b)
		}
		return
	}
	if at, err := png.DecodeConfig(bytes.NewReader(b)); media != "image/png" || err != nil || at.Width < 600 || at.Height < 400 {
		t.Errorf("%s: %s, %+v, %v, %.200s", path, media, at, err, b)
	}
}
