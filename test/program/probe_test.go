package program

import (
	"encoding/json"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/internal/probe"
	"tachyphor/test/running"
)

// pretendStore starts the program's pretended store and returns its address.
func pretendStore(t *testing.T, args ...string) string {
	t.Helper()
	c := exec.Command(running.Program(t), append([]string{"pretend", "store", "--listen", "127.0.0.1:0"}, args...)...)
	out, err := c.StderrPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = c.Process.Signal(syscall.SIGTERM)
		_, _ = io.Copy(io.Discard, out)
		if err := c.Wait(); err != nil {
			t.Errorf("the store ended with %v", err)
		}
	})
	b := make([]byte, 400)
	n, err := out.Read(b)
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(b[:n]), "Store: ")
	address, _, _ := strings.Cut(rest, " ")
	return address
}

// From a folder to facts of a cluster to a weighing with them.
func TestProbeAndKeepOnTheCommandLine(t *testing.T) {
	t.Parallel()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	store := pretendStore(t, "--up", "3MB/s", "--latency", "20ms")
	folder, err := filepath.Abs(demoFolder)
	if err != nil {
		t.Fatal(err)
	}
	r := command(t, state, "probe", folder, "--codecs", "none,zstd-3", "--cores", "one", "--store", store, "--ship", "512KiB", "--into",
		"brinewell-north")
	if r.status != 0 || !strings.Contains(r.err, "brinewell-north is revision 2 now") ||
		!strings.Contains(r.out, "zstd-3 on 1: an archive of") || !strings.Contains(r.out, "one object of 512 KiB") {
		t.Fatalf("%+v", r)
	}
	d, err := c.Get(t.Context(), "Cluster", "brinewell-north", 0)
	if err != nil || !strings.Contains(d.Text, "fact: links.store.perFlowUp") || !strings.Contains(d.Text, "# two nodes, always there") {
		t.Errorf("%v %s", err, d.Text)
	}
	r = command(t, state, "probe", folder, "--codecs", "zstd-1", "--cores", "one", "--no-unpack", "-o", "json")
	var report probe.Report
	if err := json.Unmarshal([]byte(r.out), &report); err != nil || r.status != 0 || len(report.Packings) != 1 ||
		report.Packings[0].Unpack != 0 || report.Tree.Files < 15 {
		t.Errorf("%v %+v", err, r)
	}

	work := t.TempDir()
	if err := os.CopyFS(filepath.Join(work, "deps"), os.DirFS(demoFolder)); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(work, "Cargo.lock"), []byte("tide 1.2"), 0o600); err != nil {
		t.Fatal(err)
	}
	snapshot := filepath.Join(t.TempDir(), "one.snapshot")
	if r := command(t, state, "keep", work, "--write", snapshot); r.status != 0 || !strings.Contains(r.out, "the hash of Cargo.lock") ||
		!strings.Contains(r.err, "Snapshot of") {
		t.Fatalf("%+v", r)
	}
	if r := command(t, state, "keep", work, "--before", snapshot, "--with", filepath.Join(demoFolder, "cluster.yaml"), "-o",
		"csv"); r.status != 0 || !strings.HasPrefix(r.out, "path,") {
		t.Errorf("%+v", r)
	}
	for _, x := range []struct {
		args   []string
		status int
		says   string
	}{
		{[]string{"probe", filepath.Join(work, "gone")}, 1, "cannot read the folder"},
		{[]string{"probe", work, "--codecs", "brotli"}, 2, "expected some of none, gzip-6, zstd-1"},
		{[]string{"probe", work, "--cores", "three"}, 2, "one, all or one,all"},
		{[]string{"probe", work, "--store", "127.0.0.1:9"}, 2, "write it like http://"},
		{[]string{"probe", work, "--most", "some"}, 2, "512MiB"},
		{[]string{"probe", work, "--into", "gone", "--codecs", "zstd-1", "--no-unpack"}, 1, "gone"},
		{[]string{"keep", work, "--before", filepath.Join(work, "Cargo.lock")}, 1, "not a snapshot"},
		{[]string{"keep", work, "--lock", "../secret"}, 1, "lock file"},
		{[]string{"keep", work, "--with", filepath.Join(demoFolder, "scenarios")}, 1, "no Cluster"},
		{[]string{"pretend", "store", "--up", "quick"}, 2, "write it like 120MB/s"},
	} {
		if r := command(t, state, x.args...); r.status != x.status || !strings.Contains(r.err, x.says) {
			t.Errorf("%v: %+v", x.args, r)
		}
	}
}

// Interrupted in the middle, a probe leaves nothing on the disk.
func TestProbeInterrupted(t *testing.T) {
	t.Parallel()
	scratch := t.TempDir()
	c := exec.Command(running.Program(t), "probe", "../..", "--whole", "--scratch", scratch, "--codecs", "zstd-9", "--cores", "one")
	c.Env = append(os.Environ(), "TACHYPHOR_STATE="+t.TempDir())
	if err := c.Start(); err != nil {
		t.Fatal(err)
	}
	eventually(t, "something to be packed", func() bool {
		list, _ := filepath.Glob(filepath.Join(scratch, "*", "archive"))
		return len(list) > 0
	})
	began := time.Now()
	if err := c.Process.Signal(os.Interrupt); err != nil {
		t.Fatal(err)
	}
	_ = c.Wait()
	if c.ProcessState.ExitCode() != 1 || time.Since(began) > 10*time.Second {
		t.Errorf("it ended with %d after %v", c.ProcessState.ExitCode(), time.Since(began))
	}
	if left, _ := os.ReadDir(scratch); len(left) != 0 {
		t.Errorf("%v is left", left)
	}
}
