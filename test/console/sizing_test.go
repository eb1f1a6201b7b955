package console

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/demo"
	"tachyphor/test/running"
)

// loadUsage takes in what the demo's agents used.
func loadUsage(t *testing.T, c *client.Client) {
	t.Helper()
	list, err := demo.DrawUsage()
	if err != nil {
		t.Fatal(err)
	}
	for _, u := range list {
		r, err := c.PutRecording(context.Background(), bytes.NewReader(u.Jobs), nil, false)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := c.PutUsage(context.Background(), u.Template, "test", r.Digest, bytes.NewReader(u.Samples)); err != nil {
			t.Fatal(err)
		}
	}
}

// From a file of samples to a revision: take usage in, read the advice, ask for less
// stretch, try it in a scenario, see the change, make it.
func TestSizing(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t, demoWorld)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.see("main h2")
	list, err := demo.DrawUsage()
	if err != nil {
		t.Fatal(err)
	}
	u := list[1]
	dir := t.TempDir()
	samples, jobs := filepath.Join(dir, "usage.csv"), filepath.Join(dir, "jobs.csv")
	for file, data := range map[string][]byte{samples: u.Samples, jobs: u.Jobs} {
		if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	q.goTo("/templates/" + u.Template)
	q.click(`a[href$="?view=sizing"]`)
	q.reads("main", "Nothing is known yet", "tachyphor observe small-steady")
	q.must(q.p.Upload("#samples", samples))
	q.must(q.p.Upload("#jobs", jobs))
	q.click("#take-in")
	q.reads("#headline", "instead of 2 and 6 GiB", "less for a run")
	q.reads("main", "99 % of runs stay below", "1,680 runs", "matched with the job log", "relay-gateway", "shore-desk", "stranded",
		"Other shares of runs")
	q.must(q.p.Until(`document.querySelectorAll("main canvas").length === 3`))
	// Every question is a part of the address, and changes the answer.
	before, err := q.p.Text("#headline")
	q.must(err)
	q.must(q.p.Choose("#stretch", "1"))
	q.must(q.p.Until(`location.search.includes("stretch=1")`))
	q.must(q.p.Until(`document.querySelector("#headline").innerText.replace(/\s+/g, " ") !== ` + "`" + before + "`"))
	q.goTo("/templates/small-steady?view=sizing&class=relay-gateway&share=0.95")
	q.reads("#headline", "Request ")
	q.reads("main", "95 % of runs stay below", "From 840 runs")
	q.must(q.p.Until(`document.querySelector("#class").value === "relay-gateway"`))

	q.goTo("/templates/small-steady?view=sizing")
	q.must(q.p.Choose("main label select.select-sm:not([id])", "weekday-lean"))
	q.click("#try")
	q.see("#tried")
	q.click("#look")
	q.reads("[data-diff]", "memory: 6Gi", "tachyphor/sized")
	q.click("#apply")
	q.reads("main", "Stored as revision 2", "nothing to change")
	d, err := c.Get(context.Background(), document.KindPodTemplate, "small-steady", 0)
	if err != nil || d.Revision != 2 || !strings.Contains(d.Text, "tachyphor/sized") {
		t.Errorf("%v %+v", err, d)
	}
	q.click("#tried")
	q.reads("main", "weekday-lean, changed", "cost a month")

	// What is wrong with a file is said, and what was known stays.
	bad := filepath.Join(dir, "bad.csv")
	if err := os.WriteFile(bad, []byte("pod,at,memori\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	q.goTo("/templates/small-steady?view=sizing")
	q.see("#verdict")
	q.must(q.p.Upload("#samples", bad))
	q.click("#take-in")
	q.reads(`[role="alert"]`, `did you mean "memory"`)

	// With a second cluster it is weighed on that of a scenario which uses the template,
	// and the other can be chosen.
	second, err := demo.World.ReadFile("cluster.yaml")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Put(context.Background(), "", []byte(strings.Replace(string(second), "name: brinewell-north", "name: a-second", 1)),
		false); err != nil {
		t.Fatal(err)
	}
	q.goTo("/templates/small-steady?view=sizing")
	q.see("#verdict")
	q.must(q.p.Until(`document.querySelector("#cluster").value === "brinewell-north"`))
	q.must(q.p.Choose("#cluster", "a-second"))
	q.must(q.p.Until(`location.search.includes("cluster=a-second")`))
	q.see("#verdict")
	q.quietBut("422")
}
