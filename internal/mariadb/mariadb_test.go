package mariadb

import (
	"context"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

func start(dir string) (*Server, error) {
	return Start(context.Background(), Options{Dir: dir, Log: quiet, Unsafe: true})
}

// A server whose files are damaged is given up early, with its own word for what is wrong
// and what to do.
func TestDamagedFiles(t *testing.T) {
	dir := t.TempDir()
	s, err := start(dir)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"ibdata1", "ib_logfile0"} {
		path := filepath.Join(dir, "data", name)
		whole, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		junk := []byte(strings.Repeat("rust", 4096))
		if err := os.WriteFile(path, append(junk, whole[len(junk):]...), 0o600); err != nil {
			t.Fatal(err)
		}
		began := time.Now()
		s, err := start(dir)
		if err == nil {
			t.Fatalf("a damaged %s is not noticed: %v", name, s.Close())
		}
		t.Logf("%s, after %s: %v", name, time.Since(began).Round(time.Second), err)
		if !strings.Contains(err.Error(), "damaged") || !strings.Contains(err.Error(), "last word: ") {
			t.Errorf("%s: %v", name, err)
		}
		if err := os.WriteFile(path, whole, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if s, err = start(dir); err != nil { // whole again
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
}

// What an installer left that was cut short does not stand in the way of the next.
func TestInstallerCutShort(t *testing.T) {
	dir := t.TempDir()
	for _, name := range []string{"data.new", "data.new123"} {
		if err := os.MkdirAll(filepath.Join(dir, name, "mysql"), 0o700); err != nil {
			t.Fatal(err)
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	if _, err := Start(ctx, Options{Dir: dir, Log: quiet, Unsafe: true}); err == nil {
		t.Error("installed in no time")
	}
	s, err := start(dir)
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Close(); err != nil {
		t.Error(err)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "data.new*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
}

func TestLastErrorIsOfTheLastStart(t *testing.T) {
	path := filepath.Join(t.TempDir(), "log")
	text := `2026-11-28  8:00:00 0 [Note] Starting MariaDB 10.11 source revision x as process 1
2026-11-28  8:00:00 0 [Note] mariadbd starting as process 1
2026-11-28  8:00:00 0 [ERROR] an old one.
2026-11-28  9:00:00 0 [Note] mariadbd starting as process 2
2026-11-28  9:00:00 0 [Warning] not this
2026-11-28  9:00:00 0 [ERROR] InnoDB: File ./ibdata1 is damaged.
2026-11-28  9:00:01 0 [ERROR] Aborting
`
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	if got := lastError(path); got != "InnoDB: File ./ibdata1 is damaged" {
		t.Errorf("%q", got)
	}
	if got := lastError(path + "not"); got != "" {
		t.Errorf("%q", got)
	}
}
