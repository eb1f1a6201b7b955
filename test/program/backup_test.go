package program

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// A backup that was made while people wrote is of one moment; restored on an empty machine it gives back the same
// bytes for every outcome, and lets the same people in.
func TestBackupAndRestore(t *testing.T) {
	t.Parallel()
	ctx, state, dir := context.Background(), t.TempDir(), t.TempDir()
	p, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	mira := person(t, c, "mira", wire.Designer)
	o, err := mira.Simulate(ctx, "on-demand", wire.Run{})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := mira.Watch(ctx, o.ID, func(wire.WorkBrief) {}); err != nil {
		t.Fatal(err)
	}
	stop := make(chan struct{})
	var writers sync.WaitGroup
	for n := range 3 {
		writers.Go(func() { // two documents in each change, which belong together
			for i := 1; ; i++ {
				select {
				case <-stop:
					return
				default:
				}
				text := scenarioText(fmt.Sprintf("a%d", n), i) + "---\n" + scenarioText(fmt.Sprintf("b%d", n), i)
				if _, err := c.Put(ctx, "", []byte(text), false); err != nil {
					t.Error(err)
					return
				}
			}
		})
	}
	file := filepath.Join(dir, "monday.backup")
	if r := command(t, state, "backup", file); r.status != 0 || !strings.Contains(r.err, "whole") {
		t.Fatalf("%+v", r)
	}
	close(stop)
	writers.Wait()
	if info, err := os.Stat(file); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", info.Mode(), err)
	}
	if r := command(t, state, "backup", file); r.status != 1 || !strings.Contains(r.err, "--over") {
		t.Errorf("over one that is there: %+v", r)
	}
	before, err := c.Outcome(ctx, o.ID, true)
	if err != nil {
		t.Fatal(err)
	}
	whole, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(whole, []byte(c.Token)) || bytes.Contains(whole, []byte(mira.Token)) {
		t.Error("a token is in the backup")
	}
	refusedBackups(t, dir, whole)
	if r := command(t, state, "restore", file); r.status != 1 || !strings.Contains(r.err, "another service runs") {
		t.Errorf("into a service that runs: %+v", r)
	}
	p.Stop()
	if r := command(t, state, "restore", file); r.status != 1 || !strings.Contains(r.err, "records there already") {
		t.Errorf("over records: %+v", r)
	}
	fresh := filepath.Join(dir, "fresh")
	if r := command(t, fresh, "restore", file); r.status != 0 || !strings.Contains(r.err, "a backup of") {
		t.Fatalf("%+v", r)
	}
	_, d := running.Serve(t, fresh, nil)
	after, err := d.Outcome(ctx, o.ID, true)
	if err != nil {
		t.Fatal(err)
	}
	was, _ := json.Marshal(before)
	is, _ := json.Marshal(after)
	if !bytes.Equal(was, is) || after.Simulation.Digest != expected(t, "on-demand", 8) {
		t.Error("an outcome that was restored is another one")
	}
	jobs := func(c *client.Client) string {
		_, body := exchange{"GET", fmt.Sprintf("/api/v1/outcomes/%d/jobs?limit=50", o.ID), "", nil}.do(t, c)
		return body
	}
	again := &client.Client{Address: d.Address, Token: mira.Token}
	if list, err := again.List(ctx, document.KindScenario); err != nil || len(list) < 6 {
		t.Errorf("who was let in before: %d scenarios, %v", len(list), err)
	}
	if body := jobs(d); !strings.Contains(body, `"job"`) && !strings.Contains(body, `"id"`) {
		t.Errorf("no jobs: %.200s", body)
	}
	for n := range 3 { // of one moment: what was stored together is there together
		a, err := d.Get(ctx, document.KindScenario, fmt.Sprintf("a%d", n), 0)
		b, err2 := d.Get(ctx, document.KindScenario, fmt.Sprintf("b%d", n), 0)
		if err != nil || err2 != nil || a.Revision != b.Revision {
			t.Errorf("revision %d of a%d beside %d of b%d, %v, %v", a.Revision, n, b.Revision, n, err, err2)
		}
	}
	if page, err := d.Audit(ctx, client.WhichDeeds{Who: "mira"}, "", 10); err != nil || len(page.Items) < 2 {
		t.Errorf("the audit: %+v, %v", page, err)
	}
	if _, err := again.Audit(ctx, client.WhichDeeds{}, "", 10); !client.IsStatus(err, 403) {
		t.Error(err)
	}
}

// refusedBackups tries to restore what is none: nothing is touched.
func refusedBackups(t *testing.T, dir string, whole []byte) {
	t.Helper()
	altered := bytes.Clone(whole)
	altered[len(altered)/3] ^= 1
	newer := rewritten(t, whole, func(name string, b []byte) []byte {
		if name != "manifest.json" {
			return b
		}
		return bytes.Replace(b, []byte(`"steps": [`), []byte(`"steps": ["2031-01-01-wonders", `), 1)
	})
	other := rewritten(t, whole, func(name string, b []byte) []byte {
		if name != "tables.sql" {
			return b
		}
		return append(b, "DROP DATABASE mysql;\n"...)
	})
	for what, x := range map[string]struct {
		data []byte
		says string
	}{
		"cut in half":               {whole[:len(whole)/2], "damaged"},
		"without its last byte":     {whole[:len(whole)-1], "damaged"},
		"with a bit that fell":      {altered, "damaged"},
		"with tables of a stranger": {other, "damaged"},
		"of a newer version":        {newer, "newer version"},
		"empty":                     {nil, "no backup of ours"},
		"something else":            {[]byte("kind: Scenario\n"), "no backup of ours"},
	} {
		file, into := filepath.Join(dir, "bad.backup"), filepath.Join(dir, "never")
		if err := os.WriteFile(file, x.data, 0o600); err != nil {
			t.Fatal(err)
		}
		if r := command(t, into, "restore", file); r.status != 1 || !strings.Contains(r.err, x.says) {
			t.Errorf("one %s: %+v", what, r)
		}
		if _, err := os.Stat(into); !os.IsNotExist(err) {
			t.Errorf("one %s touched something", what)
		}
	}
}

// rewritten is an archive with other contents.
func rewritten(t *testing.T, whole []byte, change func(string, []byte) []byte) []byte {
	t.Helper()
	r, err := zip.NewReader(bytes.NewReader(whole), int64(len(whole)))
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	for _, f := range r.File {
		in, err := f.Open()
		if err != nil {
			t.Fatal(err)
		}
		b, err := io.ReadAll(in)
		if err != nil {
			t.Fatal(err)
		}
		to, err := w.Create(f.Name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := to.Write(change(f.Name, b)); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// The service backs itself up, keeps so many, and says how they stand.
func TestBackupsByItself(t *testing.T) {
	t.Parallel()
	ctx, state := context.Background(), t.TempDir()
	_, c := running.Serve(t, state, nil, "--backup-every", "24h", "--backup-keep", "2")
	eventually(t, "a backup", func() bool {
		k, err := c.Kept(ctx, 7)
		return err == nil && k.Backups.Kept == 1 && k.Backups.Last != nil && k.Backups.Bytes > 1000 && k.Backups.Failure == ""
	})
	list, err := filepath.Glob(filepath.Join(state, "backups", "*.backup"))
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	if r := command(t, filepath.Join(t.TempDir(), "x"), "restore", list[0]); r.status != 0 {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "kept"); r.status != 0 || !strings.Contains(r.out, "Backups are made every 24 h 00 min, and 2 kept: there are 1") ||
		!strings.Contains(r.out, "outcomes") {
		t.Errorf("%+v", r)
	}
	resp, body := exchange{"GET", "/metrics", "", nil}.do(t, c)
	if resp.StatusCode != 200 || !strings.Contains(body, "tachyphor_backup_last_timestamp_seconds 1") {
		t.Errorf("metrics: %d", resp.StatusCode)
	}
	if _, err := c.KeepWork(ctx, 99, wire.KeepWork{}); !client.IsStatus(err, 404) {
		t.Error(err)
	}
}
