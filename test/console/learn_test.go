package console

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/test/logs"
	"tachyphor/test/running"
)

// Someone with an export of their job system: what it says is understood but for a word,
// which is told; a column is told otherwise; the week and the classes are looked at; and it
// is stored.
func TestLearn(t *testing.T) {
	s, c := running.Start(t)
	q := sit(t, s, s.Link, 1280, 800, false)
	q.see("main h2")
	q.must(q.p.Press("l"))
	q.must(q.p.Until(`location.pathname === "/learn"`))
	jobs := logs.Make(5, time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC), 14)
	data := bytes.ReplaceAll(logs.Export(jobs), []byte(";CUT\n"), []byte(";WOBBLY\n"))
	file := filepath.Join(t.TempDir(), "Export of September.csv")
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}
	q.must(q.p.Upload("#log", file))
	q.see("#refused")
	q.must(q.p.Type("#zone", "Europe/Oslo"))
	q.must(q.p.Press("\t"))
	q.reads("#columns", "Queued")
	q.reads("#refused", `what does "WOBBLY" mean`)
	q.reads("#columns", "Queued", "D.M.YYYY hh:mm:ss", "[arm-cross,cxx,linux]")
	q.must(q.p.Type("#words", "wobbly=cut"))
	q.must(q.p.Press("\t"))
	q.reads("#jobs", "jobs from 2026-09-07")
	q.reads("main", "cut: they come as recorded", "hull-firmware", "arm-cross cxx linux", "log-normal", "semicolons", "at most")
	q.must(q.p.Choose(`[aria-label="what Runner Tags says"]`, ""))
	q.must(q.p.Until(`!document.querySelector("main").innerText.includes("arm-cross cxx linux")`))
	q.must(q.p.Choose(`[aria-label="what Runner Tags says"]`, "wants"))
	q.reads("main", "arm-cross cxx linux")
	q.must(q.p.Type("#name", "september"))
	q.click("#store")
	q.reads(`[role="status"]`, "september is stored as revision 1")
	d, err := c.Get(context.Background(), document.KindWorkload, "september", 0)
	if err != nil || !strings.Contains(d.Text, "hull-firmware") || !strings.Contains(d.Text, "zone: Europe/Oslo") {
		t.Errorf("%v %s", err, d.Text)
	}
	q.quiet()
}
