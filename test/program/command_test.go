package program

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/outcome"
	"tachyphor/core/units"
	"tachyphor/demo"
	"tachyphor/test/running"
	"tachyphor/wire"
)

const demoFolder = "../../demo"

// ran is what a command line gave.
type ran struct {
	status   int
	out, err string
}

// command runs the program with a state folder.
func command(t testing.TB, state string, args ...string) ran {
	t.Helper()
	return commandWith(t, state, "", args...)
}

func commandWith(t testing.TB, state, stdin string, args ...string) ran {
	t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, running.Program(t), args...)
	cmd.Env = append(os.Environ(), "TACHYPHOR_STATE="+state, "TERM=xterm-256color")
	cmd.Stdin = strings.NewReader(stdin)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return ran{cmd.ProcessState.ExitCode(), out.String(), errs.String()}
}

// putDemo stores the demo world by the command line.
func putDemo(t testing.TB, _ *client.Client, state string) {
	t.Helper()
	putFolder(t, state, demoFolder)
}

// putFolder stores the demo world out of a folder that was made of it.
func putFolder(t testing.TB, state, folder string) {
	t.Helper()
	r := command(t, state, "put", filepath.Join(folder, "cluster.yaml"), filepath.Join(folder, "workload.yaml"),
		filepath.Join(folder, "templates"), filepath.Join(folder, "scenarios"))
	if r.status != 0 {
		t.Fatalf("%+v", r)
	}
}

func encoded(t testing.TB, v any) []byte {
	t.Helper()
	b, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return b
}

// Without a service: the outcome of a file is JSON that adds up, the same on any
// number of workers, with standard output clean.
func TestSimulateHere(t *testing.T) {
	t.Parallel()
	file := filepath.Join(demoFolder, "scenarios", "on-demand.yaml")
	one := command(t, t.TempDir(), "simulate", file, "--here", "-o", "json", "-q", "--workers", "1")
	two := command(t, t.TempDir(), "simulate", file, "--here", "-o", "json", "-q", "--workers", "7")
	if one.status != 0 || one.out != two.out || one.err != "" {
		t.Fatalf("status %d, same %v, %s", one.status, one.out == two.out, one.err)
	}
	var o outcome.Outcome
	if err := json.Unmarshal([]byte(one.out), &o); err != nil {
		t.Fatal(err)
	}
	for _, s := range o.Samples {
		ribbon := units.TotalOf(s.Groups[0].RibbonNs...)
		var bill units.Sum[units.Money]
		for _, p := range s.Cost.Pools {
			bill = bill.Plus(units.TotalOf(p.Uses...))
		}
		for _, x := range s.Cost.Parts {
			bill = bill.Plus(x.Nano)
		}
		if ribbon != s.Groups[0].LeadNs || bill != s.Cost.TotalNano || ribbon.Sign() == 0 || bill.Sign() == 0 {
			t.Errorf("repeat %d: ribbon %v of %v, bill %v of %v", s.Repeat, ribbon, s.Groups[0].LeadNs, bill, s.Cost.TotalNano)
		}
	}
	table := command(t, t.TempDir(), "simulate", file, "--here", "--repeats", "2")
	for _, want := range []string{
		"95 % of the 9,6", "is arm-corss a slip?", "█", "class hull-firmware", "a new node to boot",
		"all that is paid",
	} {
		if !strings.Contains(table.out, want) {
			t.Errorf("the report lacks %q:\n%s", want, table.out)
		}
	}
	if strings.Contains(table.out, "\x1b[") {
		t.Error("colour in a pipe")
	}
	for line := range strings.Lines(table.out) {
		if n := len([]rune(strings.TrimRight(line, "\n"))); n > 112 {
			t.Errorf("a line of %d columns: %s", n, line)
		}
	}
}

// What goes wrong ends with the right status and says what to do.
func TestExitStatuses(t *testing.T) {
	t.Parallel()
	const nowhere = "http://127.0.0.1:1"
	dir, state := t.TempDir(), t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(dir, name)
		if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	broken := write("broken.yaml", "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec: {clustr: c, workload: "+
		"w, templates: []}\n")
	alone := write("alone.yaml", "apiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s}\nspec: {cluster: nowhere, "+
		"workload: w, templates: [{template: t}]}\n")
	for _, c := range []struct {
		args   []string
		status int
		want   string
	}{
		{[]string{"version"}, 0, ""},
		{[]string{"completion", "bash"}, 0, ""},
		{[]string{"schema", "scenarios"}, 0, ""},
		{[]string{"schema", "Nothing"}, 2, "expected one of PodTemplate, Cluster"},
		{[]string{"fly"}, 2, "unknown command"},
		{[]string{"simulate"}, 2, "accepts 1 arg"},
		{[]string{"simulate", "x", "--fast"}, 2, "unknown flag"},
		{[]string{"simulate", "x", "-o", "xml"}, 2, "expected one of table, json, yaml, csv"},
		{[]string{"simulate", "x", "--repeats", "-3"}, 2, "expected 1 to 1000"},
		{[]string{"simulate", alone}, 2, "add --here"},
		{[]string{"simulate", "missing.yaml", "--here"}, 2, "no such file"},
		{[]string{"simulate", broken, "--here"}, 1, `broken.yaml:4:8: spec.clustr`},
		{[]string{"simulate", alone, "--here"}, 1, "no Cluster of that name"},
		{[]string{"simulate", "x", "--server", nowhere}, 3, "start it with `tachyphor serve`"},
		{[]string{"get", "--server", nowhere}, 3, "no service answers"},
		{[]string{"get", "pods"}, 2, `there is no kind "pods"`},
		{[]string{"explain", "x", "y", "--server", nowhere}, 3, "no service answers"},
		{[]string{"export", "x", "--form", "xlsx"}, 2, "expected one of csv, jsonl, parquet"},
		{[]string{"put", dir, "--server", nowhere}, 1, "did you mean \"cluster\"?"},
		{[]string{"serve", "--log-level", "loud"}, 2, "expected debug, info"},
		{[]string{"serve", "--listen", "999.0.0.1:1"}, 1, "choose another address"},
	} {
		r := command(t, state, c.args...)
		if r.status != c.status || !strings.Contains(r.err, c.want) {
			t.Errorf("%v: status %d, %s; want %d and %q", c.args, r.status, r.err, c.status, c.want)
		}
	}
}

// A person's way through the verbs.
func TestCommandLineAgainstTheService(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	running.Serve(t, state, nil)
	do := func(status int, want string, args ...string) string {
		t.Helper()
		r := command(t, state, args...)
		if r.status != status || !strings.Contains(r.out+r.err, want) {
			t.Fatalf("%v: status %d, want %d and %q\n%s\n%s", args, r.status, status, want, r.out, r.err)
		}
		return r.out
	}
	putDemo(t, nil, state)
	do(0, "same", "put", filepath.Join(demoFolder, "cluster.yaml"))
	do(0, "weekday-lean", "get", "scenarios")
	do(0, "# A few agents kept ready", "get", "scenario", "weekday-lean")
	do(0, `"cluster": "brinewell-north"`, "get", "scenario", "weekday-lean", "-o", "json")
	do(1, "there is no Scenario nothing", "get", "scenario", "nothing")
	lean, err := os.ReadFile(filepath.Join(demoFolder, "scenarios", "weekday-lean.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	changed := strings.Replace(string(lean), "linger: 10m", "linger: 25m", 1)
	if r := commandWith(t, state, changed, "put", "-"); r.status != 0 || !strings.Contains(r.out, "changed") {
		t.Fatalf("%+v", r)
	}
	do(0, "owner", "history", "scenario", "weekday-lean")
	diff := do(0, "+        linger: 25m", "diff", "scenario", "weekday-lean", "1", "2")
	if strings.Count(diff, "\n+") != 2 { // the header and the line
		t.Errorf("difference:\n%s", diff)
	}
	do(0, "95 % of the 9,6", "simulate", "fixed-six")
	do(0, "job-hours", "simulate", "weekday-lean", "--repeats", "8")
	csv := do(0, "by,name,jobs.mean,", "simulate", "on-demand", "-o", "csv", "--repeats", "2")
	if n := strings.Count(csv, "\n"); n != 12 {
		t.Errorf("%d lines of CSV:\n%s", n, csv)
	}
	do(0, "done", "get", "outcomes")
	do(0, "instead of", "compare", "fixed-six", "weekday-lean")
	do(0, "fixed-six: It misses 1 of its 2 aims", "compare", "fixed-six", "weekday-lean")
	do(0, `"paired": true`, "compare", "1", "2", "-o", "json")
	do(1, "there is no outcome 99", "compare", "1", "99")
	do(0, "It started after", "explain", "1", "sonar-suite-80")
	do(0, "no template offers arm-corss", "explain", "1", "hull-bootloader-1")
	do(1, "has no job nonsense", "explain", "1", "nonsense")
	do(1, "", "simulate", "nothing")
	do(0, "dropped", "drop", "scenario", "on-demand")
	do(1, "there is no Scenario on-demand", "get", "scenario", "on-demand")
	do(0, "/sign-in?link=", "token", "link")
}

// Ctrl-C cancels the simulation that the command line was waiting for.
func TestInterruptCancels(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	cmd := exec.Command(running.Program(t), "simulate", "weekday-lean", "--repeats", "1000")
	cmd.Env = append(os.Environ(), "TACHYPHOR_STATE="+state)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	ctx := context.Background()
	eventually(t, "a running outcome", func() bool {
		o, err := c.Outcome(ctx, 1, false)
		return err == nil && o.State == "running"
	})
	_ = cmd.Process.Signal(os.Interrupt)
	_ = cmd.Wait()
	if status := cmd.ProcessState.ExitCode(); status != 1 {
		t.Errorf("status %d", status)
	}
	eventually(t, "cancellation", func() bool {
		o, err := c.Outcome(ctx, 1, false)
		return err == nil && o.State == "cancelled"
	})
	// The worker is free for the next one.
	end, err := c.Simulate(ctx, "fixed-six", wire.Run{})
	if err == nil {
		end, err = c.Watch(ctx, end.ID, func(wire.WorkBrief) {})
	}
	if err != nil || end.State != "done" {
		t.Errorf("%+v, %v", end, err)
	}
}

// The demo runs where it is told to, has everything simulated when it says where
// to look, and keeps what the person did to it.
func TestDemo(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	start := func() *exec.Cmd {
		t.Helper()
		cmd := exec.Command(running.Program(t), "demo", "--listen", "127.0.0.1:0")
		cmd.Env = append(os.Environ(), "TACHYPHOR_STATE="+state)
		said := &bytes.Buffer{}
		pipe, err := cmd.StderrPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = cmd.Process.Kill(); _ = cmd.Wait() })
		lines := bufio.NewScanner(pipe)
		for lines.Scan() && !strings.HasPrefix(lines.Text(), "Sign in:") {
			said.WriteString(lines.Text() + "\n")
		}
		if !strings.Contains(said.String(), "Console:") {
			t.Fatalf("the demo says:\n%s", said)
		}
		return cmd
	}
	stop := func(cmd *exec.Cmd) {
		t.Helper()
		_ = cmd.Process.Signal(os.Interrupt)
		if err := cmd.Wait(); err != nil {
			t.Error(err)
		}
		if pid := running.Database(state); pid != 0 {
			t.Errorf("the database %d runs on", pid)
		}
	}
	first := start()
	if r := command(t, state, "get", "outcomes"); strings.Count(r.out, "done") != len(demo.Scenarios) {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "drop", "scenario", "on-demand"); r.status != 0 {
		t.Errorf("%+v", r)
	}
	stop(first)
	second := start()
	if r := command(t, state, "get", "scenarios"); strings.Contains(r.out, "on-demand") || !strings.Contains(r.out, "weekday-lean") {
		t.Errorf("%+v", r)
	}
	stop(second)
}

// Bad rows of recorded jobs are refused with their places, and left out when the
// person says so.
func TestBadRowsOnTheCommandLine(t *testing.T) {
	t.Parallel()
	dir, state := t.TempDir(), t.TempDir()
	running.Serve(t, state, nil)
	files := map[string]string{
		"w.yaml": "apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\nspec:\n  start: 2026-09-14T00:00:00Z\n  jobs: " +
			"{file: jobs.csv}\n  classes: [{name: a, wants: [x], work: {fixed: 5m}}]\n",
		"jobs.csv": "id,submitted,class\n1,10,a\n2,soon,a\n3,20,a\n",
	}
	for name, text := range files {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if r := command(t, state, "put", dir); r.status != 1 || !strings.Contains(r.err, `line 3, column submitted: found "soon"`) {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "put", dir, "--skip-bad"); r.status != 0 || !strings.Contains(r.err, "1 bad row left out") {
		t.Errorf("%+v", r)
	}
	// The same as JSON Lines, told apart by its first letter.
	lines := `{"id": 1, "class": "a", "submitted": 10}` + "\n" + `{"id": 3, "class": "a", "submitted": 20, "wants": ["x"]}` + "\n"
	if err := os.WriteFile(filepath.Join(dir, "jobs.csv"), []byte(lines), 0o600); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "put", dir); r.status != 0 || !strings.Contains(r.err, "2 jobs") || !strings.Contains(r.out, "changed") {
		t.Errorf("%+v", r)
	}
	if err := os.Remove(filepath.Join(dir, "jobs.csv")); err != nil {
		t.Fatal(err)
	}
	if r := command(t, state, "put", dir); r.status != 1 || !strings.Contains(r.err, "w.yaml:6:16: spec.jobs.file") {
		t.Errorf("%+v", r)
	}
	if command(t, state, "get", "workload", "w").status != 0 {
		t.Error("the workload is gone")
	}
}

// What is named on the command line or in a document and is no file is refused at once: a
// pipe that nobody writes into, a device, what lies outside the document's folder.
func TestFilesThatAreNone(t *testing.T) {
	t.Parallel()
	dir, state := t.TempDir(), t.TempDir()
	if err := syscall.Mkfifo(filepath.Join(dir, "pipe.yaml"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Mkfifo(filepath.Join(dir, "pipe.csv"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink("/etc/passwd", filepath.Join(dir, "link.csv")); err != nil {
		t.Fatal(err)
	}
	for path, want := range map[string]string{
		filepath.Join(dir, "pipe.yaml"): "no templates", "/dev/zero": "a device, where a file was expected", dir + "/nothing": "no such file",
	} {
		if r := command(t, state, "check", path); r.status != 2 && r.status != 1 || !strings.Contains(r.err, want) {
			t.Errorf("%s: %+v", path, r)
		}
	}
	world := read(t, "cluster.yaml") + "---\n" + read(t, "templates/compile-wide.yaml") + "---\n" +
		read(t, "templates/small-steady.yaml") + "---\n" + read(t, "templates/image-maker.yaml") + "---\n" +
		read(t, "templates/suite-night.yaml") +
		"---\n" + read(t, "scenarios/on-demand.yaml") + "---\n"
	workload := read(t, "workload.yaml")
	for file, want := range map[string]string{
		"/dev/zero": "at or below the folder", "../../etc/shadow": "at or below the folder", "pipe.csv": "not a regular file",
		"link.csv": "escapes", ".": "not a regular file", "nothing.csv": "no such file",
	} {
		path := filepath.Join(dir, "world.yaml")
		if err := os.WriteFile(path, []byte(world+strings.Replace(workload, "file: week-38.csv", "file: "+file, 1)), 0o600); err != nil {
			t.Fatal(err)
		}
		if r := command(t, state, "simulate", path, "--here"); r.status == 0 || !strings.Contains(r.err, want) ||
			strings.Contains(r.err, "root:") {
			t.Errorf("%s: %+v", file, r)
		}
	}
}

// read returns a file of the demo world.
func read(t *testing.T, name string) string {
	t.Helper()
	b, err := demo.World.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}
