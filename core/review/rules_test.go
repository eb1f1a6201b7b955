package review_test

import (
	"flag"
	"fmt"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/shelf"
	"tachyphor/core/units"

	"sigs.k8s.io/yaml"
)

var update = flag.Bool("update", false, "write docs/findings.md anew")

// base is what the examples of the rules are laid over: a template of which the
// rules have nothing to say, and what stands around it.
const base = `apiVersion: v1
kind: PodTemplate
metadata:
  name: small-steady
  namespace: slipway
  annotations: {tachyphor/offers: "linux, web, go"}
template:
  metadata: {labels: {app: slipway-agent}}
  spec:
    restartPolicy: Never
    automountServiceAccountToken: false
    containers:
      - name: agent
        image: images.brinewell.example/agents/steady:2026.9
        workingDir: /workspace
        env: [{name: CONTROLLER_URL, value: "http://dispatch.slipway.svc:8080"}]
        resources: {requests: {cpu: "2", memory: 6Gi, ephemeral-storage: 8Gi}, limits: {memory: 6Gi}}
        volumeMounts: [{name: workspace, mountPath: /workspace}]
    volumes: [{name: workspace, emptyDir: {sizeLimit: 8Gi}}]
---
apiVersion: v1
kind: PodTemplate
metadata: {name: take-all, namespace: slipway, annotations: {tachyphor/offers: "linux, web, go, rust"}}
template: {spec: {containers: [{name: agent, image: "images.brinewell.example/agents/steady:2026.9"}]}}
---
apiVersion: tachyphor/v1
kind: Cluster
metadata: {name: north}
spec:
  nodeTypes:
    - {name: octo-64, cpu: 8, memory: 64Gi, disk: 120Gi, price: 0.47/h, spotPrice: 0.157/h, reserved: {cpu: 300m, memory: 3600Mi, disk: 12Gi}}
  pools:
    - {name: core, nodeType: octo-64, max: 4}
    - {name: burst-spot, nodeType: octo-64, max: 4, spot: {perHour: 0.08, notice: 2m}, taints: [{key: brinewell.example/spot, effect: NoSchedule}]}
  images:
    - {name: "images.brinewell.example/agents/steady:2026.9", size: 640MB, tools: [git, go, node], user: 1000}
    - {name: "images.brinewell.example/agents/wide:2026.9", size: 2.3GB, tools: [git, go, node, gcc, rust, python]}
    - {name: "images.brinewell.example/tools/log-tail:1.4", size: 38MB}
  links: {registry: {down: 120MB/s}}
  agents: {wipe: 4s, tools: [{name: protoc, install: {median: 40s, p95: 2m}}]}
  controller: {inside: "http://dispatch.slipway.svc:8080", outside: "https://dispatch.brinewell.example"}
---
apiVersion: tachyphor/v1
kind: Workload
metadata: {name: week}
spec:
  start: 2026-09-14T00:00:00Z
  classes:
    - {name: shore-desk, wants: [linux, web], work: {fixed: 2m}, tools: [node], limit: 1h, arrivals: {hours: [{when: "Mon-Fri 08:00-18:00", perHour: 12}]}}
    - {name: relay-gateway, wants: [linux, go], work: {fixed: 1m}, tools: [go], limit: 1h, cores: 1.8, arrivals: {hours: [{when: "Mon-Fri 08:00-18:00", perHour: 6}]}}
---
apiVersion: tachyphor/v1
kind: Scenario
metadata: {name: trial}
spec: {cluster: north, workload: week, templates: [{template: small-steady, agents: {reuse: never}}]}
`

// over lays a fragment over a value: objects field by field, lists of named
// things by their names, anything else as it is. null takes a field away, and
// $with: remove a named thing.
func over(at, fragment any) any {
	switch f := fragment.(type) {
	case map[string]any:
		m, ok := at.(map[string]any)
		if !ok {
			m = map[string]any{}
		}
		m = maps.Clone(m)
		for k, v := range f {
			if v == nil {
				delete(m, k)
			} else {
				m[k] = over(m[k], v)
			}
		}
		return m
	case []any:
		old, _ := at.([]any)
		out := slices.Clone(old)
		for _, item := range f {
			o, named := item.(map[string]any)
			if !named || o["name"] == nil {
				return f
			}
			i := slices.IndexFunc(out, func(x any) bool { return x.(map[string]any)["name"] == o["name"] })
			switch {
			case o["$with"] == "remove":
				out = slices.Delete(out, i, i+1)
			case i < 0:
				out = append(out, item)
			default:
				out[i] = over(out[i], item)
			}
		}
		return out
	}
	return fragment
}

var changedAgo = regexp.MustCompile(`# changed (\S+) ago`)

// shelfWith lays an example's fragments over the base.
func shelfWith(t *testing.T, fragments string) *review.Shelf {
	t.Helper()
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	shelf := &review.Shelf{Now: now, PerWeek: map[string]map[string]float64{"week": {"shore-desk": 600, "relay-gateway": 300}}}
	if m := changedAgo.FindStringSubmatch(fragments); m != nil {
		d, err := units.ParseDuration(m[1])
		if err != nil {
			t.Fatal(err)
		}
		shelf.Changes = map[string]review.Change{"small-steady": {Revision: 4, At: now.Add(-time.Duration(d))}}
	}
	var objects []map[string]any
	for _, text := range strings.Split(base, "---\n") {
		var o map[string]any
		if err := yaml.Unmarshal([]byte(text), &o); err != nil {
			t.Fatal(err)
		}
		objects = append(objects, o)
	}
	for _, text := range strings.Split(fragments, "---\n") {
		var f map[string]any
		if err := yaml.Unmarshal([]byte(text), &f); err != nil {
			t.Fatalf("%v in\n%s", err, text)
		}
		if f["kind"] == nil {
			f["kind"] = "PodTemplate"
		}
		i := slices.IndexFunc(objects, func(o map[string]any) bool { return o["kind"] == f["kind"] && f["apiVersion"] == nil })
		if i < 0 {
			objects = append(objects, f)
			continue
		}
		objects[i] = over(objects[i], f).(map[string]any)
	}
	if meta := objects[0]["metadata"].(map[string]any); meta["name"] != "small-steady" { // the scenario follows a new name
		objects = objects[:1]
	}
	for _, o := range objects {
		b, err := yaml.Marshal(o)
		if err != nil {
			t.Fatal(err)
		}
		r := document.Read("", b)
		if len(r.Faults) > 0 {
			t.Fatalf("%v in\n%s", r.Faults, b)
		}
		for _, d := range r.Documents {
			shelf.Put(d)
		}
		shelf.Others = append(shelf.Others, r.Others...)
	}
	return shelf
}

func ids(list []review.Finding) []string {
	var out []string
	for _, f := range list {
		out = append(out, f.ID)
	}
	return out
}

// Every rule says something of its bad example, placed and with a way out, and
// nothing of its good one; of the base no rule says anything.
func TestEveryRuleByItsExamples(t *testing.T) {
	if found := check(shelfWith(t, "# nothing changed\n{}")); len(found) > 0 {
		t.Fatalf("of the base: %+v", found)
	}
	seen := map[string]bool{}
	for _, r := range review.Rules() {
		if seen[r.ID] {
			t.Errorf("two rules are called %s", r.ID)
		}
		seen[r.ID] = true
		bad := shelfWith(t, r.Bad)
		found := check(bad)
		i := slices.IndexFunc(found, func(f review.Finding) bool { return f.ID == r.ID })
		if i < 0 {
			t.Errorf("%s: nothing said of the bad example; found %v", r.ID, ids(found))
			continue
		}
		if testing.Verbose() {
			fmt.Printf("%-20s %-14s %d:%d %s\n    %s\n    %s\n", r.ID, found[i].Severity, found[i].Line, found[i].Column, found[i].Path,
				found[i].Says, found[i].Do)
		}
		if f := found[i]; f.Line == 0 || f.Says == "" || f.Do == "" || f.Severity != r.Severity {
			t.Errorf("%s: %+v", r.ID, f)
		}
		if found := check(shelfWith(t, r.Good)); slices.ContainsFunc(found, func(f review.Finding) bool { return f.ID == r.ID }) {
			t.Errorf("%s: said of the good example", r.ID)
		}
	}
}

func check(s *review.Shelf) []review.Finding { return s.Check(s.All()[0]) }

// What a rule can mend for certain is mended: after the fix it has nothing more
// to say, and no other rule has anything new.
func TestFixesMend(t *testing.T) {
	fixes := 0
	for _, r := range review.Rules() {
		shelf := shelfWith(t, r.Bad)
		before := check(shelf)
		for _, f := range before {
			if f.ID != r.ID || len(f.Fix) == 0 {
				continue
			}
			fixes++
			text, err := document.Apply(shelf.All()[0].Text, f.Fix)
			if err != nil {
				t.Errorf("%s: %v", r.ID, err)
				continue
			}
			docs, faults := document.Parse("", []byte(text))
			if len(faults) > 0 {
				t.Errorf("%s: %v in\n%s", r.ID, faults, text)
				continue
			}
			mended := review.Shelf{Shelf: shelf.Copy(), Others: shelf.Others, PerWeek: shelf.PerWeek, Changes: shelf.Changes, Now: shelf.Now}
			mended.Replace(docs[0])
			for _, id := range ids(check(&mended)) {
				if id == r.ID || !slices.Contains(ids(before), id) {
					t.Errorf("%s: after its fix %s is said of\n%s", r.ID, id, text)
				}
			}
		}
	}
	if fixes < 15 {
		t.Errorf("only %d fixes", fixes)
	}
}

// A rule that is named in the annotation is silent.
func TestAcceptedRulesAreSilent(t *testing.T) {
	shelf := shelfWith(t, `{metadata: {annotations: {tachyphor/accepted: "starts-again, tty-unneeded"}}, template: {spec: {restartPolicy: Always, containers: [{name: agent, tty: true, image: "a:latest"}]}}}`)
	if got := ids(check(shelf)); !slices.Equal(got, []string{"image-floats", "image-unknown"}) {
		t.Errorf("%v", got)
	}
}

// No message repeats a secret.
func TestMessagesKeepSecrets(t *testing.T) {
	for _, secret := range []string{"made-up-7f3a9c2e81d04b56", "bWFkZS11cC1wYXNzd29yZA==", "made up 7f3a 9c2e"} {
		for _, at := range []string{"env: [{name: JOIN_TOKEN, value: %q}]", "args: [--token, %q]", "command: [run, '--join-password=%s']"} {
			shelf := shelfWith(t, "template: {spec: {containers: [{name: agent, "+fmt.Sprintf(at, secret)+"}]}}")
			found := check(shelf)
			if !slices.ContainsFunc(found, func(f review.Finding) bool { return strings.HasPrefix(f.ID, "secret-") }) {
				t.Errorf("%s in %s: not found, %v", secret, at, ids(found))
			}
			for _, f := range found {
				if strings.Contains(f.Says+f.Do, secret) || strings.Contains(f.Says+f.Do, "made-up-pass") {
					t.Errorf("%s repeats the secret: %s", f.ID, f.Says)
				}
			}
		}
	}
}

// page is docs/findings.md as the rules make it.
func page() string {
	var b strings.Builder
	b.WriteString(`# What check finds

Made from the rules themselves; a test keeps it up to date, and tries every example.

` + "`tachyphor check`" + ` reads templates and says what will go wrong with them and why. It looks at what is known around a template too: the cluster's node types and images, the jobs that come to it, the scenarios that use it, roles and network policies in the same files. A rule whose facts nobody gave says nothing.

The examples are laid over a template that is sound: only what they say is changed. A template that breaks a rule on purpose names it: ` + "`tachyphor/accepted: start-replaced`" + `.

| severity | means |
|---|---|
| will not work | jobs wait for ever, or fail |
| risky | works until it meets a bad day or a bad job |
| wasteful | time or money for nothing |
| advice | better otherwise |

`)
	for _, r := range review.Rules() {
		fmt.Fprintf(&b, "## %s\n\n%s: **%s.** %s\n\n```yaml\n# %s\n%s```\n\n```yaml\n# sound\n%s```\n\n", r.ID, r.Title, r.Severity.Words(),
			r.Why, r.Severity.Words(), r.Bad, r.Good)
	}
	return strings.TrimRight(b.String(), "\n") + "\n"
}

func TestFindingsPageIsCurrent(t *testing.T) {
	const path = "../../docs/findings.md"
	if *update {
		if err := os.WriteFile(path, []byte(page()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	b, err := os.ReadFile(path)
	if err != nil || string(b) != page() {
		t.Errorf("docs/findings.md is not what the rules say (%v); run go test ./core/review -run FindingsPage -update", err)
	}
}

// What looks like a mistake and is none: no rule says anything of it.
func TestNoFalseAlarms(t *testing.T) {
	for _, c := range []struct{ rule, fragment string }{
		{"secret-", "env: [{name: GIT_AUTHOR_EMAIL, value: someone@brinewell.example}, {name: TOKEN_FILE, value: token.txt}, " +
			"{name: PASSWORD_LENGTH, value: '24'}, {name: AUTH, value: basic}, {name: API_KEY, value: $(FROM_ELSEWHERE)}]"},
		{"secret-", "args: [--token-file, join.txt, --secret=/run/secrets/join, --auth-mode=oidc, --password, -v]"},
		{"start-", "command: [/opt/brine/agent, --keep]"},
		{"start-", "command: [sh, -c, 'prepare && exec /opt/agent/run']"},
		{"start-asleep", "command: [sh, -c, 'sleep 5; exec /opt/agent/run']"},
		{"start-asleep", "command: [cat, /etc/hosts]"},
		{"image-floats", "image: 'images.brinewell.example:5000/agents/steady@sha256:0123456789012345678901234567890123456789012345678901234567890123'"},
		{"tools-at-boot", "command: [sh, -c, 'git fetch && /opt/agent/run --install-dir x']"},
	} {
		for _, f := range check(shelfWith(t, "template: {spec: {containers: [{name: agent, "+c.fragment+"}]}}")) {
			if strings.HasPrefix(f.ID, c.rule) {
				t.Errorf("%s of %s: %s", f.ID, c.fragment, f.Says)
			}
		}
	}
	for _, asleep := range []string{
		"[sleep, infinity]", "[tail, -f, /dev/null]", "[bash]", "[sh, -c, 'while true; do sleep 30; done']",
		"[cat]", "[/bin/sh, -c, 'echo ready && sleep 99999']",
	} {
		if got := ids(check(shelfWith(t, "template: {spec: {containers: [{name: agent, command: "+asleep+"}]}}"))); !slices.Contains(got,
			"start-asleep") {
			t.Errorf("%s: %v", asleep, got)
		}
	}
}

// Of what keeps its pods running nothing is mended that the API server would refuse there.
func TestFixesSuitTheirKind(t *testing.T) {
	const pod = "{metadata: {labels: {app: a}, annotations: {tachyphor/offers: x}}, spec: {containers: [{name: agent, image: i}]}}"
	for kind, version := range map[string]string{
		"Deployment": "apps/v1", "StatefulSet": "apps/v1", "ReplicaSet": "apps/v1",
		"Job": "batch/v1",
	} {
		docs, faults := document.Parse("f", []byte("apiVersion: "+version+"\nkind: "+kind+
			"\nmetadata: {name: t}\nspec: {selector: {matchLabels: {app: a}}, template: "+pod+"}\n"))
		if len(faults) > 0 {
			t.Fatal(faults)
		}
		shelf := &review.Shelf{Shelf: shelf.Of(docs...)}
		said := false
		for _, f := range shelf.Check(docs[0]) {
			if f.ID != "starts-again" && !strings.Contains(f.Path, "restartPolicy") {
				continue
			}
			said = true
			if fixed := len(f.Fix) > 0; fixed != (kind == "Job") {
				t.Errorf("%s: %+v", kind, f)
			}
		}
		if !said {
			t.Errorf("%s: nothing is said of restarts", kind)
		}
	}
}
