package store_test

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"tachyphor/internal/store"
	"tachyphor/wire"
)

// every kind of work.
var every = []string{"simulation", "weighing", "preflight", "rehearsal"}

// described lists the columns and indexes of a database's tables.
func described(t *testing.T, db *sql.DB, name string) []string {
	t.Helper()
	var out []string
	for _, q := range []string{
		"SELECT CONCAT_WS(' ', table_name, column_name, column_type, is_nullable, IFNULL(column_default, '-'), extra) FROM " +
			"information_schema.columns WHERE table_schema = ?",
		"SELECT CONCAT_WS(' ', table_name, index_name, seq_in_index, column_name, non_unique) FROM information_schema.statistics " +
			"WHERE table_schema = ?",
	} {
		rows, err := db.Query(q, name)
		if err != nil {
			t.Fatal(err)
		}
		for rows.Next() {
			var line string
			if err := rows.Scan(&line); err != nil {
				t.Fatal(err)
			}
			out = append(out, line)
		}
		if err := rows.Close(); err != nil {
			t.Fatal(err)
		}
	}
	slices.Sort(out)
	return out
}

// The tables of every version that was released are brought up to date, to what a new
// database has, with all that they held; and twice is as good as once.
func TestTablesOfEveryVersion(t *testing.T) {
	ctx := context.Background()
	raw, err := sql.Open("mysql", server.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = raw.Close() }()
	fresh, err := store.Open(ctx, server.DSN("version_fresh"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	_ = fresh.Close()
	want := described(t, raw, "version_fresh")
	dumps, err := filepath.Glob("testdata/tables-*.sql")
	if err != nil || len(dumps) < 3 {
		t.Fatal(dumps, err)
	}
	for i, file := range dumps {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		name := fmt.Sprint("version_", i)
		if _, err := raw.Exec("DROP DATABASE IF EXISTS " + name); err != nil {
			t.Fatal(err)
		}
		if _, err := raw.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"); err != nil {
			t.Fatal(err)
		}
		old, err := sql.Open("mysql", server.DSN(name))
		if err != nil {
			t.Fatal(err)
		}
		for _, statement := range strings.Split(string(text), ";\n") {
			if strings.TrimSpace(statement) == "" {
				continue
			}
			if _, err := old.Exec(statement); err != nil {
				t.Fatalf("%s: %v in %s", file, err, statement)
			}
		}
		_ = old.Close()
		for range 2 {
			s, err := store.Open(ctx, server.DSN(name), quiet)
			if err != nil {
				t.Fatalf("%s: %v", file, err)
			}
			carried(t, s, file)
			_ = s.Close()
		}
		if got := described(t, raw, name); !slices.Equal(got, want) {
			for _, line := range got {
				if !slices.Contains(want, line) {
					t.Errorf("%s has %s", file, line)
				}
			}
			for _, line := range want {
				if !slices.Contains(got, line) {
					t.Errorf("%s has not %s", file, line)
				}
			}
		}
	}
}

// carried looks at what a dump held.
func carried(t *testing.T, s *store.Store, file string) {
	t.Helper()
	ctx := context.Background()
	if h, err := s.Get(ctx, "Scenario", "lean", 0); err != nil || h.Number != 2 || h.Text != "kind: Scenario # two\n" {
		t.Errorf("%s: %+v, %v", file, h, err)
	}
	o, err := s.GetWork(ctx, []string{"simulation"}, 3)
	if err != nil || o.State != wire.Done || o.Subject != "lean" || o.Gist != `{"headline":"95 % start"}` ||
		!strings.Contains(o.Question, `"recording":"r1"`) ||
		o.Asked.Nanosecond() != 250_000_000 || o.Digest != "o1" {
		t.Errorf("%s: %+v, %v", file, o, err)
	}
	if b, err := s.FindToken(ctx, "h", 0); err != nil || b.Kind != store.Local || b.May != wire.Owner || b.Person != "owner" {
		t.Errorf("%s: who was let in: %+v, %v", file, b, err)
	}
	if data, err := s.GetResult(ctx, 3); err != nil || string(data) != "result of 3" {
		t.Errorf("%s: result %q, %v", file, data, err)
	}
	list, err := s.ListWork(ctx, every, "", false, 0, 100)
	if err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, w := range list {
		said = append(said, fmt.Sprint(w.ID, " ", w.Kind, " ", w.Subject, " ", w.State))
	}
	slices.Reverse(said)
	want := []string{"3 simulation lean done", "4 simulation lean failed", "5 simulation lean running"}
	if file > "testdata/tables-2026-11-26" {
		want = append(want, "6 weighing lean done", "7 preflight compile-wide done", "8 rehearsal compile-wide running")
		w, err := s.GetWork(ctx, every, 7)
		if err != nil || w.Checkpoint == nil || !strings.Contains(*w.Checkpoint, "it answers") ||
			!strings.Contains(w.Question, `"context": "demo"`) || w.Ended == nil {
			t.Errorf("%s: %+v, %v", file, w, err)
		}
	}
	if !slices.Equal(said, want) {
		t.Errorf("%s: work %q", file, said)
	}
	if blocks, jobs, err := s.CountBlocks(ctx, 3); file > "testdata/tables-2026-11-26" && (blocks != 1 || jobs != 3 || err != nil) {
		t.Errorf("%s: %d blocks, %v", file, blocks, err)
	}
}

// raw runs a statement as the server's own user.
func raw(t *testing.T, statement string) {
	t.Helper()
	db, err := sql.Open("mysql", server.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	defer func() { _ = db.Close() }()
	if _, err := db.Exec(statement); err != nil {
		t.Fatal(err)
	}
}
