package soak

import (
	"encoding/json"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"tachyphor/core/outcome"
	"tachyphor/internal/store"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
)

func TestMain(m *testing.M) {
	status := m.Run()
	running.Clean()
	os.Exit(status)
}

// expected are the digests of the worlds, computed in this process.
func expected(t testing.TB) (out []string) {
	t.Helper()
	for v := range variants {
		w, err := worlds.Parse(alone(v), "")
		if err != nil {
			t.Fatal(err)
		}
		o, _, err := outcome.Simulate(w, 2, nil)
		if err != nil {
			t.Fatal(err)
		}
		b, err := json.Marshal(o)
		if err != nil {
			t.Fatal(err)
		}
		out = append(out, store.Digest(b))
	}
	return out
}

// Whatever breaks, however often: nothing that was acknowledged is lost or doubled, and outcomes are the same
// bytes. `make soak` breaks it a thousand times and prints the table.
func TestSoak(t *testing.T) {
	crashes := 3
	if text := os.Getenv("TACHYPHOR_SOAK"); text != "" {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 {
			t.Fatalf("TACHYPHOR_SOAK=%s", text)
		}
		crashes = n
	}
	r := Run(t, crashes, expected(t), uint64(time.Now().UnixNano()))
	table := r.Table()
	t.Log("\n" + table)
	if path := os.Getenv("TACHYPHOR_SOAK_TABLE"); path != "" {
		if err := os.WriteFile(path, []byte(table), 0o644); err != nil {
			t.Error(err)
		}
	}
	if r.Lost > 0 || r.Doubled > 0 || !r.Audited || len(r.Surprises) > 0 {
		t.Errorf("lost or doubled:\n%s", strings.Join(r.Surprises[:min(len(r.Surprises), 20)], "\n"))
	}
	if r.Changes < 20 || r.Simulations < 3 || r.Runs < 3 {
		t.Errorf("hardly anything was acknowledged: %+v", r.verdict)
	}
}

// Reads are answered quickly while all cores are at work, and memory stays what it is; told, not judged, for
// machines differ.
func TestLoad(t *testing.T) {
	length := 2 * time.Second
	if text := os.Getenv("TACHYPHOR_LOAD"); text != "" {
		var err error
		if length, err = time.ParseDuration(text); err != nil {
			t.Fatal(err)
		}
	}
	l := loaded(t, 200, length)
	t.Log("\n" + l.Table())
	if path := os.Getenv("TACHYPHOR_LOAD_TABLE"); path != "" {
		if err := os.WriteFile(path, []byte(l.Table()), 0o644); err != nil {
			t.Error(err)
		}
	}
	if l.Failed > 0 || len(l.Reads) < 20 {
		t.Errorf("%d reads were answered, %d came to nothing", len(l.Reads), l.Failed)
	}
}
