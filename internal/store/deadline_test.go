package store_test

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"tachyphor/internal/mariadb"
	"tachyphor/internal/store"
)

// A database that hangs is an error in seconds, for reads and for writes, and once it
// goes on so does everything.
func TestHungDatabase(t *testing.T) {
	ctx, dir := context.Background(), t.TempDir()
	db, err := mariadb.Start(ctx, mariadb.Options{Dir: dir, Log: quiet, Unsafe: true})
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	s, err := store.Open(ctx, db.DSN("x"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = s.Close() }()
	put := func() error {
		_, _, err := s.PutAll(ctx, "me", []store.Draft{{Kind: "Scenario", Name: "s", Digest: "1", Text: "t"}})
		return err
	}
	if err := put(); err != nil {
		t.Fatal(err)
	}
	b, err := os.ReadFile(filepath.Join(dir, "run", "db.pid"))
	if err != nil {
		t.Fatal(err)
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	for stopped := false; !stopped; { // all of it, so that nothing gets half through
		stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
		if err != nil {
			t.Fatal(err)
		}
		_, rest, _ := strings.Cut(string(stat), ") ")
		stopped = strings.HasPrefix(rest, "T")
	}
	ended := make(chan error, 8)
	began := time.Now()
	for range 3 {
		go func() {
			_, err := s.Get(ctx, "Scenario", "s", 0)
			ended <- err
		}()
		go func() { ended <- put() }()
	}
	for range 6 {
		select {
		case err := <-ended:
			if !errors.Is(err, store.ErrSilent) {
				t.Errorf("the error is %v", err)
			}
		case <-time.After(2 * time.Minute):
			t.Error("hangs with the database")
		}
	}
	t.Logf("after %s", time.Since(began))
	if err := syscall.Kill(pid, syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	for range 100 {
		if err = put(); err == nil {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	if err != nil {
		t.Error(err)
	}
}
