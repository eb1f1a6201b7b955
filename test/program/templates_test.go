package program

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"tachyphor/client"
	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/template"
	"tachyphor/test/running"
	"tachyphor/test/worlds"
	"tachyphor/wire"
)

// copyDemo copies the demo world's documents to a folder that may be changed.
func copyDemo(t *testing.T) string {
	t.Helper()
	to := t.TempDir()
	if err := os.CopyFS(to, os.DirFS(demoFolder)); err != nil {
		t.Fatal(err)
	}
	return to
}

// Templates in files are checked and mended in place: what is certain is changed,
// in the object that held the template, and comments stay.
func TestCheckFiles(t *testing.T) {
	t.Parallel()
	dir, state := copyDemo(t), t.TempDir()
	drafts := filepath.Join(dir, "templates", "drafts")
	with := []string{
		"--with", filepath.Join(dir, "cluster.yaml"), "--with", filepath.Join(dir, "workload.yaml"), "--with",
		filepath.Join(dir, "scenarios"),
	}
	run := func(status int, args ...string) ran {
		t.Helper()
		r := command(t, state, append(args, with...)...)
		if r.status != status {
			t.Fatalf("%v: status %d, want %d\n%s\n%s", args, r.status, status, r.out, r.err)
		}
		return r
	}
	r := run(1, "check", drafts)
	for _, want := range []string{
		"start-asleep", "18:18", "small-steady-draft.yaml  out of a Deployment", "28:40",
		"spec.template.spec.containers[0].resources.limits.memory", "(--fix does it)", "3 templates: 6 will not work",
	} {
		if !strings.Contains(r.out, want) {
			t.Errorf("the report lacks %q:\n%s", want, r.out)
		}
	}
	for line := range strings.Lines(r.out) {
		if n := len([]rune(strings.TrimRight(line, "\n"))); n > 112 && strings.HasPrefix(line, " ") { // the path of a file is as long as it is
			t.Errorf("a line of %d columns: %s", n, line)
		}
	}
	run(0, "check", filepath.Join(dir, "templates", "compile-wide.yaml"))
	var list []wire.Reviewed
	if err := json.Unmarshal([]byte(run(1, "check", drafts, "-o", "json").out), &list); err != nil || len(list) != 3 ||
		list[0].Findings[0].ID != "offers-misspelt" {
		t.Fatalf("%v, %+v", err, list)
	}
	if csv := run(1, "check", drafts, "-o", "csv").out; strings.Count(csv, "\n") < 20 ||
		!strings.HasPrefix(csv, "of.name,id,severity,title,file,line,column,path,says,do") {
		t.Error(csv)
	}
	before, err := os.ReadFile(filepath.Join(drafts, "small-steady-draft.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	fixed := run(1, "check", drafts, "--fix")
	if !strings.Contains(fixed.err, "mended in 3 files") || strings.Contains(fixed.out, "--fix mends") ||
		strings.Contains(fixed.out, "start-asleep") {
		t.Errorf("%s\n%s", fixed.err, fixed.out)
	}
	after, err := os.ReadFile(filepath.Join(drafts, "small-steady-draft.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	for _, kept := range []string{"kind: Deployment", "# The first draft of small-steady", "replicas: 6", "# has everything"} {
		if !strings.Contains(string(after), kept) {
			t.Errorf("lost %q:\n%s", kept, after)
		}
	}
	if string(after) == string(before) || strings.Contains(string(after), "tty: true") ||
		!strings.Contains(string(after), "memory: 2Gi}\n") && !strings.Contains(string(after), "memory: 2Gi") {
		t.Errorf("not mended:\n%s", after)
	}
	// A way out for what is left, and the exit status of a pipeline.
	run(1, "check", drafts, "--fail-at", "advice")
	if r := command(t, state, "check", filepath.Join(dir, "templates", "small-steady.yaml"), "--fail-at", "grave"); r.status != 2 {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "check", filepath.Join(dir, "workload.yaml")); r.status != 1 || !strings.Contains(r.err, "no templates in") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "check", filepath.Join(dir, "cluster.yaml")); r.status != 0 || !strings.Contains(r.out, "never measured") {
		t.Errorf("%+v", r)
	}
	if r := commandWith(t, state, string(before), "check", "-"); r.status != 1 || !strings.Contains(r.out, "starts-again") {
		t.Errorf("%+v", r)
	}
	if r := commandWith(t, state, string(before), "check", "-", "--fix"); r.status == 0 || !strings.Contains(r.err, "name the file") {
		t.Errorf("%+v", r)
	}
}

// match and render from files, without a service.
func TestMatchAndRenderFiles(t *testing.T) {
	t.Parallel()
	dir, state := copyDemo(t), t.TempDir()
	m := command(t, state, "match", "week-38", "weekday-lean", "--with", dir)
	if m.status != 1 || !strings.Contains(m.out, "is arm-corss a slip? it offers arm-cross, 1 letter away") &&
		!strings.Contains(strings.Join(strings.Fields(m.out), " "), "is arm-corss a slip? it offers arm-cross, 1 letter away") {
		t.Errorf("%+v", m)
	}
	if r := command(t, state, "match", "week-99", "weekday-lean", "--with", dir); r.status != 1 ||
		!strings.Contains(r.err, "no Workload week-99") {
		t.Errorf("%+v", r)
	}
	file := filepath.Join(dir, "templates", "compile-wide.yaml")
	if r := command(t, state, "fit", file, "--with", filepath.Join(dir, "cluster.yaml"), "-o", "csv"); r.status != 0 ||
		!strings.HasPrefix(r.out, "template,pool,nodeType,") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "fit", file); r.status != 1 ||
		!strings.Contains(r.err, "name the cluster whose nodes are meant; there is none") {
		t.Errorf("%+v", r)
	}
	stream := command(t, state, "render", file, "--with", dir, "--scenario", "weekday-lean")
	if stream.status != 0 || strings.Count(stream.out, "\n---\n") < 8 || !strings.Contains(stream.out, "kind: ResourceQuota") ||
		!strings.Contains(stream.out, "kind: PodTemplate") || strings.Contains(stream.out, "kind: Pod\n") {
		t.Errorf("%+v", stream)
	}
	into := filepath.Join(t.TempDir(), "deploy", "agents")
	if r := command(t, state, "render", file, "--with", dir, "--parts", "kit,template,pod", "--as", "kustomization", "--into",
		into); r.status != 0 {
		t.Fatalf("%+v", r)
	}
	k, err := os.ReadFile(filepath.Join(into, "kustomization.yaml"))
	if err != nil || !strings.Contains(string(k), "- rights.yaml") || strings.Contains(string(k), "pod-") {
		t.Errorf("%v\n%s", err, k)
	}
	if _, err := os.Stat(filepath.Join(into, "pod-compile-wide.yaml")); err != nil {
		t.Error(err)
	}
	for _, c := range []struct {
		want string
		args []string
	}{
		{"say where to with --into", []string{"--as", "folder"}},
		{"add --as folder", []string{"--into", "x"}},
		{"expected stream, folder or kustomization", []string{"--as", "chart"}},
		{"expected kit, template or pod", []string{"--parts", "all"}},
	} {
		if r := command(t, state, append([]string{"render", file}, c.args...)...); r.status != 2 || !strings.Contains(r.err, c.want) {
			t.Errorf("%v: %+v", c.args, r)
		}
	}
	if r := command(t, state, "render", filepath.Join(dir, "templates", "drafts", "image-maker-draft.yaml")); r.status != 1 ||
		!strings.Contains(r.err, "no namespace of its own") {
		t.Errorf("%+v", r)
	}
}

// The same against the service: put says what it left behind and passed over,
// stored templates are checked, mended as a new revision, matched and rendered.
func TestTemplatesAtTheService(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	state := t.TempDir()
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	draft, err := os.ReadFile(filepath.Join(demoFolder, "templates", "drafts", "small-steady-draft.yaml"))
	if err != nil {
		t.Fatal(err)
	}
	r := commandWith(t, state, string(draft)+"---\napiVersion: v1\nkind: Service\nmetadata: {name: dispatch}\nspec: {}\n", "put", "-")
	if r.status != 0 || !strings.Contains(r.err, "taken out of a Deployment. Left behind: spec.replicas, spec.selector.") ||
		!strings.Contains(r.err, "Left out, because") || !strings.Contains(r.err, "Service/dispatch") {
		t.Errorf("%+v", r)
	}
	stored, err := c.Put(ctx, "", draft, false)
	if err != nil || len(stored) != 1 || stored[0].From != "Deployment" || len(stored[0].Left) != 2 || stored[0].Change != "same" {
		t.Errorf("%+v, %v", stored, err)
	}
	all, err := c.Templates(ctx)
	if err != nil || len(all) != 7 {
		t.Fatalf("%d templates, %v", len(all), err)
	}
	if r := command(t, state, "check", "compile-wide", "small-steady", "image-maker", "suite-night"); r.status != 0 ||
		!strings.Contains(r.out, "4 templates: nothing to say.") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "check", "small-steady-draft", "--fix"); r.status != 1 || !strings.Contains(r.err, "it is revision 2 now") ||
		strings.Contains(r.out, "limit-below-request") {
		t.Errorf("%+v", r)
	}
	one, err := c.Template(ctx, "small-steady-draft")
	if err != nil || one.Revision != 2 || !strings.Contains(one.Text, "# has everything") || one.Portrait.Places[0].Agents == 0 {
		t.Errorf("%+v, %v", one, err)
	}
	if r := command(t, state, "match", "week-38", "spot-night"); r.status != 1 || !strings.Contains(r.out, "suite-night, else compile-wide") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "fit", "compile-wide", "small-steady"); r.status != 0 || !strings.Contains(r.out, "−1350m CPU: 33 %") ||
		!strings.Contains(r.out, "2 compile-wide + 1 small-steady") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "fit", "compile-wide", "--cluster", "south"); r.status != 1 ||
		!strings.Contains(r.err, "there is no cluster south") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "render", "compile-wide", "suite-night", "--scenario", "spot-night"); r.status != 0 ||
		!strings.Contains(r.out, "kind: NetworkPolicy") {
		t.Errorf("%+v", r)
	}
	// A change of a template that is in use is told for as long as it lasts.
	if _, err := c.Edit(ctx, document.KindPodTemplate, "compile-wide", 0,
		[]document.Edit{{Op: "replace", Path: "/template/spec/terminationGracePeriodSeconds", Value: 25}}); err != nil {
		t.Fatal(err)
	}
	changed, err := c.Template(ctx, "compile-wide")
	if err != nil || len(changed.Findings) == 0 || changed.Findings[0].ID != "old-agents" ||
		!strings.Contains(changed.Findings[0].Says, "of revision 1 may go on") {
		t.Errorf("%+v, %v", changed.Findings, err)
	}
	reviewed, err := c.Check(ctx, "", draft)
	if err != nil || len(reviewed) != 1 || reviewed[0].Findings[0].Severity != review.WillNotWork {
		t.Errorf("%+v, %v", reviewed, err)
	}
	mended, err := c.Mend(ctx, string(draft), reviewed[0].Findings[0].Fix)
	if err != nil || !strings.Contains(mended.Diff, "8080") || !strings.Contains(mended.Text, "kind: Deployment") {
		t.Errorf("%+v, %v", mended, err)
	}
	if _, err := c.Draft(ctx, template.Answers{Namespace: "default", Offers: []string{}}); !client.IsStatus(err, 422) ||
		strings.Count(err.Error(), "\n") != 8 {
		t.Errorf("%v", err)
	}
	if _, err := c.Match(ctx, "nothing", "weekday-lean"); !client.IsStatus(err, 404) {
		t.Error(err)
	}
	if _, err := c.Render(ctx, []string{"image-maker-draft"}, "", nil); !client.IsStatus(err, 422) {
		t.Error(err)
	}
}

// Trials through the service: followed, kept, ended, and told apart from what the
// service cannot reach.
func TestTrials(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	state, config := t.TempDir(), filepath.Join(t.TempDir(), "cluster.yaml")
	running.Cluster(t, config, 40)
	_, c := running.Serve(t, state, nil, "--kubeconfig", config, "--pods-in", "slipway")
	putDemo(t, c, state)
	asked, err := c.Try(ctx, wire.TryOut{Kind: "preflight", Template: "compile-wide", Scenario: "weekday-lean"})
	if err != nil {
		t.Fatal(err)
	}
	told := 0
	end, err := c.Watch(ctx, asked.ID, func(wire.WorkBrief) { told++ })
	if err != nil || end.State != "done" || len(end.Trial.Checks) < 20 || told < 1 {
		t.Errorf("%+v, told %d, %v", end, told, err)
	}
	for _, k := range end.Trial.Checks {
		if k.State != "passed" {
			t.Errorf("%+v", k)
		}
	}
	slow, err := c.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "compile-wide", Context: "brinewell-north"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Cancel(ctx, slow.ID); err != nil {
		t.Fatal(err)
	}
	over, err := c.Watch(ctx, slow.ID, func(wire.WorkBrief) {})
	if err != nil || over.State != "cancelled" {
		t.Errorf("%+v, %v", over, err)
	}
	again, err := c.Work(ctx, asked.ID)
	if err != nil || len(again.Trial.Checks) != len(end.Trial.Checks) || again.Seconds <= 0 {
		t.Errorf("%+v, %v", again, err)
	}
	for want, try := range map[string]func() (wire.WorkBrief, error){
		"there is no template nothing": func() (wire.WorkBrief, error) { return c.Try(ctx, wire.TryOut{Kind: "preflight", Template: "nothing"}) },
		"no context \"south\"": func() (wire.WorkBrief, error) {
			return c.Try(ctx, wire.TryOut{Kind: "preflight", Template: "compile-wide", Context: "south"})
		},
		"there is no scenario x": func() (wire.WorkBrief, error) {
			return c.Try(ctx, wire.TryOut{Kind: "preflight", Template: "compile-wide", Scenario: "x"})
		},
		"no namespace of its own": func() (wire.WorkBrief, error) {
			return c.Try(ctx, wire.TryOut{Kind: "preflight", Template: "image-maker-draft"})
		},
	} {
		if _, err := try(); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", want, err)
		}
	}
	if _, err := c.Work(ctx, 99); !client.IsStatus(err, 404) {
		t.Error(err)
	}
	if r := command(t, state, "preflight", "compile-wide"); r.status != 0 ||
		!strings.Contains(r.out, "27 passed, 0 failed, 0 could not be decided.") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "rehearse", filepath.Join(demoFolder, "templates", "small-steady.yaml"), "--with",
		filepath.Join(demoFolder, "cluster.yaml"), "--kubeconfig",
		config); r.status != 0 || !strings.Contains(r.out, "came up, did its job and went") || !strings.Contains(r.out, "node: node version") {
		t.Errorf("%+v", r)
	}
	if r := command(t, state, "rehearse", "compile-wide-draft"); r.status != 1 || !strings.Contains(r.err, "risky about compile-wide-draft") ||
		!strings.Contains(r.err, "--risky") {
		t.Errorf("%+v", r)
	}
	elsewhere := strings.Replace(worlds.Template("elsewhere", "y", "1", "4Gi", "i:1"), "{name: elsewhere,", "{name: elsewhere, namespace: kube-system,", 1)
	if _, err := c.Put(ctx, "", []byte(elsewhere), false); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "elsewhere", Risky: true}); !client.IsStatus(err, 422) ||
		!strings.Contains(err.Error(), "--pods-in") {
		t.Errorf("in a namespace that nobody allowed: %v", err)
	}
	went, err := c.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "compile-wide"})
	if err != nil {
		t.Fatal(err)
	}
	written, err := c.Watch(ctx, went.ID, func(wire.WorkBrief) {})
	if err != nil || !strings.Contains(written.Trial.Agent.Log, "host ") {
		t.Errorf("what the pod wrote: %+v, %v", written.Trial, err)
	}
	if less, err := person(t, c, "kari", wire.Designer).Work(ctx, went.ID); err != nil || strings.Contains(less.Trial.Agent.Log, "host ") ||
		!strings.Contains(less.Trial.Agent.Log, "for operators") {
		t.Errorf("to one who is no operator: %+v, %v", less.Trial, err)
	}
	if r := command(t, state, "rehearse", "compile-wide-draft", "--risky", "-o", "json"); r.status != 1 || !strings.Contains(r.out, "cannot be pulled") {
		t.Errorf("%+v", r)
	}
	apart := t.TempDir()
	_, lonely := running.Serve(t, apart, nil, "--kubeconfig", os.DevNull)
	putDemo(t, lonely, apart)
	if _, err := lonely.Try(ctx, wire.TryOut{Kind: "preflight", Template: "compile-wide"}); !client.IsStatus(err, 422) ||
		!strings.Contains(err.Error(), "no cluster to speak to") {
		t.Error(err)
	}
}

// A rehearsal in the middle of which the service is killed is told as broken off
// after the next start.
func TestKilledInARehearsal(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	state := t.TempDir()
	config := filepath.Join(t.TempDir(), "cluster.yaml")
	running.Cluster(t, config, 1)
	p, c := running.Serve(t, state, nil, "--kubeconfig", config, "--pods-in", "slipway")
	putDemo(t, c, state)
	asked, err := c.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "compile-wide"})
	if err != nil {
		t.Fatal(err)
	}
	eventually(t, "an agent on its way", func() bool {
		now, err := c.Work(ctx, asked.ID)
		return err == nil && now.Trial.Agent != nil && now.Trial.Agent.Node != ""
	})
	p.Kill()
	time.Sleep(50 * time.Millisecond)
	_, c = running.Serve(t, state, nil, "--kubeconfig", config, "--pods-in", "slipway")
	now, err := c.Work(ctx, asked.ID)
	if err != nil || now.State != "failed" || !strings.Contains(now.Error, "stopped in the middle") {
		t.Errorf("%+v, %v", now, err)
	}
}

// Of services that share a database, one can cancel the trial of another, and breaks off
// what another left when it was killed.
func TestTrialsOfServicesThatShareADatabase(t *testing.T) {
	t.Parallel() // it waits most of its time
	ctx, state := context.Background(), t.TempDir()
	config := filepath.Join(t.TempDir(), "cluster.yaml")
	running.Cluster(t, config, 1)
	_, c := running.Serve(t, state, nil)
	putDemo(t, c, state)
	other, d := running.Serve(t, t.TempDir(), nil, "--kubeconfig", config, "--pods-in", "slipway", "--database", databaseOf(t, state)+"tachyphor")
	begin := func() uint64 {
		asked, err := d.Try(ctx, wire.TryOut{Kind: "rehearsal", Template: "compile-wide"})
		if err != nil {
			t.Fatal(err)
		}
		return asked.ID
	}
	is := func(id uint64, state, why string) func() bool {
		return func() bool {
			now, err := c.Work(ctx, id)
			return err == nil && string(now.State) == state && strings.Contains(now.Error, why) && now.Seconds > 0
		}
	}
	first := begin()
	if _, err := c.Cancel(ctx, first); err != nil {
		t.Fatal(err)
	}
	eventually(t, "the first to be cancelled", is(first, "cancelled", ""))
	eventually(t, "its service to have seen that", func() bool {
		now, err := d.Work(ctx, first)
		return err == nil && now.State == "cancelled" && now.Trial.Agent != nil
	})
	second := begin()
	other.Kill()
	eventually(t, "the second to be broken off", is(second, "failed", "stopped in the middle"))
	if _, err := c.Cancel(ctx, second); err != nil || !is(second, "failed", "stopped in the middle")() {
		t.Errorf("cancelling what is over: %v", err)
	}
}
