package service_test

import (
	"archive/zip"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"testing"

	"tachyphor/client"
	"tachyphor/internal/kube"
	"tachyphor/internal/service"
	"tachyphor/internal/store"
)

// A backup of an earlier version is restored, and its tables brought up to date.
func TestRestoreOfAnEarlierVersion(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	tables, err := os.ReadFile("../store/testdata/tables-2026-11-29-drift.sql")
	if err != nil {
		t.Fatal(err)
	}
	var steps []string // those that there were then
	for _, s := range store.StepNames() {
		if steps = append(steps, s); s == "2026-11-29-drift" {
			break
		}
	}
	if len(steps) == len(store.StepNames()) {
		t.Fatal("there is no newer version")
	}
	key := []byte("a key that is long enough to sign events with")
	digest := func(b []byte) string { s := sha256.Sum256(b); return hex.EncodeToString(s[:]) }
	manifest, err := json.Marshal(map[string]any{
		"format": 1, "version": "earlier", "engine": 4, "at": "2026-11-29T10:00:00Z", "steps": steps,
		"digests": map[string]string{"tables.sql": digest(tables), "tell.key": digest(key)},
	})
	if err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, "earlier.backup")
	f, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	z := zip.NewWriter(f)
	for _, x := range []struct {
		name string
		data []byte
	}{{"tables.sql", tables}, {"tell.key", key}, {"manifest.json", manifest}} {
		w, err := z.Create(x.name)
		if err == nil {
			_, err = w.Write(x.data)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	if err := f.Close(); err != nil {
		t.Fatal(err)
	}
	c := service.Config{
		State: filepath.Join(dir, "state"), Address: "127.0.0.1:0", Version: "test", Unsafe: true, Cluster: kube.Options{Kubeconfig: os.DevNull},
		Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
	}
	if m, err := service.Restore(ctx, c, file); err != nil || m.Version != "earlier" {
		t.Fatal(m, err)
	}
	if b, err := os.ReadFile(filepath.Join(c.State, "tell.key")); err != nil || string(b) != string(key)+"\n" {
		t.Errorf("the key: %q, %v", b, err)
	}
	s, err := service.Start(ctx, c)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	as := &client.Client{Address: s.Access.Address, Token: s.Access.Token}
	if d, err := as.Get(ctx, "Scenario", "lean", 0); err != nil || d.Revision != 2 {
		t.Errorf("%+v, %v", d, err)
	}
	if people, err := as.People(ctx); err != nil || len(people) != 1 || people[0].Role != "owner" {
		t.Errorf("%+v, %v", people, err)
	}
}
