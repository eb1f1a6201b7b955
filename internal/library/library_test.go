package library

import (
	"context"
	"database/sql"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/internal/mariadb"
	"tachyphor/internal/store"
)

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// library opens a library on a database of the test's own, and returns how many questions
// that was asked so far.
func library(t *testing.T) (*Library, *store.Store, func() int) {
	t.Helper()
	ctx := context.Background()
	db, err := mariadb.Start(ctx, mariadb.Options{Dir: t.TempDir(), Log: quiet, Unsafe: true})
	if err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(ctx, db.DSN("x"), quiet)
	if err != nil {
		t.Fatal(err)
	}
	watch, err := sql.Open("mysql", db.DSN(""))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_, _ = s.Close(), watch.Close()
		_ = db.Close()
	})
	return NewLibrary(s, t.TempDir()), s, func() int {
		var name string
		var n int
		if err := watch.QueryRowContext(ctx, "SHOW GLOBAL STATUS LIKE 'Questions'").Scan(&name, &n); err != nil {
			t.Fatal(err)
		}
		return n
	}
}

func put(t *testing.T, s *store.Store, text string) {
	t.Helper()
	docs, faults := document.Parse("f", []byte(text))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	var drafts []store.Draft
	for _, d := range docs {
		drafts = append(drafts, store.Draft{Kind: d.Kind, Name: d.Name, Digest: d.Digest, Text: d.Text})
	}
	if _, _, err := s.PutAll(context.Background(), "me", drafts); err != nil {
		t.Fatal(err)
	}
}

// A list of scenarios takes as many queries as one of them does, and a text that was
// written again, saying the same, is seen.
func TestListsTakeAConstantNumberOfQueries(t *testing.T) {
	ctx := context.Background()
	l, s, questions := library(t)
	text := "apiVersion: tachyphor/v1\nkind: Workload\nmetadata: {name: w}\nspec: {start: 2026-09-01T00:00:00Z, classes: " +
		"[{name: k, wants: [x], work: {median: 1m, p95: 2m}, arrivals: {hours: [{when: \"Mon-Sun 00:00-24:00\", perHour: 1}]}}]}\n"
	for i := range 80 {
		text += fmt.Sprintf("---\n# first\napiVersion: tachyphor/v1\nkind: Scenario\nmetadata: {name: s%02d}\nspec: {cluster: "+
			"c%d, workload: w, templates: [{template: t%d}]}\n", i, i%7, i)
	}
	put(t, s, text)
	asked := func(n int) int {
		list, err := s.List(ctx, document.KindScenario, "", "", n)
		if err != nil || len(list) != n {
			t.Fatalf("%d, %v", len(list), err)
		}
		before := questions()
		all, err := l.PinAll(ctx, list)
		if err != nil {
			t.Fatal(err)
		}
		if len(all[n-1].Faults) != 2 { // no cluster, no template
			t.Errorf("%v", all[n-1].Faults)
		}
		return questions() - before
	}
	one, many, again := asked(1), asked(80), asked(80)
	if many > one || again >= many {
		t.Errorf("%d questions for one scenario, %d for eighty, %d for those again", one, many, again)
	}
	put(t, s, strings.Replace(text, "# first", "# second", 1))
	list, err := s.List(ctx, document.KindScenario, "", "", 1)
	if err != nil {
		t.Fatal(err)
	}
	docs, err := l.Read(ctx, list)
	if err != nil || docs[0].Note() != "second" || list[0].Number != 1 {
		t.Errorf("%+v, %v", docs, err)
	}
}

// A recording goes into the database in pieces and comes out as it went in; those of
// earlier versions, in one, are still read; memory does not hold the file.
func TestRecordingsInPieces(t *testing.T) {
	ctx := context.Background()
	l, s, _ := library(t)
	var file strings.Builder
	file.WriteString("id,class,submitted,work\n")
	long := strings.Repeat("x", 100)
	rows := 0
	for ; file.Len() < 3*pieceBytes+1000; rows++ {
		fmt.Fprintf(&file, "%s-%d,k,2026-09-14T08:00:00Z,%ds\n", long, rows, 1+rows%100)
	}
	digest, r, err := l.Keep(ctx, strings.NewReader(file.String()), nil, false)
	if err != nil || r.Len() != rows {
		t.Fatalf("%v", err)
	}
	stored, err := s.GetRecording(ctx, digest)
	if err != nil || stored.Pieces != 4 || len(stored.Data) > 0 {
		t.Errorf("%d pieces, %v", stored.Pieces, err)
	}
	src, err := l.open(ctx, stored)
	if err != nil {
		t.Fatal(err)
	}
	if b, err := io.ReadAll(src); err != nil || string(b) != file.String() {
		t.Errorf("%d bytes came out, %v", len(b), err)
	}
	if again, err := l.Recording(ctx, &document.Recorded{Digest: digest}); err != nil || again.Len() != rows {
		t.Errorf("%v", err)
	}
	old := "id,class,submitted,work\na,k,2026-09-14T08:00:00Z,60s\n"
	if err := s.PutRecording(ctx, store.Recording{Digest: store.Digest([]byte(old)), Jobs: 1, Data: store.Pack([]byte(old))}); err != nil {
		t.Fatal(err)
	}
	if r, err := l.Recording(ctx, &document.Recorded{Digest: store.Digest([]byte(old))}); err != nil || r.Len() != 1 {
		t.Errorf("of an earlier version: %v", err)
	}
	if left, err := os.ReadDir(l.folder); err != nil || len(left) > 0 {
		t.Errorf("files are left on their way: %v, %v", left, err)
	}
	if _, _, err := l.Keep(ctx, io.MultiReader(strings.NewReader(old), &failing{}), nil, false); err == nil {
		t.Error("a file that broke off is kept")
	}
}

type failing struct{}

func (*failing) Read([]byte) (int, error) {
	time.Sleep(time.Millisecond)
	return 0, io.ErrUnexpectedEOF
}
