package program

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/test/clusters"
	"tachyphor/test/logs"
	"tachyphor/test/running"
	"tachyphor/wire"
)

// A log that somebody exported becomes a workload in one command, without a service, and
// is simulated with the second; the service makes the same of it.
func TestLearnJobs(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	s, c := running.Start(t)
	loadDemo(t, s)
	dir := t.TempDir()
	jobs := logs.Make(5, time.Date(2026, 9, 7, 0, 0, 0, 0, time.UTC), 7)
	data := bytes.ReplaceAll(logs.Export(jobs), []byte(";CUT\n"), []byte(";ABORTED\n"))
	file := filepath.Join(dir, "September export.csv")
	if err := os.WriteFile(file, data, 0o600); err != nil {
		t.Fatal(err)
	}

	r := command(t, dir, "learn", "jobs", file, "--zone", "Europe/Oslo", "--dates", "day-first")
	for _, want := range []string{
		"september-export", "Runner Tags", "wants", "D.M.YYYY hh:mm:ss", "fields separated by semicolons", "hull-firmware", "arm-cross cxx linux",
		"jobs cut: they come as recorded; how long they would have worked is drawn",
	} {
		if r.status != 0 || !strings.Contains(r.out, want) {
			t.Errorf("no %q in %+v", want, r)
		}
	}
	if list, _ := filepath.Glob(filepath.Join(dir, "*.yaml")); len(list) > 0 {
		t.Errorf("written without being asked: %v", list)
	}
	mine := filepath.Join(dir, "mine")
	r = command(t, dir, "learn", "jobs", file, "--zone", "Europe/Oslo", "--name", "ours", "--write", mine, "-q", "-o", "json")
	var got wire.LearnedJobs
	if err := json.Unmarshal([]byte(r.out), &got); err != nil || r.status != 0 || got.Name != "ours" || len(got.Classes) != 3 {
		t.Fatalf("%v %+v", err, r)
	}
	r = command(t, dir, "learn", "jobs", file, "--name", "ours", "--write", mine, "-q")
	if r.status != 1 || !strings.Contains(r.err, "already exists") {
		t.Errorf("%+v", r)
	}
	first := filepath.Join(dir, "first")
	r = command(t, dir, "learn", "jobs", file, "--zone", "Europe/Oslo", "--name", "ours", "--write", first, "--node", "16,64Gi,0.74", "-q")
	if r.status != 0 {
		t.Fatalf("%+v", r)
	}
	r = command(t, dir, "simulate", filepath.Join(first, "ours-first.yaml"), "--here", "-q")
	if r.status != 0 || !strings.Contains(r.out, "95 % of") {
		t.Fatalf("%+v", r)
	}
	r = command(t, dir, "doubt", filepath.Join(first, "ours-first.yaml"), "-q")
	if r.status != 0 || !strings.Contains(r.out, "pools.agents.boot") || !strings.Contains(r.out, "never measured") || !strings.Contains(r.out, "Measure ") {
		t.Fatalf("%+v", r)
	}
	// By manifests as they are: what they do not say is assumed and told, and it can be simulated at once.
	manifest, own := filepath.Join(dir, "agents.yaml"), filepath.Join(dir, "own")
	if err := os.WriteFile(manifest, []byte(`
apiVersion: apps/v1
kind: Deployment
metadata: {name: builders, namespace: slipway}
spec:
  selector: {matchLabels: {app: builders}}
  template:
    metadata: {labels: {app: builders}}
    spec: {containers: [{name: agent, image: "registry.brinewell.example/agent:7", resources: {requests: {cpu: "3", memory: 6Gi}}}]}
`), 0o600); err != nil {
		t.Fatal(err)
	}
	r = command(t, dir, "learn", "jobs", file, "--zone", "Europe/Oslo", "--name", "ours", "--write", own, "--manifest", manifest, "-q")
	if r.status != 0 || !strings.Contains(r.err, "Assumed, until you say or measure it:\n- ") || strings.Contains(r.err, "get no template") {
		t.Fatalf("%+v", r)
	}
	r = command(t, dir, "simulate", filepath.Join(own, "ours-first.yaml"), "--here", "-q", "--repeats", "2")
	if r.status != 0 || !strings.Contains(r.out, "Jobs start after") || !strings.Contains(r.out, "template builders") {
		t.Fatalf("%+v", r)
	}
	empty := filepath.Join(dir, "config.yaml")
	if err := os.WriteFile(empty, []byte("apiVersion: v1\nkind: ConfigMap\nmetadata: {name: nothing}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	for says, args := range map[string][]string{
		"go with --write":                     {"--manifest", manifest},
		"no templates in ":                    {"--write", filepath.Join(dir, "none"), "--manifest", empty},
		"does not have enough; name a larger": {"--write", filepath.Join(dir, "none"), "--manifest", manifest, "--node", "2,4Gi,0.10"},
		"no such file":                        {"--write", filepath.Join(dir, "none"), "--manifest", filepath.Join(dir, "missing.yaml")},
	} {
		r := command(t, dir, append([]string{"learn", "jobs", file, "--zone", "Europe/Oslo", "--name", "ours", "-q"}, args...)...)
		if r.status == 0 || !strings.Contains(r.err, says) {
			t.Errorf("%v: %+v", args, r.err)
		}
	}
	if _, err := os.Stat(filepath.Join(dir, "none")); err == nil {
		t.Error("something was written though the manifest was refused")
	}
	scenario := filepath.Join(mine, "try.yaml")
	onDemand, err := c.Get(ctx, document.KindScenario, "on-demand", 0)
	if err != nil {
		t.Fatal(err)
	}
	text := strings.ReplaceAll(onDemand.Text, "workload: week-38", "workload: ours")
	text = strings.ReplaceAll(text, "name: on-demand", "name: try")
	if err := os.WriteFile(scenario, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	r = command(t, dir, "simulate", scenario, "--here", "--with", filepath.Join("..", "..", "demo"), "--repeats", "2", "-q")
	if r.status != 0 || !strings.Contains(r.out, "95 %") {
		t.Fatalf("%+v", r)
	}

	// The service: shown first, then stored, the same as here.
	post := func(query string, body []byte) (int, wire.LearnedJobs) {
		t.Helper()
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.Address+"/api/v1/learn/jobs?"+query, bytes.NewReader(body))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Authorization", "Bearer "+c.Token)
		req.Header.Set("Content-Type", "application/octet-stream")
		resp, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		defer func() { _ = resp.Body.Close() }()
		raw, err := io.ReadAll(resp.Body)
		if err != nil {
			t.Fatal(err)
		}
		var l wire.LearnedJobs
		if resp.StatusCode == http.StatusOK {
			if err := json.Unmarshal(raw, &l); err != nil {
				t.Fatal(err)
			}
		}
		return resp.StatusCode, l
	}
	status, there := post("zone=Europe/Oslo&name=ours", data)
	if status != 200 || there.Workload != got.Workload || there.Stored != nil || there.Refused != "" {
		t.Fatalf("%d %+v", status, there.Refused)
	}
	status, there = post("zone=Europe/Oslo&column=submitted=Queued&column=work=-&into=theirs", data)
	if status != 200 || there.Stored == nil || there.Stored.Revision != 1 {
		t.Fatalf("%d %+v", status, there)
	}
	if d, err := c.Get(ctx, document.KindWorkload, "theirs", 0); err != nil || !strings.Contains(d.Text, "digest: ") {
		t.Fatalf("%v %+v", err, d)
	}
	state := t.TempDir()
	r = command(t, state, "learn", "jobs", file, "--zone", "Europe/Oslo", "--into", "theirs", "-q", "--server", c.Address, "--token", c.Token)
	if r.status != 0 || !strings.Contains(r.err, "theirs is revision") {
		t.Errorf("%+v", r)
	}
	// What cannot be settled is told with what was understood, and nothing is stored.
	status, there = post("into=never", bytes.ReplaceAll(data, []byte(";DONE\n"), []byte(";FINE-ISH\n")))
	if status != 200 || !strings.Contains(there.Refused, `"FINE-ISH"`) || len(there.Columns) != 8 || there.Stored != nil {
		t.Errorf("%d %+v", status, there)
	}
	for _, query := range []string{"zone=Nowhere/City", "result=x=y", "header=perhaps", "columns=x"} {
		if status, _ := post(query, []byte("a,b\n")); status != 422 {
			t.Errorf("%s: %d", query, status)
		}
	}
	if _, err := c.Get(ctx, document.KindWorkload, "never", 0); err == nil {
		t.Error("it is stored")
	}
}

// What a cluster's API gives becomes a Cluster without a service, and changes of one that is
// there; what somebody wrote by hand stays.
func TestLearnCluster(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	truth, data := clusters.Make(7)
	records, prices := filepath.Join(dir, "records.json"), filepath.Join(dir, "prices.csv")
	table := "type,price,spot\n"
	for i, p := range truth.Pools {
		table += fmt.Sprintf("%s,0.%d9,0.0%d\n", p.Type, i+1, i+1)
	}
	for file, text := range map[string]string{records: string(data), prices: table} {
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	mine := filepath.Join(dir, "mine")
	r := command(t, dir, "learn", "cluster", records, "--prices", prices, "--max", truth.Pools[0].Name+"=99", "--name", "north",
		"--write", mine)
	for _, want := range []string{
		"pools." + truth.Pools[0].Name + ".boot", "from asking for a node to its being ready",
		"links.registry.perFlow", "agents.join",
	} {
		if r.status != 0 || !strings.Contains(strings.Join(strings.Fields(r.out), " "), want) {
			t.Errorf("no %q in %+v", want, r)
		}
	}
	file := filepath.Join(mine, "north.yaml")
	text, err := os.ReadFile(file)
	if err != nil || !strings.Contains(string(text), "max: 99") || !strings.Contains(string(text), "price: 0.19/h") ||
		!strings.Contains(string(text), "spotPrice: 0.01/h") {
		t.Fatalf("%v %s", err, text)
	}
	r = command(t, dir, "check", file)
	if r.status != 0 || !strings.Contains(r.out, "pools."+truth.Pools[0].Name+".boot") || !strings.Contains(r.out, "measured 2026-09-14") {
		t.Errorf("%+v", r)
	}
	mended := strings.Replace(string(text), "agents: {start: {", "agents: {join: 4s, start: {", 1)
	if err := os.WriteFile(file, []byte(mended), 0o600); err != nil {
		t.Fatal(err)
	}
	_, other := clusters.Make(7)
	later := filepath.Join(dir, "later.json")
	if err := os.WriteFile(later, bytes.ReplaceAll(other, []byte("2.6s"), []byte("2.7s")), 0o600); err != nil {
		t.Fatal(err)
	}
	if r := command(t, dir, "learn", "cluster", later, "--onto", file); r.status != 0 || !strings.Contains(r.err, "Nothing to change") {
		t.Errorf("%+v", r)
	}
	byHand := strings.Replace(mended, "fact: agents.start", "fact: somewhere.else", 1)
	at := strings.Index(byHand, "start: {")
	byHand = byHand[:at] + "start: 30s}" + byHand[at+strings.Index(byHand[at:], "}}")+2:]
	if err := os.WriteFile(file, []byte(byHand), 0o600); err != nil {
		t.Fatal(err)
	}
	r = command(t, dir, "check", file, "--records", later)
	if r.status != 0 || !strings.Contains(r.out, "records say otherwise: ") || !strings.Contains(r.out, "Newer records say otherwise of 1 fact.") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "learn", "cluster", later, "--onto", file); r.status != 0 || !strings.Contains(r.out, "stays: by hand") {
		t.Errorf("%+v", r)
	}
	if r := command(t, dir, "learn", "cluster", later, "--onto", file, "--all"); r.status != 0 || !strings.Contains(r.err, "is rewritten") {
		t.Errorf("%+v", r)
	}
	if now, err := os.ReadFile(file); err != nil || strings.Contains(string(now), "start: 30s") || !strings.Contains(string(now), "join: 4s") ||
		!strings.Contains(string(now), "# Learned from the records") {
		t.Errorf("%v %s", err, now)
	}
	for args, says := range map[string]string{
		"": "or ask it with --live", records + " --for 2h": "go with --live", "--live --for 200h": "expected a time up to 168h", records + " --live": "one of the two", prices: "not a Kubernetes object", records + " --price cores-4=dear": "is not a price for",
		records + " --max core=0": "a number of nodes", records + " --pool-label nothing": "no node has the label nothing",
	} {
		if r := command(t, dir, append([]string{"learn", "cluster"}, strings.Fields(args)...)...); r.status == 0 ||
			!strings.Contains(r.err, says) {
			t.Errorf("%q: %+v", args, r)
		}
	}
}

// A pod that is stuck is explained from what somebody wrote down of it.
func TestWhy(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	file := filepath.Join(dir, "dump.yaml")
	const dump = `apiVersion: v1
kind: List
items:
- kind: Pod
  metadata: {name: compile-wide-a1, namespace: slipway, generateName: compile-wide-, creationTimestamp: "2026-09-14T06:00:00Z"}
  spec: {nodeName: burst-1, containers: [{name: agent, image: "wide:1"}]}
  status:
    conditions: [{type: PodScheduled, status: "True", lastTransitionTime: "2026-09-14T06:02:00Z"}]
    containerStatuses: [{name: agent, image: "wide:1", state: {waiting: {reason: ImagePullBackOff, message: not found}}}]
- kind: Pod
  metadata: {name: compile-wide-b2, namespace: slipway, creationTimestamp: "2026-09-14T06:00:00Z"}
  spec: {nodeName: burst-1, containers: [{name: agent, image: "wide:2"}]}
  status: {containerStatuses: [{name: agent, image: "wide:2", state: {running: {startedAt: "2026-09-14T06:00:09Z"}}}]}
- kind: Event
  metadata: {name: e1, namespace: slipway}
  involvedObject: {kind: Pod, name: compile-wide-a1, namespace: slipway}
  reason: Failed
  message: manifest unknown
  lastTimestamp: "2026-09-14T06:20:00Z"
`
	if err := os.WriteFile(file, []byte(dump), 0o600); err != nil {
		t.Fatal(err)
	}
	for args, want := range map[string]struct {
		status int
		out    string
	}{
		"":                             {1, "slipway/compile-wide-a1 The image of agent, wide:1, cannot be pulled: not found."},
		"compile-wide-a1":              {1, "See whether the name and tag are right"},
		"compile-wide-b2":              {0, "It has been at work for 19 min 51 s."},
		"compile-wide-b2 -n elsewhere": {1, "there is no pod compile-wide-b2"},
	} {
		r := command(t, dir, append([]string{"why", "-f", file}, strings.Fields(args)...)...)
		if said := strings.Join(strings.Fields(r.out+r.err), " "); r.status != want.status || !strings.Contains(said, want.out) {
			t.Errorf("%q: %+v", args, r)
		}
	}
}
