package console

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/test/logs"
	"tachyphor/test/running"
)

// deployment is how many have their agents today: no pod template, no offers, labels of nodes.
const deployment = `apiVersion: apps/v1
kind: Deployment
metadata: {name: berth-agents, namespace: slipway}
spec:
  replicas: 6
  selector: {matchLabels: {app: berth}}
  template:
    metadata: {labels: {app: berth}}
    spec:
      nodeSelector: {tier: builds}
      containers:
        - name: agent
          image: images.brinewell.example/agents/berth:7
          resources: {requests: {cpu: "3", memory: 7Gi}, limits: {memory: 7Gi}}
`

// The first ten minutes of somebody who has a log of jobs and a manifest and has read nothing: from an empty service to
// a first outcome, why a job waited, a change tried at once, both compared, and what is to be done next.
func TestFirstTenMinutes(t *testing.T) {
	t.Parallel()
	s, c := running.Start(t)
	q := sit(t, s, running.Link(t, s), 1280, 800, false)
	q.reads("main", "Nothing here yet", "in about two minutes", "Nothing is known yet")
	q.click("#begin")
	q.reads("main", "Begin with your jobs and a manifest", "A log of jobs is needed first")
	jobs := logs.Make(3, time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC), 7)
	dir := t.TempDir()
	put := func(name string, data []byte) {
		t.Helper()
		file := filepath.Join(dir, name)
		if err := os.WriteFile(file, data, 0o600); err != nil {
			t.Fatal(err)
		}
		q.must(q.p.Upload("#log", file))
	}
	// What is no log, and a log that leaves something open, are told; so is what is no manifest.
	put("letter.txt", []byte("Dear all,\n\nno jobs today.\n"))
	q.see("#jobs-step [role=alert], #jobs-step .border-warning")
	put("Runs of September.csv", logs.Export(jobs))
	q.reads("#jobs-step", `what does "CUT" mean`, "Say what its columns mean")
	put("Runs of September.csv", bytes.ReplaceAll(logs.Export(jobs), []byte(";CUT\n"), []byte(";FAILED\n")))
	q.reads("#jobs-step", "jobs from", "classes", "which want", "cxx")
	q.must(q.p.Type("#manifests", "kind: Nothing"))
	q.see("#manifest-step [role=alert]")
	q.must(q.p.Paste("#manifests", deployment))
	q.reads("#manifest-step", "berth-agents, out of a Deployment: requests 3 CPU, 7 GiB", "was given all that your jobs want")
	q.reads("#assumed", "nodes of 8 CPU", "EUR 0.40 an hour", "each image has 1 GB")
	// A node that is too small is told; one that is named is not assumed.
	for field, with := range map[string]string{"#cpu": "2", "#memory": "4Gi", "#price": "0.11"} {
		q.must(q.p.Type(field, with))
	}
	q.reads("#manifest-step", "name a larger node")
	q.must(q.p.Type("#cpu", "16"))
	q.must(q.p.Type("#memory", "64Gi"))
	q.must(q.p.Until(`!document.querySelector("#assumed")?.innerText.includes("nodes of")`))
	q.reads("main", "Stores workload runs-of-september, berth-agents and scenario runs-of-september-first")
	if list, err := c.List(context.Background(), ""); err != nil || len(list) > 0 {
		t.Errorf("stored before it was asked for: %v, %v", list, err)
	}
	q.click("#simulate")
	q.must(q.p.Until(`location.pathname.startsWith("/outcomes/")`))
	q.reads("#headline", "a month")
	q.click("tbody button.link")
	q.reads("#explanation", "It")

	// Back at the Desk: what is known, what is not, what next.
	q.goTo("/")
	q.reads("#path", "1. Connect", "No connection to a cluster has been tested", "berth-agents", "classes of jobs get a template", "How sure: None of")
	q.must(q.p.Until(`document.querySelector("#path [aria-current=step] [aria-label=missing], #path [aria-current=step] [aria-label='to do']") !== null`))
	q.click("#fold")
	q.must(q.p.Until(`document.querySelectorAll("#path li").length === 1`))
	q.click("#fold")
	q.click(`a[href="/scenarios/runs-of-september-first"]`)
	q.must(q.p.Type("#field-templates-0-agents-spare", "4"))
	q.reads("#glance", "now", "as stored")
	q.click("#simulate")
	q.must(q.p.Until(`location.pathname === "/outcomes/2"`))
	q.reads("#headline", "a month")
	q.click(`a[href="/compare?ids=1,2"]`)
	q.reads("main", "instead of")
	d, err := c.Get(context.Background(), document.KindCluster, "runs-of-september-cluster", 0)
	if err != nil || d.Revision != 1 {
		t.Errorf("%v %s", err, d.Text)
	}
	q.goTo("/start")
	q.reads("#nodes-step", "one to begin with", "runs-of-september-cluster")
}
