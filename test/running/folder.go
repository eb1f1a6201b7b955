package running

import (
	"context"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"tachyphor/internal/mariadb"
)

// made is a database's data folder as its first start leaves it, made once: most of what the first start of a
// service costs. The passwords in it are set anew at each start.
var made = sync.OnceValues(func() (string, error) {
	dir, err := os.MkdirTemp("", "tachyphor-data-")
	if err != nil {
		return "", err
	}
	madeIn = dir
	s, err := mariadb.Start(context.Background(), mariadb.Options{Dir: dir, Unsafe: true, Log: slog.New(slog.NewTextHandler(io.Discard, nil))})
	if err != nil {
		return dir, err
	}
	return dir, s.Close()
})

// madeIn is where it was made; empty: it was not.
var madeIn string

// prepare lays a copy of that folder into a state folder that has no database yet, in which a service with a
// database of its own is about to start.
func prepare(t testing.TB, state string, args ...string) {
	t.Helper()
	in := filepath.Join(state, "mariadb")
	if _, err := os.Stat(in); err == nil || slices.ContainsFunc(args, func(a string) bool { return strings.HasPrefix(a, "--database") }) {
		return
	}
	dir, err := made()
	if err == nil {
		err = os.MkdirAll(in, 0o700)
	}
	if err != nil {
		t.Fatal(err)
	}
	// Most of it is zeros.
	if said, err := exec.Command("cp", "-r", "--sparse=always", filepath.Join(dir, "data"), in).CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, said)
	}
}
