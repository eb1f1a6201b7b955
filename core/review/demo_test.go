package review_test

import (
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"tachyphor/core/demand"
	"tachyphor/core/document"
	"tachyphor/core/review"
	"tachyphor/core/shelf"
	"tachyphor/core/template"
	"tachyphor/demo"
)

// demoShelf holds the whole demo world.
func demoShelf(t testing.TB) *review.Shelf {
	t.Helper()
	shelf := &review.Shelf{PerWeek: map[string]map[string]float64{}}
	err := fs.WalkDir(demo.World, ".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".yaml") {
			return err
		}
		b, err := fs.ReadFile(demo.World, path)
		docs, faults := document.Parse(path, b)
		if len(faults) > 0 {
			t.Error(faults)
		}
		for _, d := range docs {
			shelf.Put(d)
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	csv, err := demo.World.Open("week-38.csv")
	if err != nil {
		t.Fatal(err)
	}
	r, err := demand.Read(csv, nil)
	if err != nil {
		t.Fatal(err)
	}
	shelf.PerWeek["week-38"] = demand.PerWeek(&shelf.Find(document.KindWorkload, "week-38").Value.(*document.Workload).Spec, r)
	return shelf
}

// planted are the mistakes of the demo's first drafts, by severity and place.
var planted = map[string][]string{
	"compile-wide-draft": {
		"offers-misspelt", "start-asleep", "token-white-space", // will not work; then risky
		"starts-again", "image-floats", "controller-outside", "workspace-elsewhere", "secret-in-plain", "memory-unlimited", "scratch-unbounded",
		"strands-nodes", "image-unknown",
	},
	"small-steady-draft": {
		"controller-port", "limit-below-request",
		"starts-again", "token-mounted", "secret-base64", "disk-unrequested",
		"image-heavy", "tools-at-boot", "cpu-throttled",
		"tty-unneeded", "port-inbound",
	},
	"image-maker-draft": {
		"agent-unclear",
		"default-namespace", "token-mounted", "host-shared", "privileged", "image-floats", "node-socket", "host-path",
		"image-unknown",
	},
}

// Of the demo's drafts everything is said that was planted and nothing else; of
// the mended templates nothing at all.
func TestDemoTemplates(t *testing.T) {
	shelf := demoShelf(t)
	for _, d := range shelf.All() {
		if d.Kind != document.KindPodTemplate {
			continue
		}
		found := shelf.Check(d)
		got, want := ids(found), slices.Clone(planted[d.Name])
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s: found %v, want %v", d.Name, got, want)
			for _, f := range found {
				t.Logf("%s: %s %s %s", d.Name, f.ID, f.Scenario, f.Says)
			}
		}
	}
}

// Every class of the demo gets its template, but for the one with a slip; no
// template takes work it should not.
func TestDemoMatches(t *testing.T) {
	shelf := demoShelf(t)
	workload := shelf.Find(document.KindWorkload, "week-38")
	m := shelf.Match(workload, shelf.Find(document.KindScenario, "weekday-lean"))
	if len(m.Classes) != 7 || len(m.Misfits) != 0 || len(m.Idle) != 0 {
		t.Fatalf("%+v", m)
	}
	first := m.Classes[0]
	if first.Class != "hull-bootloader" || len(first.Templates) != 0 || first.Nearest != "compile-wide" ||
		!slices.Equal(first.Missing, []string{"arm-corss"}) ||
		first.Slips[0] != (review.Slip{Word: "arm-corss", Meant: "arm-cross", Letters: 1}) || first.PerWeek < 1 {
		t.Errorf("%+v", first)
	}
	for _, c := range m.Classes[1:] {
		want := map[string]string{"shore-desk": "small-steady", "relay-gateway": "small-steady", "probe-images": "image-maker"}[c.Class]
		if want == "" {
			want = "compile-wide"
		}
		if !slices.Equal(c.Templates, []string{want}) {
			t.Errorf("%+v", c)
		}
	}
	// A template that can do everything, listed first, takes what a smaller one
	// should have.
	wide := *shelf.Find(document.KindPodTemplate, "compile-wide")
	docs, faults := document.Parse("", []byte(strings.Replace(wide.Text, "linux, cxx", "linux, web, go, cxx", 1)))
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	shelf.Replace(docs[0])
	lean := shelf.Find(document.KindScenario, "weekday-lean")
	greedy, faults := document.Parse("", []byte(strings.NewReplacer("- template: small-steady", "- template: x",
		"- template: compile-wide", "- template: small-steady").Replace(lean.Text)))
	_ = greedy
	if len(faults) > 0 {
		t.Fatal(faults)
	}
	m = shelf.Match(workload, lean)
	if len(m.Misfits) != 2 || m.Misfits[0].Template != "compile-wide" || m.Misfits[0].Better != "small-steady" ||
		!slices.Equal(m.Idle, []string{"small-steady"}) {
		t.Errorf("%+v", m)
	}
}

// Every manifest with a pod template among the API's own test data is reviewed
// without a crash, in every version of the API that is kept there.
func TestReviewOfTheAPIsOwnManifests(t *testing.T) {
	out, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "k8s.io/api").Output()
	if err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob(filepath.Join(strings.TrimSpace(string(out)), "testdata", "*", "*.yaml"))
	if err != nil || len(files) < 100 {
		t.Fatal(len(files), err)
	}
	n := 0
	world := demoShelf(t)
	for _, f := range files {
		b, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		r := document.Read(f, []byte(strings.NewReplacer("nameValue", "name-value", "namespaceValue", "namespace-value",
			"serviceAccountNameValue", "account-value", "secretNameValue", "secret-value").Replace(string(b))))
		for _, d := range r.Documents {
			shelf := &review.Shelf{Shelf: shelf.Of(append([]*document.Document{d}, world.All()...)...), Others: r.Others}
			if len(shelf.Check(d)) == 0 {
				t.Errorf("nothing found in %s, which has every field set to nonsense", f)
			}
			shelf.Portray(d)
			n++
		}
		if len(r.Documents) == 0 && strings.Contains(f, "HEAD") &&
			slices.ContainsFunc([]string{
				"v1.Pod.", "v1.PodTemplate.", "batch.v1.", "apps.v1.Deployment", "apps.v1.StatefulSet",
				"apps.v1.ReplicaSet",
			}, func(k string) bool { return strings.Contains(filepath.Base(f), k) }) {
			t.Errorf("%s: %v", f, r.Faults)
		}
	}
	if n < 7*4 {
		t.Errorf("only %d templates in %d files", n, len(files))
	}
}

// BenchmarkCheck reads and checks 500 templates beside the demo's cluster,
// workload and scenarios.
func BenchmarkCheck(b *testing.B) {
	world := demoShelf(b)
	var text strings.Builder
	for i := range 500 {
		d := world.Find(document.KindPodTemplate, []string{"compile-wide", "compile-wide-draft", "small-steady-draft", "image-maker"}[i%4])
		fmt.Fprintf(&text, "---\n%s", strings.Replace(d.Text, "name: "+d.Name, fmt.Sprintf("name: %s-%d", d.Name, i), 1))
	}
	for b.Loop() {
		docs, faults := document.Parse("", []byte(text.String()))
		if len(docs) != 500 || len(faults) > 0 {
			b.Fatal(len(docs), faults)
		}
		shelf := &review.Shelf{Shelf: shelf.Of(append(docs, world.All()...)...), PerWeek: world.PerWeek}
		n := 0
		for _, d := range docs {
			n += len(shelf.Check(d))
		}
		if n < 1000 {
			b.Fatal(n)
		}
	}
}

// FuzzManifests feeds the reviewer whatever comes: it must not crash, what it lets
// in must be read again the same, and its fixes must be made without a fault.
func FuzzManifests(f *testing.F) {
	world := demoShelf(f)
	for _, d := range world.All() {
		if d.Kind == document.KindPodTemplate || d.Kind == document.KindScenario {
			f.Add(d.Text)
		}
	}
	for _, r := range review.Rules() {
		f.Add(r.Bad)
	}
	f.Add(base)
	around, faults := document.Parse("", []byte(base)) // smaller than the demo, and quicker
	if len(faults) > 0 {
		f.Fatal(faults)
	}
	around = around[1:]
	f.Fuzz(func(t *testing.T, text string) {
		r := document.Read("f.yaml", []byte(text))
		for _, d := range r.Documents {
			again, faults := document.Parse("f.yaml", []byte(d.Text))
			if len(faults) > 0 || len(again) != 1 || again[0].Digest != d.Digest {
				t.Fatalf("read again: %v\n%s", faults, d.Text)
			}
			if d.Kind != document.KindPodTemplate {
				continue
			}
			shelf := &review.Shelf{Shelf: shelf.Of(append(slices.Clone(r.Documents), around...)...), Others: r.Others}
			shelf.Portray(d)
			for _, x := range shelf.Check(d) {
				if x.Says == "" || x.Title == "" {
					t.Fatalf("%+v", x)
				}
				if len(x.Fix) == 0 {
					continue
				}
				if mended, err := document.Apply(d.Text, x.Fix); err == nil {
					if _, faults := document.Parse("f.yaml", []byte(mended)); len(faults) > 0 {
						t.Fatalf("after the fix of %s: %v\n%s", x.ID, faults, mended)
					}
				} else if !strings.Contains(d.Text, "&") {
					t.Fatalf("fix of %s: %v\n%s", x.ID, err, d.Text)
				}
			}
		}
	})
}

// A first template that is written from answers is one of which no rule has
// anything to say; wrong answers are all told at once.
func TestDraftIsSound(t *testing.T) {
	shelf := demoShelf(t)
	a := template.Answers{
		Namespace: "slipway", Controller: "http://dispatch.slipway.svc:8080", Name: "first-steps", Offers: []string{"linux", "web"},
		Image: "images.brinewell.example/agents/steady:2026.9", CPU: 2000, Memory: 4 << 30, Workspace: 8 << 30,
	}
	alone := &review.Shelf{}
	for _, secret := range []string{"", "slipway-join/token"} {
		a.Secret, a.Takes = secret, map[string]string{"": template.TakesNamed}[secret]
		text, wrong := a.Draft()
		docs, faults := document.Parse("", []byte(text))
		if len(wrong) > 0 || len(faults) > 0 {
			t.Fatal(wrong, faults)
		}
		shelf.Put(docs[0])
		alone.Put(docs[0])
		for _, s := range []*review.Shelf{shelf, alone} { // beside a cluster and its scenarios, and by itself
			if found := s.Check(docs[0]); len(found) > 0 {
				t.Errorf("%+v in\n%s", found, text)
			}
		}
		if got := len(review.Secrets(&docs[0].Value.(*document.PodTemplate).Template.Spec)); got != min(len(secret), 1) {
			t.Errorf("%d secrets in\n%s", got, text)
		}
	}
	_, wrong := template.Answers{
		Namespace: "default", Controller: "dispatch\n", Name: "First", Offers: []string{"a b"}, Image: "a b",
		Secret: "x", CPU: -1, Memory: 4, Longest: 1, Takes: "some",
	}.Draft()
	if len(wrong) != 11 {
		t.Errorf("%d wrong answers: %+v", len(wrong), wrong)
	}
	for _, w := range wrong {
		if w.Field == "" || !strings.Contains(w.Reason, "as in") {
			t.Errorf("%+v", w)
		}
	}
}
